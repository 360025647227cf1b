/** Changes that a confirmed policy asks for: nobody is there to accept or to type a name. */
import type { Draft } from '~/core/kinds'
import type { RunRequest } from './admission'
import type { ChangesParts } from './parts'
import type { ChangeRecord } from './record'
import { Refusal } from './errors'

interface Pipeline {
  read(kind: string, intent: unknown): Draft
  draft(kind: string, intent: unknown, title: string): Promise<ChangeRecord>
  run(id: string, request: RunRequest): Promise<unknown>
}

interface Asked {
  readonly kind: string
  readonly intent: unknown
  readonly title: string
}

/** Why it cannot run, or null once it does. What cannot run is not kept as a draft. */
export async function runUnattended(
  changes: Pipeline,
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
