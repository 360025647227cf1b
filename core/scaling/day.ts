/**
 * A day ahead: the replica loop replayed over a load curve on a copy of the cluster. Every 15 s the load is compared with the
 * target, behaviour bounds the change, pods are placed as the scheduler would or wait, and are ready after their usual start.
 * Cost: 5,760 turns and a placement for each pod that is made.
 */
import type { ApiObject } from '../objects'
import { chooseFor, readWorld, type Room, startSeconds, workloadsOf, type Pod } from '../placement'
import {
  behave,
  defaultBehaviour,
  noHistory,
  type ScalingBehaviour,
  type ScalingHistory,
} from './behaviour'
import type { PoolOrder, ScalablePool } from './nodes'
import { replicasForLoad } from './replicas'

export interface DayPlan {
  readonly objects: readonly ApiObject[]
  /** `Deployment/namespace/name` */
  readonly workload: string
  readonly min: number
  readonly max: number
  /** Load that one replica is meant to carry. */
  readonly target: number
  readonly behaviour?: ScalingBehaviour
  /** Load by seconds from the start, in order; between points it is interpolated, after the last it stays. */
  readonly curve: readonly { readonly seconds: number; readonly load: number }[]
  /** Milliseconds on the clock at which the day begins. */
  readonly from: number
  /** Units an hour of one node, by its name. */
  readonly hourly: (node: string) => number
  /** Pools that scale by themselves, how one is chosen, and how long a new node takes to be ready (seconds). Without them nodes stay as they are. */
  readonly nodes?: {
    readonly pools: readonly ScalablePool[]
    readonly order: PoolOrder
    readonly startSeconds: number
  }
}

export interface DayPoint {
  readonly seconds: number
  readonly load: number
  readonly replicas: number
  readonly ready: number
  readonly pending: number
  readonly nodes: number
}

export interface DayAhead {
  /** One a minute. */
  readonly points: readonly DayPoint[]
  readonly mostReplicas: number
  readonly fewestReplicas: number
  readonly changes: number
  /** Sum over pods of the seconds for which they had no node. */
  readonly pendingPodSeconds: number
  /** Sum over pods of the seconds for which they were wanted. */
  readonly replicaSeconds: number
  readonly spend: number
}

const tick = 15
const daySeconds = 86_400

function loadOf(curve: DayPlan['curve'], seconds: number): number {
  let before = curve[0]
  if (!before) return 0
  for (const point of curve) {
    if (point.seconds >= seconds) {
      if (point.seconds === before.seconds) return point.load
      return (
        before.load +
        ((point.load - before.load) * (seconds - before.seconds)) / (point.seconds - before.seconds)
      )
    }
    before = point
  }
  return before.load
}

const isDaemon = (pod: Pod): boolean =>
  (pod.object.metadata.ownerReferences ?? []).some((owner) => owner.kind === 'DaemonSet')

const patienceSeconds = 600

