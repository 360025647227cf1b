/** A draft of any kind but a raise: its fields, kept as they are typed, above the plan they make. */
import { canonicalJson } from '~/core/changes'
import type { ChangeRecord } from '~/server/changes/changes'
import type { DraftData } from './draft-data'
import { useKeptIntent } from './kept-intent'
import { SchemaForm } from './schema-form'
import '../raise/sheet.css'

/** The largest intent that is edited field by field; what is larger came from a file and is read, not typed. */
const mostTyped = 40_000

export function DraftSheet({
  record,
  form,
  choices,
}: {
  readonly record: ChangeRecord
  readonly form: DraftData['form']
  readonly choices: Readonly<Record<string, readonly string[]>>
}) {
  const { intent, setIntent, says } = useKeptIntent(record.id, record.intent)
  if (!form || canonicalJson(record.intent).length > mostTyped)
    return (
      <p className="soft">This draft is too large to be edited here. It runs as it was made.</p>
    )
  return (
    <section className="sheet" aria-label="Draft">
      <h2>{record.title ?? form.title}</h2>
      <p className="soft" role="status" style={{ margin: '2px 0 10px' }}>
        {says}
      </p>
      <SchemaForm
        schema={form.schema}
        value={intent}
        findings={record.findings}
        choices={choices}
        onChange={setIntent}
      />
    </section>
  )
}
