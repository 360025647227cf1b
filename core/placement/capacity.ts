/** Capacity of a cluster: what is asked for against what nodes give, headroom in units of its largest workload, and what each lost zone leaves homeless. */
import type { ApiObject, PodObject } from '../objects'
import { amountOf } from '../objects'
import { countText } from '../units'
import { boardOf } from './board'
import { workloadsOf } from './what-if'
import { chooseFor } from './choose'
import { readWorld, type Pod } from './world'

export interface Capacity {
  readonly cpuMilli: number
  readonly memoryBytes: number
  readonly podLimit: number
  readonly cpuRequested: number
  readonly memoryRequested: number
  /** Sum of the limits that containers name. */
  readonly cpuLimits: number
  readonly memoryLimits: number
  readonly pods: number
  readonly waiting: number
  /** How many more pods of the largest workload fit, one after another; null without any. */
  readonly headroom: { readonly workload: string; readonly fits: number } | null
  readonly losses: readonly {
    readonly zone: string
    readonly moved: number
    readonly homeless: number
  }[]
}

const mostHeadroom = 200
const zoneLabel = 'topology.kubernetes.io/zone'

const cache = new WeakMap<readonly ApiObject[], Capacity | null>()

/** Null where the objects are not as the API has them. Computed once for a list. */
export function capacityOf(objects: readonly ApiObject[]): Capacity | null {
  const seen = cache.get(objects)
  if (seen !== undefined) return seen
  const capacity = compute(objects)
  cache.set(objects, capacity)
  return capacity
}

function compute(objects: readonly ApiObject[]): Capacity | null {
  const read = readWorld(objects)
  if (!read.ok) return null
  const { room, pods, waiting } = read.world
  const sum = (array: Float64Array | undefined): number => {
    let total = 0
    for (let i = 0; i < room.count; i++)
      total += Number.isFinite(array?.[i]) ? (array?.[i] ?? 0) : 0
    return total
  }
  const existingPods = pods.filter((pod) => !pod.isFinished && pod.object.spec?.nodeName)
  const limit = (pod: Pod, resource: string): number =>
    (pod.object.spec?.containers ?? []).reduce(
      (total, container) =>
        total +
        (container.resources?.limits?.[resource] === undefined
          ? 0
          : amountOf(resource, container.resources.limits[resource] ?? 0, '')),
      0,
    )
  const zones = [
    ...new Set(
      room.nodes
        .map((node) => node.metadata.labels?.[zoneLabel])
        .filter((zone): zone is string => zone !== undefined),
    ),
  ].sort()
  const board = boardOf(objects, [], false)
  const before = board.ok
    ? board.board.waiting.reduce((total, eachWaiting) => total + eachWaiting.count, 0)
    : 0
  const facts = {
    cpuMilli: sum(room.allocatable[0]),
    memoryBytes: sum(room.allocatable[1]),
    podLimit: sum(room.podLimit),
    cpuRequested: sum(room.used[0]),
    memoryRequested: sum(room.used[1]),
    cpuLimits: existingPods.reduce((total, pod) => total + limit(pod, 'cpu'), 0),
    memoryLimits: existingPods.reduce((total, pod) => total + limit(pod, 'memory'), 0),
    pods: sum(room.podCount),
    waiting: waiting.length,
    losses: zones.map((zone) => {
      const lost = boardOf(objects, [{ kind: 'loss', label: zoneLabel, value: zone }], false)
      const homeless = lost.ok
        ? lost.board.waiting.reduce((total, eachWaiting) => total + eachWaiting.count, 0) - before
        : 0
      return {
        zone,
        moved: lost.ok ? lost.board.moves.length + homeless : 0,
        homeless: Math.max(0, homeless),
      }
    }),
  }
  // The largest by its share of all cpu and memory; daemons and what cannot be scaled are no measure.
  const ownerOf = workloadsOf(objects)
  const size = (pod: Pod): number =>
    pod.shape.cpuMilli / Math.max(1, facts.cpuMilli) +
    pod.shape.memoryBytes / Math.max(1, facts.memoryBytes)
  const largest = existingPods
    .filter((pod) => /^(Deployment|StatefulSet)\//.test(ownerOf(pod.object as PodObject)))
    .reduce<Pod | null>((best, pod) => (best === null || size(pod) > size(best) ? pod : best), null)
  let fits = 0
  if (largest) {
    for (; fits < mostHeadroom; fits++) {
      const choice = chooseFor(room, largest.shape)
      if (choice.node < 0) break
      room.put({ ...largest, key: `${largest.key}+${fits}` }, choice.node)
    }
  }
  return { ...facts, headroom: largest ? { workload: ownerOf(largest.object), fits } : null }
}

/** The worst that the loss of a zone would leave, in words. */
export function lossText({ losses }: Pick<Capacity, 'losses'>): string {
  if (losses.length < 2) return 'has one zone'
  const [worst] = losses
    .filter(({ homeless }) => homeless > 0)
    .sort((a, b) => b.homeless - a.homeless)
  return worst
    ? `${countText(worst.homeless, 'pod has', 'pods have')} no place without ${worst.zone}`
    : 'all pods find room'
}

export interface SmallerPool {
  readonly pool: string
  readonly from: number
  readonly to: number
  /** The nodes that could go, in the order in which they were tried. */
  readonly nodes: readonly string[]
}

/** The smallest pools that still hold what runs: nodes taken away one after another, the emptiest first, as long as every pod finds another place within its budgets. */
export function smallestPools(objects: readonly ApiObject[]): readonly SmallerPool[] {
  const now = boardOf(objects, [], false)
  if (!now.ok) return []
  const waitingNow = now.board.waiting.reduce((sum, waiting) => sum + waiting.count, 0)
  const gone: string[] = []
  for (const node of [...now.board.nodes].sort(
    (a, b) => a.cpuUsed / Math.max(1, a.cpuMilli) - b.cpuUsed / Math.max(1, b.cpuMilli),
  )) {
    if (node.pool === '' || node.pool === 'control-plane') continue
    const without = boardOf(
      objects,
      [...gone, node.name].map((name) => ({ kind: 'drain' as const, node: name })),
      false,
    )
    if (
      without.ok &&
      without.board.blocked.length === 0 &&
      without.board.waiting.reduce((sum, waiting) => sum + waiting.count, 0) <= waitingNow
    )
      gone.push(node.name)
  }
  const pools = [...new Set(now.board.nodes.map((node) => node.pool))]
  return pools.flatMap((pool) => {
    const boardNodes = now.board.nodes.filter((node) => node.pool === pool)
    const nodes = gone.filter((name) => boardNodes.some((node) => node.name === name))
    return nodes.length === 0
      ? []
      : [{ pool, from: boardNodes.length, to: boardNodes.length - nodes.length, nodes }]
  })
}
