/** What belongs to what among a cluster’s objects: pods to a workload by their owners, slices to a service by their label. */
import { record, records, text } from './json'
import { isOfKind, objectOfKind, ofKind } from './of-kind'
import type { ApiObject } from './read'
import type { EndpointSliceObject, PodObject } from './schema'

/** The controller of an object: the owner that says so, or the first that does not deny it (objects written by hand leave it out). */
export function controllerOf(object: {
  readonly metadata?: unknown
}): { readonly kind: string; readonly name: string } | undefined {
  const owners = records(record(object.metadata)['ownerReferences'])
  const owner =
    owners.find(({ controller }) => controller === true) ??
    owners.find(({ controller }) => controller === null || controller === undefined)
  return owner && { kind: text(owner['kind']), name: text(owner['name']) }
}

const keyOf = ({ metadata }: ApiObject, name = metadata?.name): string =>
  `${metadata?.namespace ?? 'default'}/${name ?? ''}`

function group(objects: readonly ApiObject[]): ReadonlyMap<string, readonly PodObject[]> {
  const above = new Map<string, string>()
  for (const object of objects) {
    const owner =
      object.kind === 'ReplicaSet' || object.kind === 'Job' ? controllerOf(object) : undefined
    if (owner) above.set(`${object.kind}/${keyOf(object)}`, owner.name)
  }
  const pods = new Map<string, PodObject[]>()
  for (const object of objects) {
    if (!isOfKind(object, 'Pod')) continue
    const pod = object
    const owner = controllerOf(pod)
    if (!owner) continue
    const between = `${owner.kind}/${keyOf(object, owner.name)}`
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
  ofKind(objects, 'EndpointSlice').filter(
    (slice) =>
      `${slice.metadata.namespace ?? 'default'}/${slice.metadata.labels?.['kubernetes.io/service-name'] ?? ''}` ===
      service,
  )

/** The port on which the pods behind a service listen for one of its ports; that port itself where nothing says otherwise. */
export function targetPort(objects: readonly ApiObject[], service: string, port: number): number {
  const object = objectOfKind(objects, 'Service', service)
  const name = object?.spec?.ports?.find((candidate) => candidate.port === port)?.name ?? ''
  return (
    slicesOfService(objects, service)
      .flatMap((slice) => slice.ports ?? [])
      .find((candidate) => (candidate.name ?? '') === name)?.port ?? port
  )
}
