/** A draft of any kind but a raise: its fields, kept as they are typed, above the plan they make. */
import { useMemo } from 'react'
import { z } from 'zod'
import { canonicalJson } from '~/core/changes'
import { kindNamed } from '~/core/kinds'
import type { ChangeRecord } from '~/server/changes/changes'
import { useKeptIntent } from './kept-intent'
import { SchemaForm } from './schema-form'
import '../raise/sheet.css'

/** The largest intent that is edited field by field; what is larger came from a file and is read, not typed. */
const mostTyped = 40_000

export function DraftSheet({
  record,
  choices,
}: {
  readonly record: ChangeRecord
  readonly choices: Readonly<Record<string, readonly string[]>>
}) {
  const kind = kindNamed(record.kind)
  const schema = useMemo(
    () => (kind ? z.toJSONSchema(kind.schema, { io: 'input', unrepresentable: 'any' }) : null),
    [kind],
  )
  const { intent, setIntent, says } = useKeptIntent(record.id, record.intent)
  if (!schema || canonicalJson(record.intent).length > mostTyped)
    return (
      <p className="soft">This draft is too large to be edited here. It runs as it was made.</p>
    )
  return (
    <section className="sheet" aria-label="Draft">
      <h2>{record.title ?? kind?.title}</h2>
      <p className="soft" role="status" style={{ margin: '2px 0 10px' }}>
        {says}
      </p>
      <SchemaForm
        schema={schema}
        value={intent}
        findings={record.findings}
        choices={choices}
        onChange={setIntent}
      />
    </section>
  )
}
