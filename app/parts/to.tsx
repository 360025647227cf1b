/** Links inside Gyrarch: they keep the aim, which is part of every address. */
import { forwardRef } from 'react'
import { Link, type LinkProps, useSearchParams } from 'react-router'

/** A path with query parameters; the aim of the present address is kept unless another is given. */
export function useAddress(): (
  path: string,
  query?: Readonly<Record<string, string | null>>,
) => string {
  const [search] = useSearchParams()
  const aim = search.get('aim')
  return (path, query = {}) => {
    const params = new URLSearchParams(aim === null ? {} : { aim })
    for (const [name, value] of Object.entries(query)) {
      if (value === null) params.delete(name)
      else params.set(name, value)
    }
    const text = params.toString()
    return text === '' ? path : `${path}?${text}`
  }
}

export const To = forwardRef<
  HTMLAnchorElement,
  Omit<LinkProps, 'to'> & {
    readonly path: string
    readonly query?: Readonly<Record<string, string | null>>
  }
>(function To({ path, query, ...rest }, ref) {
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
