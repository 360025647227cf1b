/** Changes that a confirmed policy asks for: nobody is there to accept or to type a name. */
import type { ChangesParts } from './parts'
import type { Changes } from './changes'
import { Refusal } from './errors'

interface Asked {
  readonly kind: string
  readonly intent: unknown
  readonly title: string
}

/** Why it cannot run, or null once it does. What cannot run is not kept as a draft. */
export async function runUnattended(
  changes: Pick<Changes, 'read' | 'draft' | 'run'>,
  judges: ChangesParts['judges'],
  { kind, intent, title }: Asked,
): Promise<string | null> {
  const { findings } = await judges.judge(kind, changes.read(kind, intent))
  const stop = findings.find((finding) => finding.level === 'stop')
  if (stop) return stop.says
  const record = await changes.draft(kind, intent, title)
  try {
    await changes.run(record.id, {
      accept: record.findings.map((finding) => finding.key),
      confirm: record.guards,
    })
    return null
  } catch (error) {
    if (error instanceof Refusal) return error.message
    throw error
  }
}
