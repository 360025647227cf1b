/** What must hold before a draft runs: nothing stops it, cautions are accepted, the plan is the one that was read, names are typed. */
import type { FleetView } from '~/core/fleet'
import type { Draft } from '~/core/kinds'
import { listText } from '~/core/units'
import { Refusal } from './errors'
import type { ChangeRow } from '../records/models'
import { changeId } from '../runner/journal'
import type { Judged } from '../judging/judge'

export interface RunRequest {
  readonly accept: readonly string[]
  /** Names of what is guarded, as its author typed them. */
  readonly confirm?: string | readonly string[] | undefined
  readonly planDigest?: string | undefined
}

/** Refuses unless it may run now. */
export function admit(
  id: string,
  draft: Draft,
  view: FleetView,
  judged: Judged,
  request: RunRequest,
): void {
  const stop = judged.findings.find((finding) => finding.level === 'stop')
  if (stop || !judged.plan)
    throw new Refusal(
      'conflict',
      `${id} cannot run: ${stop?.says ?? 'it has no plan'}`,
      stop?.field === undefined ? [] : [{ path: `intent.${stop.field}`, says: stop.says }],
      { findings: judged.findings, plan: null },
    )
  const missing = judged.findings.filter(
    (finding) => finding.level === 'caution' && !request.accept.includes(finding.key),
  )
  if (missing.length > 0)
    throw new Refusal(
      'conflict',
      `${missing.length === 1 ? 'A caution is' : `${missing.length} cautions are`} not accepted: ${missing.map((finding) => `${finding.says} (${finding.key})`).join(' ')}`,
      missing.map((finding) => ({ path: 'accept', says: finding.key })),
      { findings: judged.findings },
    )
  if (request.planDigest !== undefined && request.planDigest !== judged.digest)
    throw new Refusal(
      'conflict',
      `The plan of ${id} has changed since it was read. Read the new one.`,
      [{ path: 'planDigest', says: `is ${judged.digest ?? ''} now` }],
      { plan: judged.plan, planDigest: judged.digest, findings: judged.findings },
    )
  confirmGuards(draft.guards(view), request.confirm)
}

/** Refuses unless the name of everything that is guarded was typed. */
export function confirmGuards(guards: readonly string[], confirm: RunRequest['confirm']): void {
  const typed = typeof confirm === 'string' ? [confirm] : (confirm ?? [])
  const missing = guards.filter((name) => !typed.includes(name))
  if (missing.length === 0) return
  throw new Refusal(
    'forbidden',
    missing.length === 1
      ? `${listText(missing)} is guarded. Type its name to go on.`
      : `${listText(missing)} are guarded. Type their names to go on.`,
    missing.map((name) => ({ path: 'confirm', says: `must be ${name}` })),
  )
}

/** A change that runs in a set begins with it, and is amended nowhere else. */
export function mustBeOwn(row: ChangeRow): void {
  if (row.parent)
    throw new Refusal(
      'conflict',
      `${changeId(row.number)} runs in ${changeId(row.parent)}: go on with that one.`,
    )
}
