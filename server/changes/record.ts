/** What is told of a change: its intent, findings, plan, steps and proofs, and what gets it past a failure. */
import type { ChangesParts } from './parts'
import { type Finding, notBegun, type Plan, type Proof } from '~/core/changes'
import type { FleetView } from '~/core/fleet'
import { type Draft, kindNamed } from '~/core/kinds'
import type { RunRemedy } from '../judging/run-remedies'
import { ChangeRow, type ChangeState, type Returned } from '../records/models'
import { changeId } from '../runner/journal'
import { failureRecords, type FailureRecord, stepRecords, type StepRecord } from './rows'

export interface ChangeRecord {
  readonly id: string
  readonly kind: string
  readonly label: string
  readonly title: string | null
  readonly intent: unknown
  readonly version: number
  readonly state: ChangeState
  readonly direction: 'on' | 'back'
  readonly waitsFor: string | null
  /** When it will run by itself; null where it is not scheduled. */
  readonly schedule: {
    readonly at: string
    readonly window: string | null
    readonly confirmed: readonly string[]
  } | null
  /** Why it came back to its author instead of running. */
  readonly returned: Returned | null
  readonly createdWall: string
  readonly amendedWall: string
  readonly startedAt: string | null
  readonly endedAt: string | null
  readonly findings: readonly Finding[]
  readonly plan: Plan | null
  readonly planDigest: string | null
  /** What it touches. */
  readonly subjects: readonly string[]
  readonly guardedBy: string | null
  /** Every guarded cluster whose name has to be typed. */
  readonly guards: readonly string[]
  /** The set that it runs in. */
  readonly parent: string | null
  /** The changes of a set that have begun, in their order. */
  readonly children: readonly MemberRecord[]
  readonly steps: readonly StepRecord[]
  /** Commands that failed, those that were tried again with success among them. */
  readonly failures: readonly FailureRecord[]
  readonly proof: readonly Proof[] | null
  readonly cause: ChangeRow['cause']
  /** Proven remedies that get a run past its failure; they can be taken once it has halted. */
  readonly remedies: readonly RunRemedy[]
  /** Why it cannot be taken back, or null. */
  readonly keepsBack: string | null
}

/** A change that runs in a set. */
export interface MemberRecord {
  readonly id: string
  readonly label: string
  readonly kind: string
  readonly position: number
  readonly state: ChangeState
  readonly startedAt: string | null
  readonly endedAt: string | null
  /** Why it halted or did not begin. */
  readonly why: string | null
}

const memberRecord = (row: ChangeRow): MemberRecord => ({
  id: changeId(row.number),
  label: row.label,
  kind: row.kind,
  position: row.position ?? 0,
  state: row.state,
  startedAt: row.startedAt,
  endedAt: row.endedAt,
  why: row.returned?.says ?? row.cause?.says ?? null,
})

/** The steps of a run; of a set those of its members, and what is planned for those that have not begun. */
async function allSteps(
  row: ChangeRow,
  members: readonly ChangeRow[],
): Promise<readonly StepRecord[]> {
  if (!row.members) return stepRecords(row.number)
  const begun = new Map<number, readonly StepRecord[]>()
  for (const member of members)
    if (member.state !== 'draft') begun.set(member.position ?? 0, await stepRecords(member.number))
  const waiting = (row.plan?.steps ?? [])
    .filter((step) => !begun.has(Number(step.id.split('/')[0])))
    .map(notBegun)
  return [
    ...[...begun].flatMap(([position, steps]) =>
      steps.map((step) => ({
        ...step,
        id: `${position}/${step.id}`,
        after: step.after.map((id) => `${position}/${id}`),
      })),
    ),
    ...waiting,
  ]
}

/** The steps of a run, or of all members of a set, whatever was read of its row. */
export async function stepsOf(row: ChangeRow): Promise<readonly StepRecord[]> {
  if (!row.members) return stepRecords(row.number)
  const whole = (await ChangeRow.findByPk(row.number)) ?? row
  return allSteps(
    whole,
    await ChangeRow.findAll({ where: { parent: row.number }, order: [['position', 'ASC']] }),
  )
}

/** A change as it is told: a draft is judged anew each time. */
/** What a change is told by. Of a halted run that is all that its draft and what it offers look at: it shows what helps. */
async function viewOf(
  parts: ChangesParts,
  { kind, state }: ChangeRow,
  draft: Draft | null,
  signal: AbortSignal | undefined,
): Promise<FleetView> {
  if (!draft) return parts.fleet.view()
  if (state === 'halted') return (await parts.judges.judge(kind, draft, signal)).view
  return parts.fleet.viewFor(draft.objectsOf, draft.walksAt, draft.published)
}

export async function recordOf(
  parts: ChangesParts,
  row: ChangeRow,
  signal?: AbortSignal,
): Promise<ChangeRecord> {
  const read = kindNamed(row.kind)?.read(row.intent)
  const fresh =
    row.state === 'draft' && read?.ok ? await parts.judges.judgeKept(row, read.draft, signal) : null
  const view = fresh?.view ?? (await viewOf(parts, row, read?.ok ? read.draft : null, signal))
  const members = row.members
    ? await ChangeRow.findAll({ where: { parent: row.number }, order: [['position', 'ASC']] })
    : []
  const steps = fresh ? [] : await allSteps(row, members)
  const failures = fresh ? [] : await failureRecords(row.number)
  const plan = fresh ? fresh.plan : row.plan
  return {
    id: changeId(row.number),
    kind: row.kind,
    label: row.label,
    title: row.title,
    intent: row.intent,
    version: row.version,
    state: row.state,
    direction: row.direction,
    waitsFor: row.waitsFor,
    schedule:
      row.state === 'scheduled' && row.dueAt
        ? { at: row.dueAt, window: row.window ?? null, confirmed: row.confirmed ?? [] }
        : null,
    returned: row.state === 'draft' ? (row.returned ?? null) : null,
    createdWall: row.createdAt.toISOString(),
    amendedWall: row.amendedAt.toISOString(),
    startedAt: row.startedAt,
    endedAt: row.endedAt,
    findings: fresh ? fresh.findings : (row.findings ?? []),
    plan,
    planDigest: fresh ? fresh.digest : row.planDigest,
    subjects: fresh ? fresh.subjects : (row.subjects ?? []),
    guardedBy: read?.ok ? read.draft.guardedBy(view) : null,
    guards: read?.ok ? read.draft.guards(view) : [],
    parent: row.parent ? changeId(row.parent) : null,
    children: members.map(memberRecord),
    steps,
    failures,
    proof: row.proof,
    cause: row.cause,
    remedies:
      (row.state === 'halted' ||
        (row.state === 'running' && steps.some((step) => step.state === 'failed'))) &&
      row.direction === 'on' &&
      read?.ok &&
      !row.members &&
      plan
        ? await parts.judges.remedies(
            { number: row.number, kind: row.kind, intent: row.intent, plan, steps, failures },
            view,
            signal,
          )
        : [],
    keepsBack: fresh
      ? null
      : keepsBack(
          steps.map((step) => ({
            state: step.state,
            says: step.says,
            final: plan?.steps.find((planned) => planned.id === step.id)?.final ?? false,
          })),
        ),
  }
}

/** Why a run cannot be taken back: a step that is done and final. */
export function keepsBack(
  steps: readonly { readonly state: string; readonly final: boolean; readonly says: string }[],
): string | null {
  const done = steps.find(
    (step) => step.final && step.state !== 'waiting' && step.state !== 'skipped',
  )
  return done ? `“${done.says}” cannot be undone, so this run cannot be taken back.` : null
}
