/** Workloads as they are looked at: what each wants, what it has, what is not well about it; and its pods. */
import { compareText } from '../units'
import { controllerOf, type Json, record, records, text } from '../objects'
import type { Said } from '../contract'
import type { ApiObject } from '../objects'
import { said } from './says'

/** What a pod can be asked from inside. */
export const probeKinds = [
  'look-up',
  'connect',
  'request',
  'environment',
  'files',
  'processes',
] as const

export interface PodFact {
  /** `namespace/name` */
  readonly key: string
  readonly node: string | null
  readonly phase: string
  readonly ready: boolean
  /** What it waits for, or null. */
  readonly waits: string | null
  readonly restarts: number
  readonly ip: string | null
  readonly images: readonly { readonly image: string; readonly digest: string }[]
  /** The replica set or job between the workload and the pod, if there is one. */
  readonly by: string | null
  readonly startedAt: string | null
}

export interface WorkloadFact extends Said {
  /** `Kind/namespace/name` */
  readonly key: string
  readonly kind: string
  readonly namespace: string
  readonly name: string
  readonly wanted: number
  readonly ready: number
  readonly state: 'well' | 'working' | 'strained' | 'broken' | 'resting'
  readonly images: readonly string[]
  readonly pods: readonly PodFact[]
}

const kinds = new Set(['Deployment', 'StatefulSet', 'DaemonSet', 'CronJob'])

/** What something else may keep: a workload of its own only where nothing does. */
const keptKinds = new Set(['Job', 'Pod', 'ReplicaSet'])

const isWorkload = (object: ApiObject): boolean =>
  keptKinds.has(object.kind) ? !controllerOf(object) : kinds.has(object.kind)

function podFact(pod: Json, by: string | null): PodFact {
  const metadata = record(pod['metadata'])
  const spec = record(pod['spec'])
  const status = record(pod['status'])
  const containers = records(status['containerStatuses'])
  const waiting = containers
    .map((container) => record(record(container['state'])['waiting']))
    .find(
      (record) => text(record['reason']) !== '' && text(record['reason']) !== 'ContainerCreating',
    )
  const unplaced = records(status['conditions']).find(
    (condition) => condition['type'] === 'PodScheduled' && condition['status'] === 'False',
  )
  let waits: string | null
  if (waiting) waits = `${text(waiting['reason'])}: ${text(waiting['message'])}`
  else if (unplaced) waits = text(unplaced['message']) || 'no place yet'
  else waits = null
  return {
    key: `${text(metadata['namespace'])}/${text(metadata['name'])}`,
    node: text(spec['nodeName']) || null,
    phase: text(status['phase']),
    ready: records(status['conditions']).some(
      (condition) => condition['type'] === 'Ready' && condition['status'] === 'True',
    ),
    waits,
    restarts: containers.reduce(
      (sum, container) => sum + Number(container['restartCount'] ?? 0),
      0,
    ),
    ip: text(status['podIP']) || null,
    images: containers.map((container) => ({
      image: text(container['image']),
      digest: /sha256:[0-9a-f]+/.exec(text(container['imageID']))?.[0] ?? '',
    })),
    by,
    startedAt: text(status['startTime']) || null,
  }
}

const namespaceOf = (object: ApiObject): string => text(record(object.metadata)['namespace'])
const nameOf = (object: ApiObject): string => text(record(object.metadata)['name'])

