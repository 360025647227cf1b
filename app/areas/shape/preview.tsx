/** What an apply would do to each object, field by field, with who wrote what is there. */
import type { ObjectChange } from '~/core/manifests'

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
  if (!preview?.changes) return preview?.refused ? <p role="alert">{preview.refused}</p> : null
  return (
    <ul className="manifest-changes" aria-label="What it would do">
      {preview.changes.map((change) => (
        <li key={change.key}>
          <p>
            <b className="mono">{change.says}</b> <span className="soft">{does[change.kind]}</span>
          </p>
          {change.fields.length > 0 ? (
            <table className="grid">
              <tbody>
                {change.fields.map((field) => (
                  <tr key={field.path} data-conflict={field.conflict}>
                    <td className="mono">{field.path}</td>
                    <td className="mono was">{field.live}</td>
                    <td className="mono">{field.wanted}</td>
                    <td className="soft">
                      {field.owner === null ? '' : `written by ${field.owner}`}
                    </td>
                  </tr>
                ))}
              </tbody>
            </table>
          ) : null}
        </li>
      ))}
    </ul>
  )
}
