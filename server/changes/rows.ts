/** What a run is kept as: its steps with their evidence, and what it has put aside. */
import { type Said, saidOf } from '~/core/contract'
import { Op, type Transaction } from 'sequelize'
import type { FailedAttempt, Plan, Step } from '~/core/changes'
import { EvidenceRow, FailureRow, ReservationRow, StepRow } from '../records/models'

export interface StepRecord {
  readonly id: string
  readonly after: readonly string[]
  readonly says: string
  readonly group: string
  readonly port: string
  readonly verb: string
  readonly state: StepRow['state']
  readonly undoing: boolean
  readonly attempts: number
  readonly mostAttempts: number
  readonly seconds: { readonly likely: number; readonly worst: number }
  readonly startedAt: string | null
  readonly endedAt: string | null
  readonly dueAt: string | null
  readonly evidence: readonly (Said & { readonly at: string })[]
  readonly cause: StepRow['cause']
}

/** A command that failed, with the step as it was then: an amendment may have put another in its place. */
export interface FailureRecord extends FailedAttempt {
  readonly attempt: number
  readonly undoing: boolean
  readonly group: string
  readonly says: string
}

/** Everything that failed in a run, in the order in which it did. */
export async function failureRecords(number: number): Promise<readonly FailureRecord[]> {
  const rows = await FailureRow.findAll({ where: { change: number }, order: [['id', 'ASC']] })
  return rows.map(({ step, attempt, undoing, at, group, says, command, cause }) => ({
    step,
    attempt,
    undoing,
    at,
    group,
    says,
    command,
    cause,
  }))
}

/** Steps with their evidence, all or only some. */
export async function stepRecords(
  number: number,
  only?: readonly string[],
): Promise<readonly StepRecord[]> {
  const where = only ? { change: number, id: { [Op.in]: [...only] } } : { change: number }
  const rows = await StepRow.findAll({ where, order: [['position', 'ASC']] })
  const evidence = await EvidenceRow.findAll({
    where: only ? { change: number, step: { [Op.in]: [...only] } } : { change: number },
    order: [
      ['at', 'ASC'],
      ['key', 'ASC'],
      ['index', 'ASC'],
    ],
  })
  const byStep = groupBy(evidence)
  return rows.map((row) => ({
    id: row.id,
    after: row.after,
    says: row.says,
    group: row.group,
    port: row.command.port,
    verb: row.command.verb,
    state: row.state,
    undoing: row.undoing,
    attempts: row.attempts,
    mostAttempts: row.retry.attempts,
    seconds: { likely: row.likely, worst: row.worst },
    startedAt: row.startedAt,
    endedAt: row.endedAt,
    dueAt: row.dueAt,
    evidence: (byStep.get(row.id) ?? []).map((item) => ({ at: item.at, ...saidOf(item) })),
    cause: row.cause,
  }))
}

/** Steps of a run, as they begin. `all` gives their order; `tried`, how often each was tried before. */
export async function writeSteps(
  transaction: Transaction,
  change: number,
  steps: readonly Step[],
  all: readonly Step[],
  tried: ReadonlyMap<string, number> = new Map(),
): Promise<void> {
  const position = new Map(all.map((step, index) => [step.id, index]))
  await StepRow.bulkCreate(
    steps.map((step) => ({
      change,
      id: step.id,
      position: position.get(step.id) ?? 0,
      group: step.group,
      says: step.says,
      after: [...step.after],
      command: step.command,
      undo: step.undo ?? null,
      final: step.final ?? false,
      likely: step.seconds.likely,
      worst: step.seconds.worst,
      retry: step.retry,
      state: 'waiting' as const,
      attempts: tried.get(step.id) ?? 0,
      attemptsBefore: tried.get(step.id) ?? 0,
      undoAttempts: 0,
      key: null,
      undoing: false,
      startedAt: null,
      endedAt: null,
      dueAt: null,
      result: null,
      cause: null,
    })),
    { transaction },
  )
}

/** Puts aside what a plan takes. */
export async function writeReservations(
  transaction: Transaction,
  change: number,
  plan: Plan,
): Promise<void> {
  await ReservationRow.bulkCreate(
    plan.reserves.map((taken) => ({
      change,
      kind: taken.kind,
      site: taken.site,
      domain: taken.domain ?? null,
      zone: taken.zone ?? null,
      what: taken.what,
      cores: taken.cores ?? null,
      memoryBytes: taken.memoryBytes ?? null,
    })),
    { transaction },
  )
}

function groupBy(evidence: readonly EvidenceRow[]): Map<string, EvidenceRow[]> {
  const map = new Map<string, EvidenceRow[]>()
  for (const item of evidence) map.set(item.step, [...(map.get(item.step) ?? []), item])
  return map
}
