/** How the machines of each pool get to a release: made anew, updated where they are, or new ones beside them; and how fast. */
import { z } from 'zod'
import type { ClusterView, FleetView, PoolView, SiteView } from '../../fleet'
import { objectsHeard } from '../../fleet'
import { type Drain, readWorld, turnOver } from '../../placement'

export const poolWay = z.strictObject({
  pool: z.string().max(253),
  /** Machines made anew from the base image, agents updated where they are, or all new machines before any old one goes. */
  how: z.enum(['anew', 'in-place', 'beside']),
  /** So many machines more than the pool has, at most. */
  surge: z.int().min(0).max(100).default(0),
  /** So many fewer ready than it has, at most. */
  unavailable: z.int().min(0).max(100).default(1),
  /** Whether budgets are waited for, or passed once the grace is over. */
  budgets: z.enum(['within', 'past']).default('within'),
  graceSeconds: z.int().min(10).max(86_400).default(300),
})
export type PoolWay = z.infer<typeof poolWay>

/** Whether agents can be updated where they are: machines of a cloud are made anew from its images. */
export const allowsInPlace = (site: SiteView): boolean => site.kind !== 'cloud'

/** Whether machines of a pool hold copies of volumes: made anew they would come back empty. */
export const holdsDisks = (cluster: ClusterView, pool: PoolView): boolean =>
  pool.nodes.some(({ name }) => cluster.storage?.disks.some(({ node }) => node === name))

const isOfBoxes = (pool: PoolView, site: SiteView | undefined): boolean =>
  pool.nodes.some(({ machine }) => site?.boxes.some(({ name }) => name === machine))

/** How a pool goes unless it is said otherwise: where its machines are boxes or hold copies of volumes, they stay. */
export function usualWay(
  cluster: ClusterView,
  pool: PoolView,
  site: SiteView | undefined,
): PoolWay {
  const stays =
    site !== undefined &&
    allowsInPlace(site) &&
    (isOfBoxes(pool, site) || holdsDisks(cluster, pool))
  return {
    pool: pool.name,
    how: stays ? 'in-place' : 'anew',
    surge: 0,
    unavailable: 1,
    budgets: 'within',
    graceSeconds: 300,
  }
}

export const wayOf = (
  ways: readonly PoolWay[],
  cluster: ClusterView,
  pool: PoolView,
  site: SiteView | undefined,
): PoolWay => ways.find((way) => way.pool === pool.name) ?? usualWay(cluster, pool, site)

/** Machines of a pool that come before any goes, and how many go at once. */
export function paceOf(way: PoolWay, nodes: number): { surge: number; wave: number } {
  if (way.how === 'beside') return { surge: nodes, wave: nodes }
  return { surge: way.surge, wave: Math.max(1, way.surge + way.unavailable) }
}

export interface Moves {
  readonly drain: Drain
  /** Pods that go only past their budgets; none where those are waited for. */
  readonly past: readonly { readonly pod: string; readonly says: string }[]
}

const kept = new WeakMap<object, Map<string, Moves | null>>()

/** What turning a pool over moves, tried on a copy of the cluster; null where its objects were not looked at. */
export function movesOf(
  view: FleetView,
  cluster: ClusterView,
  pool: PoolView,
  way: PoolWay,
): Moves | null {
  const objects = objectsHeard(view, cluster.name)
  if (!objects) return null
  const key = JSON.stringify(way)
  const before = kept.get(objects)?.get(key)
  if (before !== undefined) return before
  const names = pool.nodes.map(({ name }) => name)
  const { surge } = paceOf(way, names.length)
  const attempt = (isPast: boolean): Drain | null => {
    const read = readWorld(objects)
    if (!read.ok) return null
    const done = turnOver(read.world, names, {
      allowLocalData: true,
      surge,
      unavailable: way.how === 'beside' ? 0 : way.unavailable,
      ...(isPast ? { budgets: [] } : {}),
    })
    return done.ok ? done.drain : null
  }
  const within = attempt(false)
  const past = (within?.blocked ?? []).filter(({ code }) => code.startsWith('budget'))
  const drain = way.budgets === 'past' && past.length > 0 ? attempt(true) : within
  const moves = drain && { drain, past: way.budgets === 'past' ? past : [] }
  const all = kept.get(objects) ?? new Map<string, Moves | null>()
  kept.set(objects, all.set(key, moves))
  return moves
}

/** What emptying a node takes (s): to close it, for each pod, until the last is ready elsewhere. */
const emptying = { close: 7, pod: 5.5, ready: 13 }

const emptyingSeconds = (pods: number, past: number, way: PoolWay): number =>
  pods === 0
    ? emptying.close
    : Math.round(emptying.close + emptying.ready + pods * emptying.pod + past * way.graceSeconds)

/** Seconds that the machines beside a pool take to be emptied again at the end: of what stands on them then. */
export function besideSeconds(
  moves: Moves | null,
  nodes: ReadonlySet<string>,
  machines: number,
  way: PoolWay,
): number | null {
  if (!moves) return null
  const last = new Map(moves.drain.evictions.map(({ pod, to }) => [pod, to]))
  const pods = [...last].filter(([, to]) => to !== null && !nodes.has(to)).map(([pod]) => pod)
  const past = pods.filter((pod) => moves.past.some((each) => each.pod === pod)).length
  return Math.round(
    emptyingSeconds(Math.ceil(pods.length / machines), Math.ceil(past / machines), way),
  )
}

/** Seconds that a node takes to be emptied, with the grace for pods that go past their budgets. */
export function drainSeconds(moves: Moves | null, node: string, way: PoolWay): number | null {
  if (!moves) return null
  const own = moves.drain.evictions.filter(({ from }) => from === node)
  const past = own.filter(({ pod }) => moves.past.some((each) => each.pod === pod)).length
  return emptyingSeconds(own.length, past, way)
}
