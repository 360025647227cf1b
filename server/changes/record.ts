/** What is told of a change: its intent, findings, plan, steps and proofs, and what gets it past a failure. */
import type { ChangesParts } from './parts'
import {
  canonicalJson,
  type Finding,
  patchDraft,
  type Plan,
  type Proof,
  type Remedy,
  type Step,
  withoutChange,
} from '~/core/changes'
import type { FleetView } from '~/core/fleet'
import { type Draft, kindNamed } from '~/core/kinds'
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
  readonly remedies: readonly (Remedy & {
    readonly step: string
    /** Whether the run can go on with it; else what is done would have to be done differently, and it takes a new draft. */
    readonly goesOn: boolean
  })[]
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
    .map(waitingStep)
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

const waitingStep = (step: Step): StepRecord => ({
  id: step.id,
  after: step.after,
  says: step.says,
  group: step.group,
  port: step.command.port,
  verb: step.command.verb,
  state: 'waiting',
  undoing: false,
  attempts: 0,
  mostAttempts: step.retry.attempts,
  seconds: step.seconds,
  startedAt: null,
  endedAt: null,
  dueAt: null,
  evidence: [],
  cause: null,
})

/** A change as it is told: a draft is judged anew each time. */
export async function recordOf(parts: ChangesParts, row: ChangeRow): Promise<ChangeRecord> {
  const read = kindNamed(row.kind)?.read(row.intent)
  const fresh =
    row.state === 'draft' && read?.ok ? await parts.judges.judgeKept(row, read.draft) : null
  const view =
    fresh?.view ??
    (await (read?.ok
      ? parts.fleet.viewFor(read.draft.objectsOf, read.draft.walksAt)
      : parts.fleet.view()))
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
        ? remediesOf(row, read.draft, plan, view, steps, failures)
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

function remediesOf(
  row: ChangeRow,
  draft: Draft,
  plan: Plan,
  view: FleetView,
  steps: readonly StepRecord[],
  failures: readonly FailureRecord[],
): ChangeRecord['remedies'] {
  const without = withoutChange(view, plan, String(row.number))
  return steps
    .filter((step) => step.state === 'failed' && step.cause)
    .slice(0, 4)
    .flatMap((step) => {
      const planned = plan.steps.find((otherStep) => otherStep.id === step.id)
      if (!step.cause || !planned) return []
      return draft.answers(without, step.cause, planned, failures).map((remedy) => ({
        ...remedy,
        step: step.id,
        goesOn: goesOnWith(row, remedy, without, plan, steps),
      }))
    })
}

/** Whether a remedy’s plan does everything that is done already in the same way. */
function goesOnWith(
  row: ChangeRow,
  remedy: Remedy,
  view: FleetView,
  plan: Plan,
  steps: readonly StepRecord[],
): boolean {
  if (!('patchDraft' in remedy.change)) return false
  const read = kindNamed(row.kind)?.read(patchDraft(row.intent, remedy.change.patchDraft))
  if (!read?.ok) return false
  const done = plan.steps.filter((step) =>
    steps.some((otherStep) => otherStep.id === step.id && otherStep.state === 'done'),
  )
  return doneDifferently(done, read.draft.plan(view)) === null
}

/** The first done step, outside the register, that a plan would have done otherwise; null if there is none. */
export function doneDifferently<
  S extends { readonly id: string; readonly command: Step['command'] },
>(done: readonly S[], plan: Plan): S | null {
  const next = new Map(plan.steps.map((step) => [step.id, step]))
  const replaced = new Set(plan.steps.flatMap((step) => step.replaces ?? []))
  return (
    done.find(
      (step) =>
        !replaced.has(step.id) &&
        step.command.port !== 'ledger' &&
        canonicalJson(next.get(step.id)?.command) !== canonicalJson(step.command),
    ) ?? null
  )
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
