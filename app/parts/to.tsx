/** Links inside Gyrarch: they keep the aim and the moment that is looked at, which are part of every address. */
import { forwardRef } from 'react'
import { Link, type LinkProps, useSearchParams } from 'react-router'
import { useTurn } from '../kit/turn'

/** A path with query parameters; aim and moment of the present address are kept unless others are given. */
export function useAddress(): (
  path: string,
  query?: Readonly<Record<string, string | null>>,
) => string {
  const [search] = useSearchParams()
  return (path, query = {}) => {
    const [place = path, given = ''] = path.split('?')
    const params = new URLSearchParams(given)
    for (const name of ['aim', 'at']) {
      const value = search.get(name)
      if (value !== null && !params.has(name)) params.set(name, value)
    }
    for (const [name, value] of Object.entries(query)) {
      if (value === null) params.delete(name)
      else params.set(name, value)
    }
    const text = params.toString()
    return text === '' ? place : `${place}?${text}`
  }
}

export const To = forwardRef<
  HTMLAnchorElement,
  Omit<LinkProps, 'to'> & {
    readonly path: string
    readonly query?: Readonly<Record<string, string | null>>
  }
>(function To({ path, query, ...rest }, ref) {
  useTurn()
  const address = useAddress()
  return <Link ref={ref} {...rest} to={address(path, query)} />
})

/** The page of whatever a ref names, or null where it has none. */
export function pathOf(ref: string): string | null {
  const [kind, first, second] = ref.split('/')
  if (first === undefined) return null
  switch (kind) {
    case 'site':
    case 'zone':
      return `/ground?site=${first}`
    case 'cluster':
      return `/clusters/${first}`
    case 'pool':
      return `/clusters/${first}`
    case 'node':
      return `/clusters/${first}?on=${second ?? ''}`
    case 'change':
      return `/changes/${first}`
    case 'machine':
    case 'image':
    case 'disk':
    case 'size':
    case 'quota':
    case 'network':
    case 'address':
      return `/ground?site=${first}`
    default:
      return null
  }
}
