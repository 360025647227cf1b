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

interface Trial {
  readonly pool: ScalablePool
  /** How many of the pods an empty node of the pool would take. */
  readonly taken: number
  /** The share of it left unused. */
  readonly unused: number
}

/** What an empty node of a pool would take of some pods. The room is left as it was. */
function trialOf(room: Room, pool: ScalablePool, pods: readonly Pod[]): Trial {
  if (room.isFull) return { pool, taken: 0, unused: 1 }
  const node = room.addNode(pool.make(`${pool.name}-trial`), 'pool')
  const placed = pods.filter((pod) => {
    const choice = chooseFor(room, pod.shape, { without: (candidate) => candidate !== node })
    if (choice.node !== node) return false
    room.put(pod, node)
    return true
  })
  const free = (resource: number): number =>
    1 - (room.used[resource]?.[node] ?? 0) / Math.max(1, room.allocatable[resource]?.[node] ?? 1)
  const unused = (free(0) + free(1)) / 2
  for (const pod of placed) room.take(pod, node)
  room.dropLastNode()
  return { pool, taken: placed.length, unused }
}

/** The trial that is best by the order given; of equals the first. */
const bestOf = (trials: readonly Trial[], order: PoolOrder): Trial | null =>
  trials.reduce<Trial | null>((best, trial) => {
    if (best === null) return trial
    const isBetter =
      (order === 'tightest' && trial.unused < best.unused) ||
      (order === 'cheapest' && trial.pool.hourly < best.pool.hourly)
    return isBetter ? trial : best
  }, null)

/** The node loop of the day: nodes ordered for what waits, ready after their start, and given back when half empty for ten minutes. */
class NodeLoop {
  private readonly arriving: { readonly pool: ScalablePool; readonly at: number }[] = []
  private readonly extra = new Map<number, ScalablePool>()
  private readonly closed = new Set<number>()
  private readonly halfSince = new Map<number, number>()
  private grownAt = -Infinity
  private made = 0

  constructor(
    private readonly room: Room,
    private readonly given: DayPlan['nodes'],
  ) {}

  readonly isClosed = (node: number): boolean => this.closed.has(node)

  get count(): number {
    return this.room.count - this.closed.size
  }

  /** Nodes that are ready now; what each costs an hour. */
  arrivals(seconds: number): readonly number[] {
    const now = this.arriving.filter((arrival) => arrival.at <= seconds)
    for (const entry of now) {
      this.arriving.splice(this.arriving.indexOf(entry), 1)
      const node = entry.pool.make(`${entry.pool.name}-day-${++this.made}`)
      this.extra.set(this.room.addNode(node, 'pool'), entry.pool)
    }
    return now.map((entry) => entry.pool.hourly)
  }

  /** Orders as many nodes as what waits asks for. None while others are on their way. */
  grow(seconds: number, waiting: readonly Pod[]): void {
    if (!this.given || this.arriving.length > 0) return
    const { pools, order, startSeconds } = this.given
    let left = waiting
    while (left.length > 0) {
      const trials = pools
        .filter((pool) => this.countOf(pool) < pool.max)
        .map((pool) => trialOf(this.room, pool, left))
        .filter((trial) => trial.taken > 0)
      const best = bestOf(trials, order)
      if (!best) return
      this.arriving.push({ pool: best.pool, at: seconds + startSeconds })
      this.grownAt = seconds
      left = left.slice(best.taken)
    }
  }

  /** Gives one node back if it is ripe and `move` finds its pods other places; what that saves an hour. */
  shrink(seconds: number, move: (node: number) => boolean): number {
    for (const node of this.extra.keys()) {
      if (this.closed.has(node) || !this.isHalfEmpty(node)) this.halfSince.delete(node)
      else if (!this.halfSince.has(node)) this.halfSince.set(node, seconds)
    }
    if (seconds - this.grownAt < patienceSeconds) return 0
    for (const [node, since] of this.halfSince) {
      const pool = this.extra.get(node)
      if (!pool || seconds - since < patienceSeconds || !move(node)) continue
      this.closed.add(node)
      this.halfSince.delete(node)
      return pool.hourly
    }
    return 0
  }

  private countOf(pool: ScalablePool): number {
    const coming = this.arriving.filter((arrival) => arrival.pool === pool)
    const there = [...this.extra].filter(([node, own]) => own === pool && !this.closed.has(node))
    return pool.count + coming.length + there.length
  }

  private isHalfEmpty(node: number): boolean {
    const { used, allocatable } = this.room
    return [0, 1].every(
      (resource) => (used[resource]?.[node] ?? 0) * 2 < (allocatable[resource]?.[node] ?? 0),
    )
  }
}

export type DayRead =
  { readonly ok: true; readonly day: DayAhead } | { readonly ok: false; readonly says: string }

/** A replica of the day: where it is, −1 while it waits, and from when it is ready. */
interface Replica {
  readonly pod: Pod
  node: number
  readyAt: number
}

/** The replicas of one workload in their room. */
class Replicas {
  private made = 0

