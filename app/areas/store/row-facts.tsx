/** Lines of a name and what is to be said of it, each a way on where it has one. */
import { Link } from 'react-router'

export interface RowFact {
  readonly key: string
  readonly value: string
  readonly to?: string
}

export const RowFacts = ({ rows }: { readonly rows: readonly RowFact[] }) => (
  <dl className="facts row-facts">
    {rows.map(({ key, value, to }) => (
      <div key={key}>
        <dt className="mono">
          {to === undefined ? (
            key
          ) : (
            <Link to={to} preventScrollReset>
              {key}
            </Link>
          )}
        </dt>
        <dd>{value}</dd>
      </div>
    ))}
  </dl>
)
