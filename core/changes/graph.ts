/** Step graphs: longest paths, what may start, the digest of a plan. */
import { compareText } from '../units'
import type { Estimate, Plan, Step, StepId } from './change'

interface Linked {
  readonly id: StepId
  readonly after: readonly StepId[]
}

/** Steps in an order in which each comes after those it waits for. Throws on a circle or an unknown predecessor: a kind's own error. */
export function inOrderOf<S extends Linked>(steps: readonly S[]): readonly S[] {
  const byId = new Map(steps.map((step) => [step.id, step]))
  const done = new Set<StepId>()
  const open = new Set<StepId>()
  const ordered: S[] = []
  const visit = (step: S): void => {
    if (done.has(step.id)) return
    if (open.has(step.id)) throw new Error(`steps form a circle through ${step.id}`)
    open.add(step.id)
    for (const id of step.after) {
      const before = byId.get(id)
      if (!before) throw new Error(`step ${step.id} waits for ${id}, which is not in the plan`)
      visit(before)
    }
    open.delete(step.id)
    done.add(step.id)
    ordered.push(step)
  }
  steps.forEach(visit)
  return ordered
}

export const inOrder = (steps: readonly Step[]): readonly Step[] => inOrderOf(steps)

/**
 * Duration and critical path of a graph: the longest path of likely seconds, and of worst seconds
 * (a plan's worst is its longest path of worsts). O(steps + edges).
 */
export function longestPath(steps: readonly Step[]): {
  readonly seconds: Estimate
  readonly critical: readonly StepId[]
} {
  const likely = new Map<StepId, number>()
  const worst = new Map<StepId, number>()
  const via = new Map<StepId, StepId>()
  for (const step of inOrder(steps)) {
    let start = 0
    let startWorst = 0
    for (const id of step.after) {
      const end = likely.get(id) ?? 0
      if (end > start || !via.has(step.id)) via.set(step.id, id)
      start = Math.max(start, end)
      startWorst = Math.max(startWorst, worst.get(id) ?? 0)
    }
    likely.set(step.id, start + step.seconds.likely)
    worst.set(step.id, startWorst + step.seconds.worst)
  }
  let last: StepId | undefined
  for (const [id, end] of likely) if (last === undefined || end > (likely.get(last) ?? 0)) last = id
  const critical: StepId[] = []
  for (let at = last; at !== undefined; at = via.get(at)) critical.unshift(at)
  return {
    seconds: { likely: Math.max(0, ...likely.values()), worst: Math.max(0, ...worst.values()) },
    critical,
  }
}

/** When each step is expected to start and end, in seconds after the run begins, if all takes its likely time. */
export function schedule(
  steps: readonly (Linked & { readonly seconds: Estimate })[],
): ReadonlyMap<StepId, { readonly start: number; readonly end: number }> {
  const times = new Map<StepId, { start: number; end: number }>()
  for (const step of inOrderOf(steps)) {
    const start = Math.max(0, ...step.after.map((id) => times.get(id)?.end ?? 0))
    times.set(step.id, { start, end: start + step.seconds.likely })
  }
  return times
}

/** JSON with object keys in order, so that equal values have equal text. */
export function canonicalJson(value: unknown): string {
  if (value === null || typeof value !== 'object') return JSON.stringify(value) ?? 'null'
  if (Array.isArray(value)) return `[${value.map(canonicalJson).join(',')}]`
  const fields = Object.entries(value)
    .filter(([, field]) => field !== undefined)
    .sort(([a], [b]) => compareText(a, b))
  return `{${fields.map(([key, field]) => `${JSON.stringify(key)}:${canonicalJson(field)}`).join(',')}}`
}

/** FNV-1a, 2 × 32 bits: tells one plan from another; not for secrets. */
export function digestOf(value: unknown): string {
  const text = canonicalJson(value)
  const hash = (seed: number): string => {
    let h = seed
    for (let i = 0; i < text.length; i++) h = Math.imul(h ^ text.charCodeAt(i), 0x01000193)
    return (h >>> 0).toString(16).padStart(8, '0')
  }
  return hash(0x811c9dc5) + hash(0x1b873593)
}

/** What a person agreed to: what is done, made and removed. Estimates and prices may move without asking again. */
export const planDigest = (plan: Plan): string =>
  digestOf({
    steps: plan.steps.map(({ id, after, command, undo }) => ({
      id,
      after,
      command,
      undo: undo ?? null,
    })),
    creates: plan.creates,
    alters: plan.alters,
    removes: plan.removes,
  })
