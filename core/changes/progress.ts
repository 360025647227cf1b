/** How far a run is, from the states of its steps: what it is doing, what it waits for, how long it will take. */
import type { Said } from '../contract'
import { inOrderOf } from './graph'

export interface StepProgress {
  readonly id: string
  readonly after: readonly string[]
  readonly says: string
  readonly group: string
  readonly state: 'waiting' | 'running' | 'retrying' | 'done' | 'failed' | 'undone' | 'skipped'
  readonly undoing?: boolean
  readonly attempts: number
  readonly mostAttempts?: number
  readonly seconds: { readonly likely: number; readonly worst: number }
  readonly startedAt: string | null
  readonly endedAt: string | null
  readonly dueAt: string | null
  readonly evidence?: readonly (Said & { readonly at: string })[]
}

export interface Progress {
  readonly done: number
  readonly of: number
  /** The step at the front: the failed one, else the retrying, else the running one with most of the path ahead of it. */
  readonly front: StepProgress | null
  /** Likely seconds until the end. */
  readonly secondsLeft: number
  /** Part of the whole, 0 to 1. */
  readonly share: number
}

const elapsed = (step: StepProgress, now: number): number =>
  step.startedAt === null ? 0 : Math.max(0, (now - Date.parse(step.startedAt)) / 1000)

/** Seconds a step still takes, likely: a late one is expected to end within its worst. */
function left(step: StepProgress, now: number): number {
  switch (step.state) {
    case 'done':
    case 'undone':
    case 'skipped':
      return 0
    case 'running': {
      const spent = elapsed(step, now)
      return spent < step.seconds.likely
        ? step.seconds.likely - spent
        : Math.max(5, (step.seconds.worst - spent) / 2)
    }
    case 'retrying':
      return (
        step.seconds.likely +
        Math.max(0, step.dueAt === null ? 0 : (Date.parse(step.dueAt) - now) / 1000)
      )
    default:
      return step.seconds.likely
  }
}

/** The progress of a run at clock time `now` (milliseconds). O(steps + edges). */
export function progressOf(steps: readonly StepProgress[], now: number): Progress {
  const ends = new Map<string, number>()
  for (const step of inOrderOf(steps))
    ends.set(step.id, Math.max(0, ...step.after.map((id) => ends.get(id) ?? 0)) + left(step, now))
  const secondsLeft = Math.max(0, ...ends.values())
  const started = steps.flatMap((step) =>
    step.startedAt === null ? [] : [Date.parse(step.startedAt)],
  )
  const spent = started.length === 0 ? 0 : Math.max(0, (now - Math.min(...started)) / 1000)
  const ahead = tails(steps, now)
  const byTail = (state: StepProgress['state']): StepProgress | undefined =>
    steps
      .filter((step) => step.state === state)
      .sort((a, b) => (ahead.get(b.id) ?? 0) - (ahead.get(a.id) ?? 0))[0]
  return {
    done: steps.filter((step) => step.state === 'done' || step.state === 'undone').length,
    of: steps.length,
    front: byTail('failed') ?? byTail('retrying') ?? byTail('running') ?? null,
    secondsLeft,
    share: spent + secondsLeft === 0 ? 1 : spent / (spent + secondsLeft),
  }
}

/** For each step the likely seconds from its start to the end of the run. */
function tails(steps: readonly StepProgress[], now: number): ReadonlyMap<string, number> {
  const tail = new Map<string, number>()
  for (const step of [...inOrderOf(steps)].reverse()) {
    const own = (tail.get(step.id) ?? 0) + left(step, now)
    tail.set(step.id, own)
    for (const id of step.after) tail.set(id, Math.max(tail.get(id) ?? 0, own))
  }
  return tail
}

/** Whether a running step is late (past its worst estimate) or stuck (no sign of life for max(60 s, half its worst)). */
export function lateness(step: StepProgress, now: number): 'late' | 'stuck' | null {
  if (step.state !== 'running' || step.startedAt === null) return null
  const signs = [step.startedAt, ...(step.evidence ?? []).map((item) => item.at)].map((at) =>
    Date.parse(at),
  )
  const silent = (now - Math.max(...signs)) / 1000
  if (silent > Math.max(60, step.seconds.worst / 2) && elapsed(step, now) > step.seconds.worst)
    return 'stuck'
  return elapsed(step, now) > step.seconds.worst ? 'late' : null
}
