/** A reference as a link to its page, or as what stands inside where it has none. */
import type { ReactNode } from 'react'
import { pathOf, To } from './to'
import { useTurn } from '../kit/turn'

export function RefLink({
  about,
  className,
  children,
}: {
  readonly about: string | null
  readonly className?: string
  readonly children: ReactNode
}) {
  useTurn()
  const path = about === null ? null : pathOf(about)
  if (path === null) return className ? <span className={className}>{children}</span> : children
  const [pathname = path, query] = path.split('?')
  return (
    <To
      path={pathname}
      query={Object.fromEntries(new URLSearchParams(query ?? ''))}
      {...(className === undefined ? {} : { className })}
    >
      {children}
    </To>
  )
}
