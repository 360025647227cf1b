/**
 * Replicas that follow load. The load of a workload is a curve over the day; every 15 s its autoscaler compares it with the
 * target. Between changes nothing happens that is worth an event: the next time at which replicas change is looked for ahead
 * and queued, and looked for anew whenever something about the workload has changed.
 */
import type { Sim } from '../engine/simulator'
import type { Cluster, Manifest, Workload } from '../world'
import { list, manifestOf, record as fields, text } from './manifests'
import { fillWorkload, loads, record } from './pods'

const tickMs = 15_000
const dayMs = 86_400_000
const downWindowMs = 300_000

/** Requests a second at a time, between the points of the curve; the day begins at midnight UTC. */
export function loadAt(points: readonly (readonly [number, number])[], at: number): number {
  const minute = (((at % dayMs) + dayMs) % dayMs) / 60_000
  let before = points[points.length - 1] ?? [0, 0]
  before = [before[0] - 1440, before[1]]
  for (const point of points) {
    if (point[0] >= minute) return point[0] === before[0] ? point[1] : before[1] + ((point[1] - before[1]) * (minute - before[0])) / (point[0] - before[0])
    before = point
  }
  const first = points[0] ?? [0, 0]
  return before[1] + ((first[1] - before[1]) * (minute - before[0])) / (first[0] + 1440 - before[0])
}

interface Scaler {
  readonly workload: Workload
  readonly points: readonly (readonly [number, number])[]
  readonly min: number
  readonly max: number
  readonly target: number
}

const amount = (given: unknown): number => (typeof given === 'number' ? given : Number(text(given)))

function scalerOf(cluster: Cluster, object: Manifest): Scaler | null {
  const spec = fields(object['spec'])
  const workload = cluster.workloads.find((one) => one.namespace === object.metadata.namespace && one.name === fields(spec['scaleTargetRef'])['name'] && one.kind === 'Deployment')
  const points = workload && cluster.load?.[`${workload.namespace}/${workload.name}`]
  const metric = fields(list(spec['metrics'])[0])
  const target = amount(fields(fields(metric['pods'])['target'])['averageValue'])
  if (!workload || !points || !(target > 0)) return null
  return { workload, points, min: amount(spec['minReplicas'] ?? 1), max: amount(spec['maxReplicas']), target }
}

/** What the load asks for with so many replicas, within bounds; a tenth off the target is left alone. */
function wish(scaler: Scaler, replicas: number, at: number): number {
  const load = loadAt(scaler.points, at)
  if (Math.abs(load / replicas - scaler.target) * 10 <= scaler.target) return replicas
  return Math.min(scaler.max, Math.max(scaler.min, Math.ceil(load / scaler.target)))
}

/** Where replicas go at a tick: up at once by the larger of all again and four, down to the most asked for within five minutes. */
function replicasAt(scaler: Scaler, replicas: number, since: number, at: number): number {
  const now = wish(scaler, replicas, at)
  if (now > replicas) return Math.min(now, Math.max(replicas * 2, replicas + 4))
  if (now === replicas) return replicas
  let most = now
  for (let tick = at - tickMs; tick > at - downWindowMs; tick -= tickMs) most = Math.max(most, tick < since ? replicas : wish(scaler, replicas, tick))
  return Math.min(replicas, most)
}

const eventKey = (object: Manifest): string => `${object.metadata.namespace ?? ''}/${object.metadata.name}`

const autoscalers = (cluster: Cluster): readonly Manifest[] => (cluster.objects ?? []).filter((object) => object.kind === 'HorizontalPodAutoscaler')

/** Looks ahead for the next change of each autoscaler and queues it. */
export function queueAutoscalers(sim: Sim, cluster: Cluster): void {
  for (const object of autoscalers(cluster)) {
    const scaler = scalerOf(cluster, object)
    const key = eventKey(object)
    if (!scaler || scaler.workload.replicas === 0 || cluster.resting) continue
    const since = cluster.scaledAt?.[key] ?? 0
    const first = Math.floor(sim.now / tickMs) * tickMs + tickMs
    for (let at = first; at <= first + dayMs; at += tickMs) {
      if (replicasAt(scaler, scaler.workload.replicas, since, at) === scaler.workload.replicas) continue
      if (cluster.scaleNext?.[key] !== at) {
        cluster.scaleNext = { ...cluster.scaleNext, [key]: at }
        sim.schedule(at - sim.now, { kind: 'scale', cluster: cluster.name, autoscaler: key })
      }
      break
    }
  }
}

/** The time has come at which an autoscaler changes replicas. An event that was overtaken does nothing. */
export function scaleDue(sim: Sim, clusterName: string, key: string): void {
  const cluster = sim.cluster(clusterName)
  const object = cluster && autoscalers(cluster).find((one) => eventKey(one) === key)
  if (!cluster || !object || cluster.scaleNext?.[key] !== sim.now) return
  const scaler = scalerOf(cluster, object)
  if (scaler && !cluster.resting && scaler.workload.replicas > 0) {
    const { workload } = scaler
    const replicas = replicasAt(scaler, workload.replicas, cluster.scaledAt?.[key] ?? 0, sim.now)
    if (replicas !== workload.replicas) {
      const manifest = manifestOf(workload)
      const scaled: Workload = { ...workload, replicas, manifest: { ...manifest, spec: { ...fields(manifest['spec']), replicas } } }
      cluster.workloads = cluster.workloads.map((one) => (one === workload ? scaled : one))
      cluster.scaledAt = { ...cluster.scaledAt, [key]: sim.now }
      record(sim, cluster, 'Normal', 'SuccessfulRescale', `horizontalpodautoscaler/${key}`, `${workload.replicas} to ${replicas} replicas, ${loadAt(scaler.points, sim.now).toFixed(0)} requests a second`)
      fillWorkload(sim, cluster, scaled, loads(cluster))
    }
  }
  queueAutoscalers(sim, cluster)
}