  constructor(
    private readonly room: Room,
    private readonly like: Pod,
    readonly list: Replica[],
    /** Seconds from a place to ready. */
    private readonly starts: number,
  ) {}

  get waiting(): readonly Pod[] {
    return this.list.filter(({ node }) => node < 0).map(({ pod }) => pod)
  }

  /** Makes new ones, or lets some go: those without a node first, then the newest. */
  scaleTo(count: number): void {
    while (this.list.length < count) {
      const key = `${this.like.key}+${++this.made}`
      this.list.push({ pod: { ...this.like, key }, node: -1, readyAt: Infinity })
    }
    while (this.list.length > count) {
      const unplaced = this.list.findLastIndex(({ node }) => node < 0)
      const [gone] = this.list.splice(unplaced < 0 ? this.list.length - 1 : unplaced, 1)
      if (gone && gone.node >= 0) this.room.take(gone.pod, gone.node)
    }
  }

  /** Gives places to those that wait, until the first that finds none. */
  place(seconds: number, isClosed: (node: number) => boolean): void {
    for (const replica of this.list) {
      if (replica.node >= 0) continue
      const { node } = chooseFor(this.room, replica.pod.shape, { without: isClosed })
      if (node < 0) return
      this.room.put(replica.pod, node)
      replica.node = node
      replica.readyAt = seconds + this.starts
    }
  }

  /** Moves all that is on a node elsewhere, or nothing where one finds no place or another’s pod is on it. */
  move(from: number, seconds: number, isClosed: (node: number) => boolean): boolean {
    const { room } = this
    const moved = this.list.filter(({ node }) => node === from)
    const isOthers = (pod: Pod): boolean =>
      !moved.some((replica) => replica.pod === pod) && !isDaemon(pod)
    if (room.podsOn[from]?.some(isOthers)) return false
    const homes = moved.map(({ pod }) => {
      room.take(pod, from)
      const home = chooseFor(room, pod.shape, {
        without: (node) => node === from || isClosed(node),
      }).node
      if (home >= 0) room.put(pod, home)
      return home
    })
    const isMoved = homes.every((home) => home >= 0)
    for (const [i, replica] of moved.entries()) {
      const home = homes[i] ?? -1
      if (isMoved) {
        replica.node = home
        replica.readyAt = seconds + this.starts
        continue
      }
      if (home >= 0) room.take(replica.pod, home)
      room.put(replica.pod, from)
    }
    return isMoved
  }
}

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
  const begin = own.map((pod) => ({
    pod,
    node: room.nodeIndex(pod.object.spec?.nodeName ?? ''),
    readyAt: pod.object.spec?.nodeName ? 0 : Infinity,
  }))
  const living = new Replicas(room, like, begin, Math.max(1, startSeconds(like)))
  return { ok: true, day: replay(plan, room, living) }
}

/** Ticks fall on multiples of 15 s of the clock, as the loop’s do. */
function replay(plan: DayPlan, room: Room, living: Replicas): DayAhead {
  let replicas = living.list.length
  let history: ScalingHistory = noHistory
  let perHour = room.names.reduce((sum, name) => sum + plan.hourly(name), 0)
  const points: DayPoint[] = []
  const day = {
    mostReplicas: replicas,
    fewestReplicas: replicas,
    changes: 0,
    pendingPodSeconds: 0,
    replicaSeconds: 0,
    spend: 0,
  }
  const nodes = new NodeLoop(room, plan.nodes)
  const behaviour = plan.behaviour ?? defaultBehaviour
  const offset = (tick - ((plan.from / 1000) % tick)) % tick
  for (let seconds = offset; seconds < daySeconds; seconds += tick) {
    const load = loadOf(plan.curve, seconds)
    const forLoad = replicasForLoad(replicas, load, plan.target)
    const wanted = replicas === 0 ? 0 : Math.min(plan.max, Math.max(plan.min, forLoad))
    const next = behave(replicas, wanted, plan, behaviour, history, seconds)
    history = next.history
    if (next.replicas !== replicas) day.changes++
    replicas = next.replicas
    living.scaleTo(replicas)
    for (const added of nodes.arrivals(seconds)) perHour += added
    living.place(seconds, nodes.isClosed)
    const { waiting } = living
    nodes.grow(seconds, waiting)
    perHour -= nodes.shrink(seconds, (node) => living.move(node, seconds, nodes.isClosed))
    day.pendingPodSeconds += waiting.length * tick
    day.replicaSeconds += replicas * tick
    day.mostReplicas = Math.max(day.mostReplicas, replicas)
    day.fewestReplicas = Math.min(day.fewestReplicas, replicas)
    day.spend += (perHour * tick) / 3600
    if (seconds % 60 < tick)
      points.push({
        seconds,
        load,
        replicas,
        ready: living.list.filter(({ readyAt }) => readyAt <= seconds).length,
        pending: waiting.length,
        nodes: nodes.count,
      })
  }
  return { points, ...day }
}
