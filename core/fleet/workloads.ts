/** Workloads as they are looked at: what each wants, what it has, what is not well about it; and its pods. */
import { compareText } from '../units'
import { type Json, record, records, text } from '../objects'
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

const kinds = new Set(['Deployment', 'StatefulSet', 'DaemonSet', 'Job', 'CronJob'])

const controller = (object: Json): Json | undefined =>
  records(record(object['metadata'])['ownerReferences']).find(
    (owner) => owner['controller'] === true,
  )

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

/** The workloads among a cluster’s objects, what is not well first, then by namespace and name. */
export function workloadsIn(objects: readonly ApiObject[]): readonly WorkloadFact[] {
  const given = objects as unknown as readonly Json[]
  const middle = new Map<string, string>()
  for (const object of given) {
    const owner =
      object['kind'] === 'ReplicaSet' || object['kind'] === 'Job' ? controller(object) : undefined
    const metadata = record(object['metadata'])
    if (owner)
      middle.set(
        `${text(object['kind'])}/${text(metadata['namespace'])}/${text(metadata['name'])}`,
        `${text(owner['kind'])}/${text(metadata['namespace'])}/${text(owner['name'])}`,
      )
  }
  const pods = new Map<string, PodFact[]>()
  for (const object of given) {
    if (object['kind'] !== 'Pod') continue
    const owner = controller(object)
    if (!owner) continue
    const key = `${text(owner['kind'])}/${text(record(object['metadata'])['namespace'])}/${text(owner['name'])}`
    const above = middle.get(key)
    const fact = podFact(object, above === undefined ? null : text(owner['name']))
    const top = above ?? key
    pods.set(top, [...(pods.get(top) ?? []), fact])
  }
  const rank = { broken: 0, strained: 1, working: 2, well: 3, resting: 4 }
  return given
    .filter((object) => kinds.has(text(object['kind'])))
    .map((object): WorkloadFact => {
      const metadata = record(object['metadata'])
      const [kind, namespace, name] = [
        text(object['kind']),
        text(metadata['namespace']),
        text(metadata['name']),
      ]
      const key = `${kind}/${namespace}/${name}`
      const podFacts = pods.get(key) ?? []
      const spec = record(object['spec'])
      const status = record(object['status'])
      let wanted: number
      if (kind === 'DaemonSet') wanted = Number(status['desiredNumberScheduled'] ?? 0)
      else if (kind === 'Job') wanted = Number(spec['completions'] ?? 1)
      else if (kind === 'CronJob') wanted = 0
      else wanted = Number(spec['replicas'] ?? 1)
      const ready =
        kind === 'Job'
          ? Number(status['succeeded'] ?? 0)
          : podFacts.filter((pod) => pod.ready).length
      const stuck = podFacts.find((pod) => pod.waits !== null)
      const template =
        kind === 'CronJob'
          ? record(record(record(spec['jobTemplate'])['spec'])['template'])
          : record(spec['template'])
      let state: 'resting' | 'well' | 'broken' | 'strained' | 'working'
      if (kind === 'CronJob') state = 'resting'
      else if (ready >= wanted && !stuck) state = 'well'
      else if (ready === 0 && wanted > 0 && stuck) state = 'broken'
      else if (stuck) state = 'strained'
      else state = 'working'
      let fact: Said
      if (stuck)
        fact = said('workload.waits', {
          pod: stuck.key.split('/')[1] ?? '',
          waits: stuck.waits ?? '',
        })
      else if (kind === 'CronJob')
        fact = said('workload.at', {
          schedule: text(spec['schedule']),
          timeZone: text(spec['timeZone']),
        })
      else if (ready >= wanted) fact = said('workload.ready')
      else fact = said('workload.starting', { wanted: wanted - ready })
      return {
        key,
        kind,
        namespace,
        name,
        wanted,
        ready,
        state,
        ...fact,
        images: [
          ...new Set(
            records(record(template['spec'])['containers']).map((container) =>
              text(container['image']),
            ),
          ),
        ],
        pods: podFacts,
      }
    })
    .sort(
      (a, b) =>
        rank[a.state] - rank[b.state] ||
        compareText(a.namespace, b.namespace) ||
        compareText(a.name, b.name),
    )
}
