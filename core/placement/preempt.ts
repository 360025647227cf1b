/**
 * Preemption: the node where the fewest and least important pods must go for a waiting one to fit. On each node all pods of
 * lower priority are taken away and given back one by one while the waiting one still fits, first those whose eviction would
 * break a budget, then the most important; what is left are the victims. Cost: pods of lower priority on the nodes considered.
 */
import { compareText } from '../units'
import { allowedBy, type Budget } from './budgets'
import { CORDONED, FITS, fitsOn, SELECTOR, TAINT, VOLUME } from './filters'
import type { Room } from './room'
import type { Pod } from './world'

export interface Preemption {
  readonly node: number
  readonly victims: readonly Pod[]
}

const earlier = (a: number, b: number): number => {
  if (a === b) return 0
  return a < b ? -1 : 1
}

const byImportance = (a: Pod, b: Pod): number =>
  b.priority - a.priority ||
  earlier(a.startedAt, b.startedAt) ||
  compareText(a.shape.namespace, b.shape.namespace) ||
  compareText(a.key, b.key)

/** Those whose eviction, in this order, would ask more of a budget than it allows. */
function breaking(pods: readonly Pod[], budgets: readonly Budget[]): ReadonlySet<Pod> {
  const left = new Map(budgets.map((budget) => [budget, allowedBy(budget)]))
  const results = new Set<Pod>()
  for (const pod of pods) {
    for (const budget of budgets) {
      if (!budget.covers(pod)) continue
      const now = (left.get(budget) ?? 0) - 1
      left.set(budget, now)
      if (now < 0) results.add(pod)
    }
  }
  return results
}

interface Candidate extends Preemption {
  /** Compared from the first on; smaller is better. */
  readonly cost: readonly number[]
}

function candidate(
  room: Room,
  pod: Pod,
  node: number,
  budgets: readonly Budget[],
): Candidate | null {
  const lower = (room.podsOn[node] ?? []).filter((otherPod) => otherPod.priority < pod.priority)
  if (lower.length === 0) return null
  lower.sort(byImportance)
  for (const otherPod of lower) room.take(otherPod, node)
  const victims: Pod[] = []
  const possible = fitsOn(room, pod.shape, node)
  if (possible) {
    const broken = breaking(lower, budgets)
    for (const otherPod of [
      ...lower.filter((entry) => broken.has(entry)),
      ...lower.filter((entry) => !broken.has(entry)),
    ]) {
      room.put(otherPod, node)
      if (fitsOn(room, pod.shape, node)) continue
      room.take(otherPod, node)
      victims.push(otherPod)
    }
    for (const victim of victims) room.put(victim, node)
  } else for (const otherPod of lower) room.put(otherPod, node)
  if (!possible || victims.length === 0) return null
  const broken = breaking(lower, budgets)
  const highest = Math.max(...victims.map((victim) => victim.priority))
  const earliest = Math.min(
    ...victims.filter((victim) => victim.priority === highest).map((victim) => victim.startedAt),
  )
  return {
    node,
    victims,
    cost: [
      victims.filter((victim) => broken.has(victim)).length,
      highest,
      victims.reduce((sum, victim) => sum + victim.priority, 0),
      victims.length,
      -earliest,
    ],
  }
}

function isBetter(room: Room, a: Candidate, b: Candidate): boolean {
  for (let i = 0; i < a.cost.length; i++) {
    const difference = (a.cost[i] ?? 0) - (b.cost[i] ?? 0)
    // Two that have not started are alike.
    if (difference !== 0 && !Number.isNaN(difference)) return difference < 0
  }
  return compareText(room.names[a.node] ?? '', room.names[b.node] ?? '') < 0
}

/** The best node for preemption and its victims; null if there is none, or if the pod’s policy is never to. `codes` says why each node was left out. */
export function findPreemption(
  room: Room,
  pod: Pod,
  codes: Uint8Array,
  budgets: readonly Budget[],
): Preemption | null {
  if (!pod.preempts) return null
  const reasons = codes.slice(0, room.count)
  let best: Candidate | null = null
  for (let node = 0; node < room.count; node++) {
    const code = reasons[node] ?? FITS
    if (code === CORDONED || code === TAINT || code === SELECTOR || code === VOLUME) continue
    const result = candidate(room, pod, node, budgets)
    if (result && (!best || isBetter(room, result, best))) best = result
  }
  return best
}