/** The node loop of the day: nodes ordered for what waits, ready after their start, and given back when half empty for ten minutes. */
function nodeLoop(room: Room, given: DayPlan['nodes']) {
  const arriving: { readonly pool: ScalablePool; readonly at: number }[] = []
  const extra = new Map<number, ScalablePool>()
  const closed = new Set<number>()
  const halfSince = new Map<number, number>()
  let grownAt = -Infinity
  let made = 0
  const countOf = (pool: ScalablePool): number =>
    pool.count +
    arriving.filter((arrival) => arrival.pool === pool).length +
    [...extra].filter(([node, other]) => other === pool && !closed.has(node)).length
  /** How many of the pods an empty node of a pool would take, and the share of it left unused. */
  const trial = (
    pool: ScalablePool,
    pods: readonly Pod[],
  ): { readonly taken: number; readonly unused: number } => {
    if (room.isFull) return { taken: 0, unused: 1 }
    const node = room.addNode(pool.make(`${pool.name}-trial`), 'pool')
    const placed = pods.filter((pod) => {
      if (
        chooseFor(room, pod.shape, { without: (otherValue) => otherValue !== node }).node !== node
      )
        return false
      room.put(pod, node)
      return true
    })
    const share = (r: number): number =>
      1 - (room.used[r]?.[node] ?? 0) / Math.max(1, room.allocatable[r]?.[node] ?? 1)
    const unused = (share(0) + share(1)) / 2
    for (const pod of placed) room.take(pod, node)
    room.dropLastNode()
    return { taken: placed.length, unused }
  }
  return {
    isClosed: (node: number): boolean => closed.has(node),
    count: (): number => room.count - closed.size,
    /** Nodes that are ready now; what each costs an hour. */
    arrivals: (seconds: number): readonly number[] => {
      const now = arriving.filter((arrival) => arrival.at <= seconds)
      for (const entry of now) {
        arriving.splice(arriving.indexOf(entry), 1)
        extra.set(
          room.addNode(entry.pool.make(`${entry.pool.name}-day-${++made}`), 'pool'),
          entry.pool,
        )
      }
      return now.map((entry) => entry.pool.hourly)
    },
    grow: (seconds: number, waiting: readonly Pod[]): void => {
      if (!given || waiting.length === 0 || arriving.length > 0) return
      let left = waiting
      while (left.length > 0) {
        const open = given.pools
          .filter((pool) => countOf(pool) < pool.max)
          .map((pool) => ({ pool, ...trial(pool, left) }))
          .filter((entry) => entry.taken > 0)
        const best = open.reduce<(typeof open)[number] | null>(
          (chosen, entry) =>
            chosen === null ||
            (given.order === 'tightest' && entry.unused < chosen.unused) ||
            (given.order === 'cheapest' && entry.pool.hourly < chosen.pool.hourly)
              ? entry
              : chosen,
          null,
        )
        if (!best) return
        arriving.push({ pool: best.pool, at: seconds + given.startSeconds })
        grownAt = seconds
        left = left.slice(best.taken)
      }
    },
    /** Gives one node back if it is ripe and `move` finds its pods other places; what that saves an hour. */
    shrink: (seconds: number, move: (node: number) => boolean): number => {
      for (const node of extra.keys()) {
        const half =
          !closed.has(node) &&
          [0, 1].every((r) => (room.used[r]?.[node] ?? 0) * 2 < (room.allocatable[r]?.[node] ?? 0))
        if (!half) halfSince.delete(node)
        else if (!halfSince.has(node)) halfSince.set(node, seconds)
      }
      if (seconds - grownAt < patienceSeconds) return 0
      for (const [node, since] of halfSince) {
        const pool = extra.get(node)
        if (!pool || seconds - since < patienceSeconds || !move(node)) continue
        closed.add(node)
        halfSince.delete(node)
        return pool.hourly
      }
      return 0
    },
  }
}

export type DayRead =
  { readonly ok: true; readonly day: DayAhead } | { readonly ok: false; readonly says: string }

