/** Workloads and pods of the model, out of the objects that an API lists. */
import { list, record, text } from '~/core/objects'
import type { Cluster, Manifest, Pod, Workload } from '~/standin'
import { isWorkloadKind, workloadFrom } from '~/standin/model'
import type { Listed } from './listed'

/** An object as it was written: without its status, and without what its API wrote into it. */
export function asWritten({ whole, metadata }: Listed): Manifest {
  const { status: _status, ...rest } = whole
  const { managedFields: _fields, creationTimestamp: _made, ...own } = metadata
  return structuredClone({ ...rest, metadata: own }) as Manifest
}

const timeOf = (value: unknown, otherwise: number): number => {
  const at = Date.parse(text(value))
  return Number.isNaN(at) ? otherwise : at
}

type Revisions = NonNullable<Workload['revisions']>

/** What each deployment was made from, oldest first, by `namespace/name`. */
function revisionsIn(objects: readonly Listed[], now: number): ReadonlyMap<string, Revisions> {
  const all = new Map<string, Revisions>()
  for (const set of objects) {
    if (set.kind !== 'ReplicaSet') continue
    const owner = record(list(set.metadata['ownerReferences'])[0])
    const key = `${set.namespace}/${text(owner['name'])}`
    const annotations = record(set.metadata['annotations'])
    const revision = {
      number: Number(annotations['deployment.kubernetes.io/revision'] ?? 1),
      hash: set.labels['pod-template-hash'] ?? '',
      template: structuredClone(record(set.spec['template'])),
      at: timeOf(set.metadata['creationTimestamp'], now),
    }
    all.set(
      key,
      [...(all.get(key) ?? []), revision].sort((a, b) => a.number - b.number),
    )
  }
  return all
}

/** Whether nothing else makes a pod or a replica set: it is a workload of its own. */
const isOwnWorkload = ({ kind, metadata }: Listed): boolean =>
  (kind !== 'Pod' && kind !== 'ReplicaSet') || controllerOf(metadata) === undefined

const controllerOf = (metadata: Listed['metadata']): Record<string, unknown> | undefined =>
  list(metadata['ownerReferences'])
    .map(record)
    .find((owner) => owner['controller'] === true || isWorkloadKind(text(owner['kind'])))

export function modelWorkloads(objects: readonly Listed[], now: number): Workload[] {
  const revisions = revisionsIn(objects, now)
  return objects.flatMap((object) => {
    if (!isWorkloadKind(object.kind) || !isOwnWorkload(object)) return []
    const workload = workloadFrom(
      asWritten(object),
      timeOf(object.metadata['creationTimestamp'], now),
      undefined,
    )
    const kept = revisions.get(`${workload.namespace}/${workload.name}`) ?? []
    const { succeeded } = object.status
    return [
      {
        ...workload,
        ...(kept.length > 1 ? { revisions: kept } : {}),
        ...(typeof succeeded === 'number' ? { completed: succeeded } : {}),
        ...(workload.kind === 'Pod' ? { isMade: true as const } : {}),
        ranFrom: workload.createdAt,
      },
    ]
  })
}

const keyOf = (kind: string, namespace: string, name: string): string =>
  `${kind}/${namespace}/${name}`

/** The workloads that may be what a pod belongs to, by what controls it, the likeliest first. */
function controllersOf(pod: Listed): readonly string[] {
  const { namespace } = pod
  const owner = controllerOf(pod.metadata)
  if (!owner) return [keyOf('Pod', namespace, pod.name)]
  const name = text(owner['name'])
  const kind = text(owner['kind'])
  if (kind !== 'ReplicaSet') return [keyOf(kind, namespace, name)]
  const hash = pod.labels['pod-template-hash']
  const deployment =
    hash !== undefined && name.endsWith(`-${hash}`)
      ? name.slice(0, -hash.length - 1)
      : name.slice(0, name.lastIndexOf('-'))
  return [keyOf(kind, namespace, name), keyOf('Deployment', namespace, deployment)]
}

export function modelPods(
  objects: readonly Listed[],
  workloads: readonly Workload[],
  now: number,
): Pod[] {
  const byKey = new Map(
    workloads.map((workload) => [
      keyOf(workload.kind, workload.namespace, workload.name),
      workload,
    ]),
  )
  return objects.flatMap((object) => {
    if (object.kind !== 'Pod') return []
    const key = controllersOf(object).find((each) => byKey.has(each))
    const workload = byKey.get(key ?? '')
    return workload ? [modelPod(object, workload, now)] : []
  })
}

function modelPod(object: Listed, workload: Workload, now: number): Pod {
  const { status } = object
  const conditions = list(status['conditions']).map(record)
  const [container] = list(status['containerStatuses']).map(record)
  const waiting = record(record(container?.['state'])['waiting'])
  const node = text(object.spec['nodeName'])
  const phase = text(status['phase'])
  const hash = object.labels['pod-template-hash']
  const isHeldUp = text(waiting['message']) !== ''
  const isReady = conditions.some(({ type, status: is }) => type === 'Ready' && is === 'True')
  const isPlaced = node !== ''
  return {
    namespace: object.namespace,
    name: object.name,
    workload: workload.name,
    workloadKind: workload.kind,
    node: isPlaced ? node : null,
    phase: phase === 'Running' || phase === 'Succeeded' ? phase : 'Pending',
    ...(hash === undefined || workload.revisions === undefined ? {} : { hash }),
    ...(isHeldUp
      ? { trouble: { reason: text(waiting['reason']), message: text(waiting['message']) } }
      : {}),
    ...(phase === 'Running' && !isReady ? { unready: true } : {}),
    restarts: Number(container?.['restartCount'] ?? 0),
    waits: isPlaced
      ? null
      : text(conditions.find(({ type }) => type === 'PodScheduled')?.['message']) || null,
    ip: text(status['podIP']) || null,
    cpuMilli: workload.cpuMilli,
    memoryBytes: workload.memoryBytes,
    gpus: workload.gpus,
    createdAt: timeOf(object.metadata['creationTimestamp'], now),
    startedAt: phase === 'Pending' ? null : timeOf(status['startTime'], now),
  }
}

/** Kinds that a cluster derives by itself from what is written, or that are told of elsewhere in the model. */
const derived = new Set(['Node', 'EndpointSlice', 'CSINode'])

/** Everything that was written to a cluster and that no controller of the model turns into pods. */
export function modelObjects(objects: readonly Listed[]): Manifest[] {
  return objects.flatMap((object) => {
    if (derived.has(object.kind) || isWorkloadKind(object.kind)) return []
    if (object.kind === 'Service' && object.name === 'kubernetes') return []
    const written = asWritten(object)
    // What is bound stays bound: nothing in the model would bind it anew.
    const isBound = object.kind.startsWith('PersistentVolume')
    return [isBound ? { ...written, status: structuredClone(object.status) } : written]
  })
}

export const modelServices = (objects: readonly Listed[]): Cluster['serviceList'] =>
  objects.flatMap((object) => {
    const { spec } = object
    const address = text(spec['clusterIP'])
    return object.kind !== 'Service' || address === '' || address === 'None'
      ? []
      : [
          {
            namespace: object.namespace,
            name: object.name,
            address,
            port: Number(record(list(spec['ports'])[0])['port'] ?? 0),
            workload: text(record(spec['selector'])['app']),
          },
        ]
  })
