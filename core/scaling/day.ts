/**
 * A day ahead: the replica loop replayed over a load curve on a copy of the cluster. Every 15 s the load is compared with the
 * target, behaviour bounds the change, pods are placed as the scheduler would or wait, and are ready after their usual start.
 * Cost: 5,760 turns and a placement for each pod that is made.
 */
import type { ApiObject } from '../objects'
import { chooseFor, readWorld, startSeconds, workloadsOf, type BoardObject, type Pod } from '../placement'
import { behave, defaultBehaviour, noHistory, type ScalingBehaviour, type ScalingHistory } from './behaviour'
import { replicasFor } from './replicas'

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
      return before.load + ((point.load - before.load) * (seconds - before.seconds)) / (point.seconds - before.seconds)
    }
    before = point
  }
  return before.load
}

export type DayRead = { readonly ok: true; readonly day: DayAhead } | { readonly ok: false; readonly says: string }

/** Replays a day of the replica loop. Bad objects are an error with the field. */
export function dayAhead(plan: DayPlan): DayRead {
  const read = readWorld(plan.objects)
  if (!read.ok) return { ok: false, says: `${read.path}: ${read.says}` }
  const { room, pods } = read.world
  const ownerOf = workloadsOf(plan.objects as unknown as readonly BoardObject[])
  const mine = pods.filter((pod) => !pod.isFinished && !pod.isLeaving && ownerOf(pod.object) === plan.workload)
  const like = mine[0]
  if (!like) return { ok: false, says: `There is no pod of ${plan.workload} to take as a pattern.` }
  const starts = Math.max(1, startSeconds(like))
  interface Living {
    readonly pod: Pod
    node: number
    readyAt: number
  }
  const living: Living[] = mine.map((pod) => ({ pod, node: room.nodeIndex(pod.object.spec?.nodeName ?? ''), readyAt: pod.object.spec?.nodeName ? 0 : Infinity }))
  let replicas = living.length
  let history: ScalingHistory = noHistory
  let made = 0
  const points: DayPoint[] = []
  const sums = { pending: 0, replicas: 0, changes: 0, most: replicas, fewest: replicas }
  let spend = 0
  const perHour = room.names.reduce((sum, name) => sum + plan.hourly(name), 0)
  // Ticks fall on multiples of 15 s of the clock, as the loop’s do.
  const offset = (tick - ((plan.from / 1000) % tick)) % tick
  for (let seconds = offset; seconds < daySeconds; seconds += tick) {
    const load = loadOf(plan.curve, seconds)
    const wished = replicas === 0 ? 0 : Math.min(plan.max, Math.max(plan.min, replicasFor(replicas, load / replicas, plan.target)))
    const next = behave(replicas, wished, plan, plan.behaviour ?? defaultBehaviour, history, seconds)
    history = next.history
    if (next.replicas !== replicas) sums.changes++
    replicas = next.replicas
    while (living.length < replicas) {
      made++
      living.push({ pod: { ...like, key: `${like.key}+${made}` }, node: -1, readyAt: Infinity })
    }
    // Those without a node go first, then the newest.
    while (living.length > replicas) {
      const gone = living.findLastIndex((one) => one.node < 0)
      const [left] = living.splice(gone < 0 ? living.length - 1 : gone, 1)
      if (left && left.node >= 0) room.take(left.pod, left.node)
    }
    for (const one of living) {
      if (one.node >= 0) continue
      const choice = chooseFor(room, one.pod.shape)
      if (choice.node < 0) break
      room.put(one.pod, choice.node)
      one.node = choice.node
      one.readyAt = seconds + starts
    }
    const pending = living.filter((one) => one.node < 0).length
    sums.pending += pending * tick
    sums.replicas += replicas * tick
    sums.most = Math.max(sums.most, replicas)
    sums.fewest = Math.min(sums.fewest, replicas)
    spend += (perHour * tick) / 3600
    if (seconds % 60 < tick) points.push({ seconds, load, replicas, ready: living.filter((one) => one.readyAt <= seconds).length, pending, nodes: room.count })
  }
  return { ok: true, day: { points, mostReplicas: sums.most, fewestReplicas: sums.fewest, changes: sums.changes, pendingPodSeconds: sums.pending, replicaSeconds: sums.replicas, spend } }
}
