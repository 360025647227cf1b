/** Which steps of a run may start now, given the states of all. Pure over the stored rows. */
import type { RetryPolicy } from '~/core/changes'
import type { StepState } from '../records/models'

export interface StepStatus {
  readonly id: string
  readonly after: readonly string[]
  readonly state: StepState
  readonly undoing: boolean
  readonly undo: unknown
  readonly dueAt: string | null
}

/** The time (ms) on the clock of whoever carries a step. */
type NowFor<S> = (step: S) => number

const isDue = <S extends StepStatus>(step: S, nowFor: NowFor<S>): boolean =>
  step.dueAt === null || Date.parse(step.dueAt) <= nowFor(step)

/** Steps whose predecessors are done, and those due for another attempt. */
export function readyOn<S extends StepStatus>(
  steps: readonly S[],
  nowFor: NowFor<S>,
): readonly S[] {
  const done = new Set(steps.filter((step) => step.state === 'done').map((step) => step.id))
  return steps.filter(
    (step) =>
      (step.state === 'waiting' && step.after.every((id) => done.has(id))) ||
      (step.state === 'retrying' && isDue(step, nowFor)),
  )
}

/**
 * Steps that may be undone now: nothing runs forward any more, and whatever came after them is undone.
 * A failed step may have left something behind, so it is undone too; one without an undo counts as undone.
 */
export function readyToUndo<S extends StepStatus>(
  steps: readonly S[],
  nowFor: NowFor<S>,
): readonly S[] {
  if (steps.some((step) => step.state === 'running' && !step.undoing)) return []
  const open = (step: StepStatus): boolean =>
    step.undo !== null &&
    (step.state === 'done' ||
      step.state === 'failed' ||
      step.state === 'running' ||
      step.state === 'retrying')
  const blocked = new Set<string>()
  // What an open step waits for, directly or through steps that have no undo, has to wait with its own.
  const byId = new Map(steps.map((step) => [step.id, step]))
  const block = (ids: readonly string[]): void => {
    for (const id of ids) {
      if (blocked.has(id)) continue
      blocked.add(id)
      block(byId.get(id)?.after ?? [])
    }
  }
  for (const step of steps) if (open(step)) block(step.after)
  return steps.filter(
    (step) =>
      step.undo !== null &&
      !blocked.has(step.id) &&
      (step.state === 'done' ||
        (step.state === 'failed' && !hasFailedUndo(step)) ||
        (step.state === 'retrying' && isDue(step, nowFor))),
  )
}

/** A step whose undo was tried and given up: only “retry” takes it up again. */
const hasFailedUndo = (step: StepStatus): boolean => step.undoing && step.state === 'failed'

export const settled = (steps: readonly StepStatus[]): boolean =>
  steps.every((step) => step.state === 'done')

/** Seconds before the next attempt: doubling from the policy’s first wait up to its longest, with ±20 % that the key decides. */
export function backoffSeconds(policy: RetryPolicy, attempts: number, key: string): number {
  let hash = 0
  for (let i = 0; i < key.length; i++) hash = (Math.imul(hash, 31) + key.charCodeAt(i)) >>> 0
  const wait = Math.min(policy.mostSeconds, policy.firstSeconds * 2 ** (attempts - 1))
  return Math.max(1, Math.round(wait * (0.8 + 0.4 * ((hash % 1000) / 1000))))
}

/** Arguments with every `{ $from, path }` replaced by the value out of that step’s result. */
export function resolvedArgs(
  args: Readonly<Record<string, unknown>>,
  results: Readonly<Record<string, Readonly<Record<string, unknown>>>>,
): Record<string, unknown> {
  const resolve = (value: unknown): unknown => {
    if (Array.isArray(value)) return value.map(resolve)
    if (typeof value !== 'object' || value === null) return value
    const record = value as Record<string, unknown>
    const { $from: from, path } = record
    if (typeof from === 'string' && typeof path === 'string') {
      return (
        path
          .split('.')
          .reduce<unknown>(
            (at, key) =>
              typeof at === 'object' && at !== null
                ? (at as Record<string, unknown>)[key]
                : undefined,
            results[from],
          ) ?? null
      )
    }
    return Object.fromEntries(Object.entries(record).map(([key, item]) => [key, resolve(item)]))
  }
  return resolve(args) as Record<string, unknown>
}
