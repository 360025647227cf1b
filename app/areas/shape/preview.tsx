/** What an apply would do to each object, field by field, with who wrote what is there. */
import type { ObjectChange } from '~/core/manifests'
import { Refused } from '../../kit/notice'
import { Cell, PlainTable, Row } from '../../kit/plain-table'

export interface Preview {
  readonly findings?: readonly {
    readonly key: string
    readonly level: 'stop' | 'caution' | 'note'
    readonly says: string
  }[]
  readonly changes?: readonly {
    readonly key: string
    readonly says: string
    readonly kind: ObjectChange['kind']
    readonly fields: readonly {
      readonly path: string
      readonly live: string
      readonly wanted: string
      readonly owner: string | null
      readonly conflict: boolean
    }[]
  }[]
  readonly refused?: string
  readonly kept?: string
}

const does = { make: 'would be made', change: 'would change', same: 'stays as it is' } as const

export function PreviewList({ preview }: { readonly preview: Preview | undefined }) {
  if (!preview?.changes) return <Refused says={preview?.refused} />
  return (
    <ul className="manifest-changes" aria-label="What it would do">
      {preview.changes.map((change) => (
        <li key={change.key}>
          <p>
            <b className="mono">{change.says}</b> <span className="soft">{does[change.kind]}</span>
          </p>
          {change.fields.length > 0 ? (
            <PlainTable
              label={`Fields of ${change.says}`}
              heads={['field', 'is', 'becomes', 'written by']}
            >
              {change.fields.map((field) => (
                <Row key={field.path} data-conflict={field.conflict}>
                  <Cell className="mono">{field.path}</Cell>
                  <Cell className="mono was">{field.live}</Cell>
                  <Cell className="mono">{field.wanted}</Cell>
                  <Cell className="soft">{field.owner ?? 'nobody yet'}</Cell>
                </Row>
              ))}
            </PlainTable>
          ) : null}
        </li>
      ))}
    </ul>
  )
}
