/**
 * Objects by their kind. `readObjects` holds each object to the schema of its kind once, where it comes in; from then on its
 * kind says what form it has. Of a kind that is not here nothing is known but what every object has: read it step by step
 * with `record`, `list` and `text`.
 */
import { isRecord } from './json'
import type {
  BudgetObject,
  ClaimObject,
  CsiNodeObject,
  EndpointSliceObject,
  HttpRouteObject,
  NamespaceObject,
  NodeObject,
  PodObject,
  PolicyObject,
  PriorityClassObject,
  ReplicatedObject,
  ServiceObject,
  StorageClassObject,
  VolumeObject,
} from './schema'

/** The kinds whose form is checked in reading, each with its type. */
export interface CheckedKinds {
  readonly CSINode: CsiNodeObject
  readonly Deployment: ReplicatedObject
  readonly EndpointSlice: EndpointSliceObject
  readonly HTTPRoute: HttpRouteObject
  readonly Namespace: NamespaceObject
  readonly NetworkPolicy: PolicyObject
  readonly Node: NodeObject
  readonly PersistentVolume: VolumeObject
  readonly PersistentVolumeClaim: ClaimObject
  readonly Pod: PodObject
  readonly PodDisruptionBudget: BudgetObject
  readonly PriorityClass: PriorityClassObject
  readonly ReplicaSet: ReplicatedObject
  readonly ReplicationController: ReplicatedObject
  readonly Service: ServiceObject
  readonly StatefulSet: ReplicatedObject
  readonly StorageClass: StorageClassObject
}
export type CheckedKind = keyof CheckedKinds

/** Whether an object is of a kind. One without metadata, which no API serves, is of none. */
export const isOfKind = <Kind extends CheckedKind>(
  object: unknown,
  kind: Kind,
): object is CheckedKinds[Kind] =>
  isRecord(object) && object['kind'] === kind && isRecord(object['metadata'])

/** The objects of a kind, in the order in which they were given. */
export const ofKind = <Kind extends CheckedKind>(
  objects: readonly unknown[],
  kind: Kind,
): readonly CheckedKinds[Kind][] =>
  objects.filter((object): object is CheckedKinds[Kind] => isOfKind(object, kind))

/** The object of a kind that is called `namespace/name`; an object that names no namespace is in `default`. */
export const objectOfKind = <Kind extends CheckedKind>(
  objects: readonly unknown[],
  kind: Kind,
  key: string,
): CheckedKinds[Kind] | undefined =>
  ofKind(objects, kind).find(
    ({ metadata }) => `${metadata.namespace ?? 'default'}/${metadata.name}` === key,
  )
