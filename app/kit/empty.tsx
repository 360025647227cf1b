/** A view with nothing to show: what it is for, and the first step. */
import type { ReactNode } from 'react'

export function Empty({
  title,
  children,
  first,
}: {
  readonly title: string
  /** What the view is for, in a sentence or two. */
  readonly children: ReactNode
  /** The first step: a button or a link. */
  readonly first?: ReactNode
}) {
  return (
    <div className="empty-view">
      <h2>{title}</h2>
      <p>{children}</p>
      {first === undefined ? null : <div className="acts">{first}</div>}
    </div>
  )
}
