/** What belongs to what among a cluster’s objects: pods to a workload by their owners, slices to a service by their label. */
import { isRecord } from './json'
import type { ApiObject } from './read'
import type { EndpointSliceObject, NodeObject, PodObject, ServiceObject } from './schema'

/** The controller of an object: the owner that says so, or the first that does not deny it (objects written by hand leave it out). */
export function controllerOf(object: {
  readonly metadata: Pick<PodObject['metadata'], 'ownerReferences'>
}) {
  const owners = object.metadata.ownerReferences ?? []
  return (
    owners.find((owner) => owner.controller === true) ??
    owners.find((owner) => owner.controller === null || owner.controller === undefined)
  )
}

const keyOf = ({ metadata }: ApiObject, name = metadata?.name): string =>
  `${metadata?.namespace ?? 'default'}/${name ?? ''}`
const owned = (object: ApiObject): string | undefined =>
  object.metadata ? controllerOf(object as unknown as PodObject)?.name : undefined

/** Whether an object is a pod; its fields are as the API has them. */
export const isPodObject = (object: unknown): object is PodObject =>
  isRecord(object) && object['kind'] === 'Pod' && isRecord(object['metadata'])

/** Whether an object is a node. */
export const isNodeObject = (object: unknown): object is NodeObject =>
  isRecord(object) && object['kind'] === 'Node' && isRecord(object['metadata'])

/** The pods among the objects of a cluster. */
export const livePods = (objects: readonly unknown[]): readonly PodObject[] =>
  objects.filter(isPodObject)

function group(objects: readonly ApiObject[]): ReadonlyMap<string, readonly PodObject[]> {
  const above = new Map<string, string>()
  for (const object of objects) {
    const owner = object.kind === 'ReplicaSet' || object.kind === 'Job' ? owned(object) : undefined
    if (owner !== undefined) above.set(`${object.kind}/${keyOf(object)}`, owner)
  }
  const pods = new Map<string, PodObject[]>()
  for (const object of objects) {
    if (object.kind !== 'Pod' || !object.metadata) continue
    const pod = object as unknown as PodObject
    const owner = controllerOf(pod)
    if (!owner) continue
    const between = `${owner.kind ?? ''}/${keyOf(object, owner.name)}`
    const hash = pod.metadata.labels?.['pod-template-hash']
    // A replica set that is not among the objects is named after its deployment and the hash.
    const top =
      above.get(between) ??
      (owner.kind === 'ReplicaSet' && hash !== undefined && owner.name.endsWith(`-${hash}`)
        ? owner.name.slice(0, -hash.length - 1)
        : owner.name)
    const key = keyOf(object, top)
    pods.set(key, [...(pods.get(key) ?? []), pod])
  }
  for (const list of pods.values())
    list.sort((a, b) => (a.metadata.name < b.metadata.name ? -1 : 1))
  return pods
}

const cache = new WeakMap<readonly ApiObject[], ReadonlyMap<string, readonly PodObject[]>>()

/** The pods of a workload (`namespace/name`), in the order of their names. Objects are read once, however often they are asked. */
export function podsOfWorkload(
  objects: readonly ApiObject[],
  workload: string,
): readonly PodObject[] {
  let pods = cache.get(objects)
  if (!pods) cache.set(objects, (pods = group(objects)))
  return pods.get(workload) ?? []
}

/** The endpoint slices of a service (`namespace/name`). */
export const slicesOfService = (
  objects: readonly ApiObject[],
  service: string,
): readonly EndpointSliceObject[] =>
  (
    objects.filter(
      (object) => object.kind === 'EndpointSlice',
    ) as unknown as readonly EndpointSliceObject[]
  ).filter(
    (slice) =>
      `${slice.metadata.namespace ?? 'default'}/${slice.metadata.labels?.['kubernetes.io/service-name'] ?? ''}` ===
      service,
  )

/** The port on which the pods behind a service listen for one of its ports; that port itself where nothing says otherwise. */
export function targetPort(objects: readonly ApiObject[], service: string, port: number): number {
  const object = objects.find(
    (object) => object.kind === 'Service' && keyOf(object) === service,
  ) as unknown as ServiceObject | undefined
  const name = object?.spec?.ports?.find((candidate) => candidate.port === port)?.name ?? ''
  return (
    slicesOfService(objects, service)
      .flatMap((slice) => slice.ports ?? [])
      .find((candidate) => (candidate.name ?? '') === name)?.port ?? port
  )
}
