/**
 * Replicas that follow load. The load of a workload is a curve over the day; every 15 s its autoscaler compares it with the
 * target. Between changes nothing happens that is worth an event: the next time at which replicas change is looked for ahead
 * and queued, and looked for anew whenever something about the workload has changed.
 */
import { asText, inVersion } from '../../core/objects'
import { countText, parseAmount, parseCpuMilli } from '../../core/units'
import { uniform } from '../engine/random'
import type { Sim } from '../engine/sim'
import type { Cluster, Manifest, Workload } from '../world'
import { list, manifestOf, record as fields, text } from './manifests'
import { fillWorkload } from './controllers'
import { record } from './pod-events'
import { loads } from './placing'

const tickMs = 15_000
const dayMs = 86_400_000
const downWindowMs = 300_000

/** Requests a second at a time, between the points of the curve; the day begins at midnight UTC. */
export function loadAt(points: readonly (readonly [number, number])[], at: number): number {
  const minute = (((at % dayMs) + dayMs) % dayMs) / 60_000
  let before = points[points.length - 1] ?? [0, 0]
  before = [before[0] - 1440, before[1]]
  for (const point of points) {
    if (point[0] >= minute)
      return point[0] === before[0]
        ? point[1]
        : before[1] + ((point[1] - before[1]) * (minute - before[0])) / (point[0] - before[0])
    before = point
  }
  const first = points[0] ?? [0, 0]
  return before[1] + ((first[1] - before[1]) * (minute - before[0])) / (first[0] + 1440 - before[0])
}

/** Thousandths of a core that a replica uses for one request a second. */
export function cpuPerRequest(
  sim: Pick<Sim, 'world'>,
  cluster: Cluster,
  workload: Workload,
): number {
  const level =
    0.2 +
    0.6 * uniform(sim.world.seed, `${cluster.name}/${workload.namespace}/${workload.name}/cpu`)
  return (workload.cpuMilli * level) / 200
}

interface Rules {
  readonly windowMs: number
  readonly select: string
  readonly policies: readonly {
    readonly percent: boolean
    readonly value: number
    readonly periodMs: number
  }[]
}

interface Scaler {
  readonly workload: Workload
  readonly points: readonly (readonly [number, number])[]
  readonly min: number
  readonly max: number
  /** For each metric: requests a second of one replica at which it is on target. */
  readonly targets: readonly number[]
  readonly up: Rules
  readonly down: Rules
}

const amount = (given: unknown): number => (typeof given === 'number' ? given : Number(text(given)))

function rulesOf(given: unknown, usual: Rules): Rules {
  const rules = fields(given)
  const policies = list(rules['policies'])
    .map(fields)
    .map((entry) => ({
      percent: entry['type'] === 'Percent',
      value: amount(entry['value']),
      periodMs: 1000 * amount(entry['periodSeconds']),
    }))
  return {
    windowMs:
      rules['stabilizationWindowSeconds'] === undefined
        ? usual.windowMs
        : 1000 * amount(rules['stabilizationWindowSeconds']),
    select: text(rules['selectPolicy']) || usual.select,
    policies: policies.length > 0 ? policies : usual.policies,
  }
}

const usualUp: Rules = {
  windowMs: 0,
  select: 'Max',
  policies: [
    { percent: true, value: 100, periodMs: tickMs },
    { percent: false, value: 4, periodMs: tickMs },
  ],
}

const usualDown: Rules = {
  windowMs: downWindowMs,
  select: 'Max',
  policies: [{ percent: true, value: 100, periodMs: tickMs }],
}

/** The load of one replica at which a metric is on target; null for one that nobody measures. */
function onTarget(sim: Sim, cluster: Cluster, workload: Workload, given: unknown): number | null {
  const metric = fields(given)
  if (metric['type'] === 'Pods') {
    const target = fields(fields(metric['pods'])['target'])['averageValue']
    const parsed = parseAmount(asText(target ?? ''))
    return parsed.ok && parsed.value > 0 ? parsed.value : null
  }
  const resource = fields(metric['resource'])
  if (metric['type'] !== 'Resource' || resource['name'] !== 'cpu') return null
  const target = fields(resource['target'])
  // CPU is used in proportion to the load of a replica.
  const milli = cpuPerRequest(sim, cluster, workload)
  const wanted =
    target['averageUtilization'] === undefined
      ? milliOf(target['averageValue'])
      : (amount(target['averageUtilization']) / 100) * workload.cpuMilli
  return wanted > 0 && milli > 0 ? wanted / milli : null
}

function milliOf(given: unknown): number {
  const parsed = parseCpuMilli(asText(given ?? ''))
  return parsed.ok ? parsed.value : 0
}

function scalerOf(sim: Sim, cluster: Cluster, object: Manifest): Scaler | null {
  const spec = fields(inVersion(object, 'autoscaling/v2')['spec'])
  const target = fields(spec['scaleTargetRef'])
  const workload = cluster.workloads.find(
    (workload) =>
      workload.namespace === object.metadata.namespace &&
      workload.name === target['name'] &&
      (workload.kind === 'Deployment' || workload.kind === 'StatefulSet'),
  )
  const points = workload && cluster.load?.[`${workload.namespace}/${workload.name}`]
  if (!workload || !points) return null
  const targets = list(spec['metrics']).flatMap(
    (metric) => onTarget(sim, cluster, workload, metric) ?? [],
  )
  if (targets.length === 0) return null
  const behaviour = fields(spec['behavior'])
  return {
    workload,
    points,
    min: amount(spec['minReplicas'] ?? 1),
    max: amount(spec['maxReplicas']),
    targets,
    up: rulesOf(behaviour['scaleUp'], usualUp),
    down: rulesOf(behaviour['scaleDown'], usualDown),
  }
}