/** Replays a day of the replica loop. Bad objects are an error with the field. */
export function dayAhead(plan: DayPlan): DayRead {
  const read = readWorld(plan.objects)
  if (!read.ok) return { ok: false, says: `${read.path}: ${read.says}` }
  const { room, pods } = read.world
  const ownerOf = workloadsOf(plan.objects)
  const own = pods.filter(
    (pod) => !pod.isFinished && !pod.isLeaving && ownerOf(pod.object) === plan.workload,
  )
  const like = own[0]
  if (!like) return { ok: false, says: `There is no pod of ${plan.workload} to take as a pattern.` }
  const starts = Math.max(1, startSeconds(like))
  interface Living {
    readonly pod: Pod
    node: number
    readyAt: number
  }
  const living: Living[] = own.map((pod) => ({
    pod,
    node: room.nodeIndex(pod.object.spec?.nodeName ?? ''),
    readyAt: pod.object.spec?.nodeName ? 0 : Infinity,
  }))
  let replicas = living.length
  let history: ScalingHistory = noHistory
  let made = 0
  const points: DayPoint[] = []
  const sums = { pending: 0, replicas: 0, changes: 0, most: replicas, fewest: replicas }
  let spend = 0
  let perHour = room.names.reduce((sum, name) => sum + plan.hourly(name), 0)
  const fleet = nodeLoop(room, plan.nodes)
  // Ticks fall on multiples of 15 s of the clock, as the loop’s do.
  const offset = (tick - ((plan.from / 1000) % tick)) % tick
  for (let seconds = offset; seconds < daySeconds; seconds += tick) {
    const load = loadOf(plan.curve, seconds)
    const wished =
      replicas === 0
        ? 0
        : Math.min(plan.max, Math.max(plan.min, replicasForLoad(replicas, load, plan.target)))
    const next = behave(
      replicas,
      wished,
      plan,
      plan.behaviour ?? defaultBehaviour,
      history,
      seconds,
    )
    history = next.history
    if (next.replicas !== replicas) sums.changes++
    replicas = next.replicas
    while (living.length < replicas) {
      made++
      living.push({ pod: { ...like, key: `${like.key}+${made}` }, node: -1, readyAt: Infinity })
    }
    // Those without a node go first, then the newest.
    while (living.length > replicas) {
      const gone = living.findLastIndex((machine) => machine.node < 0)
      const [left] = living.splice(gone < 0 ? living.length - 1 : gone, 1)
      if (left && left.node >= 0) room.take(left.pod, left.node)
    }
    for (const added of fleet.arrivals(seconds)) perHour += added
    for (const machine of living) {
      if (machine.node >= 0) continue
      const choice = chooseFor(room, machine.pod.shape, { without: fleet.isClosed })
      if (choice.node < 0) break
      room.put(machine.pod, choice.node)
      machine.node = choice.node
      machine.readyAt = seconds + starts
    }
    const waiting = living.filter((machine) => machine.node < 0)
    fleet.grow(
      seconds,
      waiting.map((eachLiving) => eachLiving.pod),
    )
    perHour -= fleet.shrink(seconds, (from) => {
      const moved = living.filter((machine) => machine.node === from)
      if (
        room.podsOn[from]?.some(
          (pod) => !moved.some((candidate) => candidate.pod === pod) && !isDaemon(pod),
        )
      )
        return false
      const homes: number[] = []
      for (const entry of moved) {
        room.take(entry.pod, from)
        const home = chooseFor(room, entry.pod.shape, {
          without: (node) => node === from || fleet.isClosed(node),
        }).node
        homes.push(home)
        if (home >= 0) room.put(entry.pod, home)
      }
      if (homes.every((home) => home >= 0)) {
        moved.forEach((eachLiving, i) => {
          eachLiving.node = homes[i] ?? -1
          eachLiving.readyAt = seconds + starts
        })
        return true
      }
      moved.forEach((eachLiving, i) => {
        const home = homes[i] ?? -1
        if (home >= 0) room.take(eachLiving.pod, home)
        room.put(eachLiving.pod, from)
      })
      return false
    })
    const pending = waiting.length
    sums.pending += pending * tick
    sums.replicas += replicas * tick
    sums.most = Math.max(sums.most, replicas)
    sums.fewest = Math.min(sums.fewest, replicas)
    spend += (perHour * tick) / 3600
    if (seconds % 60 < tick)
      points.push({
        seconds,
        load,
        replicas,
        ready: living.filter((machine) => machine.readyAt <= seconds).length,
        pending,
        nodes: fleet.count(),
      })
  }
  return {
    ok: true,
    day: {
      points,
      mostReplicas: sums.most,
      fewestReplicas: sums.fewest,
      changes: sums.changes,
      pendingPodSeconds: sums.pending,
      replicaSeconds: sums.replicas,
      spend,
    },
  }
}