/** The pods of each workload, by its `Kind/namespace/name`: of a replica set’s or job’s owner where it has one. */
function podsByWorkload(objects: readonly ApiObject[]): ReadonlyMap<string, readonly PodFact[]> {
  const ownerOf = new Map<string, string>()
  for (const object of objects) {
    if (object.kind !== 'ReplicaSet' && object.kind !== 'Job') continue
    const owner = controllerOf(object)
    const namespace = namespaceOf(object)
    if (owner)
      ownerOf.set(
        `${object.kind}/${namespace}/${nameOf(object)}`,
        `${owner.kind}/${namespace}/${owner.name}`,
      )
  }
  const pods = new Map<string, PodFact[]>()
  for (const object of objects) {
    if (object.kind !== 'Pod') continue
    const owner = controllerOf(object)
    if (!owner) {
      pods.set(`Pod/${namespaceOf(object)}/${nameOf(object)}`, [podFact(object, null)])
      continue
    }
    const key = `${owner.kind}/${namespaceOf(object)}/${owner.name}`
    const above = ownerOf.get(key)
    const workload = above ?? key
    const fact = podFact(object, above === undefined ? null : owner.name)
    pods.set(workload, [...(pods.get(workload) ?? []), fact])
  }
  return pods
}

/** How many pods a workload wants to run now, or to have run. */
function wantedOf(kind: string, spec: Json, status: Json): number {
  switch (kind) {
    case 'DaemonSet':
      return Number(status['desiredNumberScheduled'] ?? 0)
    case 'Job':
      return Number(spec['completions'] ?? 1)
    case 'CronJob':
      return 0
    case 'Pod':
      return status['phase'] === 'Succeeded' ? 0 : 1
    default:
      return Number(spec['replicas'] ?? 1)
  }
}

function stateOf(
  kind: string,
  ready: number,
  wanted: number,
  stuck: PodFact | undefined,
): WorkloadFact['state'] {
  if (kind === 'CronJob') return stuck ? 'strained' : 'resting'
  if (!stuck) return ready >= wanted ? 'well' : 'working'
  return ready === 0 && wanted > 0 ? 'broken' : 'strained'
}

function saysOf(kind: string, spec: Json, missing: number, stuck: PodFact | undefined): Said {
  if (stuck)
    return said('workload.waits', {
      pod: stuck.key.split('/')[1] ?? '',
      waits: stuck.waits ?? '',
    })
  if (kind === 'CronJob')
    return said('workload.at', {
      schedule: text(spec['schedule']),
      timeZone: text(spec['timeZone']),
    })
  return missing <= 0 ? said('workload.ready') : said('workload.starting', { wanted: missing })
}

function workloadFact(object: ApiObject, pods: readonly PodFact[]): WorkloadFact {
  const { kind } = object
  const namespace = namespaceOf(object)
  const name = nameOf(object)
  const spec = record(object['spec'])
  const status = record(object['status'])
  const wanted = wantedOf(kind, spec, status)
  const ready =
    kind === 'Job' ? Number(status['succeeded'] ?? 0) : pods.filter((pod) => pod.ready).length
  const stuck = pods.find((pod) => pod.waits !== null)
  const maker = kind === 'CronJob' ? record(record(spec['jobTemplate'])['spec']) : spec
  const podSpec = kind === 'Pod' ? spec : record(record(maker['template'])['spec'])
  const containers = records(podSpec['containers'])
  return {
    key: `${kind}/${namespace}/${name}`,
    kind,
    namespace,
    name,
    wanted,
    ready,
    state: stateOf(kind, ready, wanted, stuck),
    ...saysOf(kind, spec, wanted - ready, stuck),
    images: [...new Set(containers.map((container) => text(container['image'])))],
    pods,
  }
}

const rank = { broken: 0, strained: 1, working: 2, well: 3, resting: 4 }

/** The workloads among a cluster’s objects, what is not well first, then by namespace and name. */
export function workloadsIn(objects: readonly ApiObject[]): readonly WorkloadFact[] {
  const pods = podsByWorkload(objects)
  return objects
    .filter(isWorkload)
    .map((object) =>
      workloadFact(
        object,
        pods.get(`${object.kind}/${namespaceOf(object)}/${nameOf(object)}`) ?? [],
      ),
    )
    .sort(
      (a, b) =>
        rank[a.state] - rank[b.state] ||
        compareText(a.namespace, b.namespace) ||
        compareText(a.name, b.name),
    )
}