/** What the load asks for with so many replicas, within bounds: the most of all metrics; a tenth off the target is left alone. */
function wish(scaler: Scaler, replicas: number, at: number): number {
  const load = loadAt(scaler.points, at)
  const wanted = Math.max(
    ...scaler.targets.map((target) =>
      Math.abs(load / replicas - target) * 10 <= target ? replicas : Math.ceil(load / target),
    ),
  )
  return Math.min(scaler.max, Math.max(scaler.min, wanted))
}

type Changes = readonly { readonly at: number; readonly by: number }[]

/** How far one turn may go, by the policies and what their periods have seen already. */
function within(
  rules: Rules,
  replicas: number,
  changes: Changes,
  at: number,
  sign: 1 | -1,
): number {
  if (rules.select === 'Disabled') return replicas
  const ends = rules.policies.map((policy) => {
    const done = changes
      .filter((change) => change.at > at - policy.periodMs && Math.sign(change.by) === sign)
      .reduce((sum, change) => sum + change.by, 0)
    const began = replicas - done
    if (!policy.percent) return began + sign * policy.value
    return sign > 0
      ? Math.ceil(began * (1 + policy.value / 100))
      : Math.floor(began * (1 - policy.value / 100))
  })
  const far = sign > 0 ? Math.max(...ends) : Math.min(...ends)
  const near = sign > 0 ? Math.min(...ends) : Math.max(...ends)
  return rules.select === 'Min' ? near : far
}

/** Where replicas go at a tick: what is asked for steadily enough, as fast as the rules allow. */
function replicasAt(
  scaler: Scaler,
  replicas: number,
  since: number,
  changes: Changes,
  at: number,
): number {
  const request = (windowMs: number, pick: (...all: number[]) => number): number => {
    let count = wish(scaler, replicas, at)
    for (let tick = at - tickMs; tick > at - windowMs; tick -= tickMs)
      count = pick(count, tick < since ? replicas : wish(scaler, replicas, tick))
    return count
  }
  const now = wish(scaler, replicas, at)
  if (now === replicas) return replicas
  if (now > replicas) {
    const steady = request(scaler.up.windowMs, Math.min)
    return steady > replicas
      ? Math.max(replicas, Math.min(steady, within(scaler.up, replicas, changes, at, 1)))
      : replicas
  }
  const steady = request(scaler.down.windowMs, Math.max)
  return steady < replicas
    ? Math.min(replicas, Math.max(steady, within(scaler.down, replicas, changes, at, -1)))
    : replicas
}

const eventKey = (object: Manifest): string =>
  `${object.metadata.namespace ?? ''}/${object.metadata.name}`

const autoscalers = (cluster: Cluster): readonly Manifest[] =>
  (cluster.objects ?? []).filter((object) => object.kind === 'HorizontalPodAutoscaler')

/** Looks ahead for the next change of each autoscaler and queues it. */
export function queueAutoscalers(sim: Sim, cluster: Cluster): void {
  for (const object of autoscalers(cluster)) {
    const scaler = scalerOf(sim, cluster, object)
    const key = eventKey(object)
    if (!scaler || scaler.workload.replicas === 0 || cluster.resting) continue
    const since = cluster.scaledAt?.[key] ?? 0
    const changes = cluster.scaleChanges?.[key] ?? []
    const first = Math.floor(sim.now / tickMs) * tickMs + tickMs
    for (let at = first; at <= first + dayMs; at += tickMs) {
      if (
        replicasAt(scaler, scaler.workload.replicas, since, changes, at) ===
        scaler.workload.replicas
      )
        continue
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
  const object = cluster && autoscalers(cluster).find((autoscaler) => eventKey(autoscaler) === key)
  if (!cluster || !object || cluster.scaleNext?.[key] !== sim.now) return
  const scaler = scalerOf(sim, cluster, object)
  if (scaler && !cluster.resting && scaler.workload.replicas > 0) {
    const { workload } = scaler
    const replicas = replicasAt(
      scaler,
      workload.replicas,
      cluster.scaledAt?.[key] ?? 0,
      cluster.scaleChanges?.[key] ?? [],
      sim.now,
    )
    if (replicas !== workload.replicas) {
      const manifest = manifestOf(workload)
      const scaled: Workload = {
        ...workload,
        replicas,
        manifest: { ...manifest, spec: { ...fields(manifest['spec']), replicas } },
      }
      cluster.workloads = cluster.workloads.map((eachWorkload) =>
        eachWorkload === workload ? scaled : eachWorkload,
      )
      cluster.scaledAt = { ...cluster.scaledAt, [key]: sim.now }
      const period = Math.max(
        0,
        ...[...scaler.up.policies, ...scaler.down.policies].map((policy) => policy.periodMs),
      )
      cluster.scaleChanges = {
        ...cluster.scaleChanges,
        [key]: [
          ...(cluster.scaleChanges?.[key] ?? []).filter((entry) => entry.at > sim.now - period),
          { at: sim.now, by: replicas - workload.replicas },
        ],
      }
      record(
        sim,
        cluster,
        'Normal',
        'SuccessfulRescale',
        `horizontalpodautoscaler/${key}`,
        `${workload.replicas} to ${countText(replicas, 'replica')}, ${loadAt(scaler.points, sim.now).toFixed(0)} requests a second`,
      )
      fillWorkload(sim, cluster, scaled, loads(cluster))
    }
  }
  queueAutoscalers(sim, cluster)
}
