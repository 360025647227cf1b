/** Lines of a name and what is to be said of it, each a way on where it has one. */
import { Fragment } from 'react'
import { Link } from 'react-router'

export interface RowFact {
  readonly key: string
  readonly value: string
  readonly to?: string
}

/** A name that is a path breaks behind its slashes, where it has to. */
const Name = ({ of }: { readonly of: string }) =>
  of.split(/(?<=\/)/).map((part, i) => (
    <Fragment key={i}>
      {i === 0 ? null : <wbr />}
      {part}
    </Fragment>
  ))

export const RowFacts = ({ rows }: { readonly rows: readonly RowFact[] }) => (
  <dl className="facts row-facts">
    {rows.map(({ key, value, to }) => (
      <div key={key}>
        <dt className="mono">
          {to === undefined ? (
            <Name of={key} />
          ) : (
            <Link to={to} preventScrollReset>
              <Name of={key} />
            </Link>
          )}
        </dt>
        <dd>{value}</dd>
      </div>
    ))}
  </dl>
)
