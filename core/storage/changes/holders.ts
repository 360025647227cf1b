/** Who holds volumes: pods, the workloads that would make them anew, and the steps that stop and start these in order. */
import type { Estimate, Step, StepId } from '../../changes'
import { command, type Manifest, type StorageReport } from '../../contract'
import { type FleetView, listedObjects, rightsIn, whoseIs, whoseText } from '../../fleet'
import { type ApiObject, controllerOf, isOfKind, list, record } from '../../objects'
import { objectKey, rolloutStep } from '../../manifests'
import { step } from '../../provisioning/steps'
import { compareText, countText } from '../../units'

export interface Holder {
  readonly kind: string
  readonly namespace: string
  /** Of the workload; the pod’s own where it has none. */
  readonly name: string
  readonly apiVersion: string
  readonly replicas: number
  readonly pods: readonly { readonly pod: string; readonly node: string }[]
  readonly volumes: readonly string[]
  /** Whom to ask about it. */
  readonly owner: string
  /** Whether it can be scaled to nothing and back. */
  readonly scales: boolean
}

const namespaced = (object: ApiObject): string =>
  `${object.metadata?.namespace ?? 'default'}/${object.metadata?.name ?? ''}`

/** The workload above a pod; a pod without one stands for itself. */
function workloadOf(objects: readonly ApiObject[], pod: ApiObject): ApiObject {
  if (!isOfKind(pod, 'Pod')) return pod
  const owner = controllerOf(pod)
  const above = objects.find(
    (object) =>
      object.kind === owner?.kind &&
      object.metadata?.name === owner?.name &&
      object.metadata?.namespace === pod.metadata.namespace,
  )
  if (!above) return pod
  const higher = list(record(above.metadata)['ownerReferences']).map(record)[0]
  return (
    objects.find(
      (object) =>
        higher !== undefined &&
        object.kind === higher['kind'] &&
        object.metadata?.name === higher['name'] &&
        object.metadata?.namespace === pod.metadata.namespace,
    ) ?? above
  )
}

/** Everything that holds one of the volumes, by namespace and name. */
export function holdersOf(
  view: FleetView,
  cluster: string,
  storage: StorageReport,
  volumes: readonly string[],
): readonly Holder[] {
  const objects = listedObjects(view, cluster)
  const pods = new Map(
    objects.filter((object) => object.kind === 'Pod').map((pod) => [namespaced(pod), pod]),
  )
  const rights = rightsIn(objects)
  const held = new Map<
    string,
    { holder: Holder; volumes: Set<string>; pods: Map<string, string> }
  >()
  for (const volume of storage.volumes) {
    if (!volumes.includes(volume.name)) continue
    for (const { pod, node } of volume.attached) {
      const object = pods.get(pod)
      if (!object) continue
      const workload = workloadOf(objects, object)
      const key = objectKey(workload)
      const entry = held.get(key) ?? {
        holder: {
          kind: workload.kind,
          namespace: workload.metadata?.namespace ?? 'default',
          name: workload.metadata?.name ?? '',
          apiVersion: workload.apiVersion ?? '',
          replicas: Number(record(record(workload)['spec'])['replicas'] ?? 0),
          pods: [],
          volumes: [],
          owner: whoseText(whoseIs(rights, workload)),
          scales: workload.kind === 'Deployment' || workload.kind === 'StatefulSet',
        },
        volumes: new Set<string>(),
        pods: new Map<string, string>(),
      }
      entry.volumes.add(volume.name)
      entry.pods.set(pod, node)
      held.set(key, entry)
    }
  }
  return [...held.values()]
    .map(({ holder, volumes: names, pods: users }) => ({
      ...holder,
      volumes: [...names].sort(compareText),
      pods: [...users].map(([pod, node]) => ({ pod, node })),
    }))
    .sort((a, b) => compareText(a.namespace, b.namespace) || compareText(a.name, b.name))
}

export const holderText = (holder: Holder): string => `${holder.namespace}/${holder.name}`

const scaledTo = (holder: Holder, replicas: number): Manifest => ({
  apiVersion: holder.apiVersion,
  kind: holder.kind,
  metadata: { name: holder.name, namespace: holder.namespace },
  spec: { replicas },
})

const scale = (cluster: string, holder: Holder, replicas: number) =>
  command('objects.apply', {
    cluster,
    objects: [scaledTo(holder, replicas)],
    force: [`${objectKey(scaledTo(holder, replicas))} /spec/replicas`],
  })

const quick: Estimate = { likely: 5, worst: 15 }
const writeRetry = { attempts: 3, firstSeconds: 5, mostSeconds: 20 }
/** How long pods have to go (s). */
const deadline = 300

export interface Detached {
  readonly steps: readonly Step[]
  /** After these nothing serves the volumes any more. */
  readonly last: readonly StepId[]
}

const stopId = (holder: Holder): StepId => `stop:${holderText(holder)}`

/** Stops the holders one after another and waits until nothing serves the volumes. */
export function detachSteps(
  cluster: string,
  holders: readonly Holder[],
  volumes: readonly string[],
  after: readonly StepId[],
): Detached {
  const steps = holders.map((holder, nth) => {
    const before = holders[nth - 1]
    return step({
      id: stopId(holder),
      after: before ? [stopId(before)] : after,
      group: holderText(holder),
      says: `stop its ${countText(holder.replicas, 'pod')}`,
      command: scale(cluster, holder, 0),
      undo: command('objects.put-back', {
        cluster,
        before: { $from: stopId(holder), path: 'before' },
      }),
      seconds: quick,
      retry: writeRetry,
    })
  })
  const lastStop = steps.at(-1)
  const wait = step({
    id: 'detached',
    after: lastStop ? [lastStop.id] : after,
    group: 'volumes',
    says: 'wait until no node serves them',
    command: command('volumes.await-detached', {
      cluster,
      volumes: [...volumes],
      deadlineSeconds: deadline,
    }),
    seconds: { likely: 10, worst: deadline },
  })
  return { steps: [...steps, wait], last: ['detached'] }
}

/** Starts the holders again as they were, the one stopped last first, each waited for. */
export function attachSteps(
  cluster: string,
  holders: readonly Holder[],
  after: readonly StepId[],
): Detached {
  let last = after
  const steps: Step[] = []
  for (const holder of [...holders].reverse()) {
    const id = `start:${holderText(holder)}`
    const awaited = rolloutStep(
      cluster,
      { kind: holder.kind, metadata: { name: holder.name, namespace: holder.namespace } },
      holder.replicas,
      [id],
      'scaled',
    )
    steps.push(
      step({
        id,
        after: last,
        group: holderText(holder),
        says: `start its ${countText(holder.replicas, 'pod')} again`,
        command: command('objects.put-back', {
          cluster,
          before: { $from: stopId(holder), path: 'before' },
        }),
        undo: scale(cluster, holder, 0),
        seconds: quick,
        retry: writeRetry,
      }),
      { ...awaited, group: holderText(holder) },
    )
    last = [awaited.id]
  }
  return { steps, last }
}
