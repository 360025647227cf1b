/** The objects of a cluster, read into the room there is, the pods that wait, and the budgets that bind. */
import {
  BadQuantity,
  type BudgetObject,
  type CheckedKind,
  controllerOf,
  isOfKind,
  type Located,
  type Misread,
  ofKind,
  type PodObject,
  type PriorityClassObject,
  readObjects,
} from '../objects'
import { compareText } from '../units'
import { Room, type Pod } from './room'
import { compileShape, namespaceLabels, shapeKey, type NamespaceLabels, type Shape } from './shape'

export interface World {
  readonly room: Room
  /** Names of all nodes, in the order given. */
  readonly nodeNames: readonly string[]
  readonly nodePointers: ReadonlyMap<string, string>
  /** Pods that stand on a node, finished ones included, and those that wait, all in the order given. */
  readonly pods: readonly Pod[]
  /** In the order in which they are tried; gated ones among them. */
  readonly waiting: readonly Pod[]
  readonly budgets: readonly BudgetObject[]
  /** Replicated owners by `Kind/namespace/name`, with the owner above them where there is one. */
  readonly owners: ReadonlyMap<string, { readonly replicas: number; readonly above: string | null }>
  readonly labelsOf: NamespaceLabels
}

export type WorldRead =
  { readonly ok: true; readonly world: World } | ({ readonly ok: false } & Misread)

const instant = (text: string | null | undefined): number => {
  const ms = text ? Date.parse(text) : NaN
  return Number.isNaN(ms) ? Infinity : ms
}

const replicated = ['Deployment', 'ReplicaSet', 'StatefulSet', 'ReplicationController'] as const

/** Where two objects of one kind have one name, the second. */
function repeated(located: readonly Located[]): Located | undefined {
  const seen = new Set<string>()
  return located.find(({ object }) => {
    const key = `${object.kind}/${object.metadata?.namespace ?? ''}/${object.metadata?.name ?? ''}`
    if (object.metadata?.name === undefined || (object.kind !== 'Node' && object.kind !== 'Pod'))
      return false
    if (seen.has(key)) return true
    seen.add(key)
    return false
  })
}

const fieldOf = (pointer: string): string =>
  `objects${pointer.replace(/\/(\d+)/g, '[$1]').replaceAll('/', '.')}`

/** Reads objects as they are exported from any cluster. The first that is not as the API has it is named, with its field. */
export function readWorld(objects: readonly unknown[]): WorldRead {
  const { located, wrong } = readObjects(objects)
  if (wrong) return { ok: false, ...wrong }
  const twice = repeated(located)
  if (twice)
    return {
      ok: false,
      path: `${fieldOf(twice.pointer)}.metadata.name`,
      says: `There is a ${twice.object.kind} ${twice.object.metadata?.name ?? ''} already. Give each object once.`,
    }
  try {
    return { ok: true, world: worldOf(located) }
  } catch (error) {
    if (error instanceof BadQuantity) return { ok: false, path: error.path, says: error.message }
    throw error
  }
}

function worldOf(located: readonly Located[]): World {
  // The schema of each kind has been checked in reading.
  const objects = located.map(({ object }) => object)
  const of = <Kind extends CheckedKind>(kind: Kind) => ofKind(objects, kind)
  const nodes = located.flatMap(({ object, pointer }) =>
    isOfKind(object, 'Node') ? [{ node: object, path: fieldOf(pointer), pointer }] : [],
  )
  const labelsOf = namespaceLabels(of('Namespace'))
  const room = new Room(nodes, {
    claims: of('PersistentVolumeClaim'),
    volumes: of('PersistentVolume'),
    classes: of('StorageClass'),
    csiNodes: of('CSINode'),
  })
  const classes = new Map(of('PriorityClass').map((entry) => [entry.metadata.name, entry]))
  const usual = [...classes.values()]
    .filter((storageClass) => storageClass.globalDefault === true)
    .sort((a, b) => a.value - b.value || compareText(a.metadata.name, b.metadata.name))[0]
  const shapes = new Map<string, Shape>()
  const pods: Pod[] = []
  for (const { object, pointer } of located) {
    if (!isOfKind(object, 'Pod')) continue
    const pod = podOf(object, pointer, shapes, labelsOf, classes, usual)
    pods.push(pod)
    const name = pod.object.spec?.nodeName
    if (!name || pod.isFinished) continue
    const node = room.nodeIndex(name)
    if (node >= 0) room.put(pod, node)
    else room.holdElsewhere(pod)
  }
  return {
    room,
    nodeNames: nodes.map(({ node }) => node.metadata.name),
    nodePointers: new Map(nodes.map(({ node, pointer }) => [node.metadata.name, pointer])),
    pods,
    waiting: pods.filter(isWaiting).sort(byTurn),
    budgets: of('PodDisruptionBudget'),
    owners: ownersOf(located),
    labelsOf,
  }
}

/** Waits for the scheduler we compute: no node yet, not finished, not on its way out, and not another scheduler’s. */
const isWaiting = (pod: Pod): boolean =>
  !pod.object.spec?.nodeName &&
  !pod.isFinished &&
  !pod.isLeaving &&
  (pod.object.spec?.schedulerName || 'default-scheduler') === 'default-scheduler'

function byTurn(a: Pod, b: Pod): number {
  if (a.priority !== b.priority) return b.priority - a.priority
  if (a.createdAt !== b.createdAt) return a.createdAt < b.createdAt ? -1 : 1
  return (
    compareText(a.shape.namespace, b.shape.namespace) ||
    compareText(a.object.metadata.name, b.object.metadata.name)
  )
}

function podOf(
  object: PodObject,
  pointer: string,
  shapes: Map<string, Shape>,
  labelsOf: NamespaceLabels,
  classes: ReadonlyMap<string, PriorityClassObject>,
  usual: PriorityClassObject | undefined,
): Pod {
  const alike = shapeKey(object)
  let shape = shapes.get(alike)
  if (!shape) {
    shape = compileShape(object, fieldOf(pointer), labelsOf)
    shapes.set(alike, shape)
  }
  const { spec, metadata, status } = object
  const named = spec?.priorityClassName ? classes.get(spec.priorityClassName) : usual
  return {
    key: `${metadata.namespace || 'default'}/${metadata.name}`,
    shape,
    priority: spec?.priority ?? named?.value ?? usual?.value ?? 0,
    preempts:
      (spec?.preemptionPolicy ?? named?.preemptionPolicy ?? 'PreemptLowerPriority') !== 'Never',
    createdAt: instant(metadata.creationTimestamp),
    startedAt: instant(status?.startTime),
    isLeaving: Boolean(metadata.deletionTimestamp),
    object,
    pointer,
    alike,
    isFinished: status?.phase === 'Succeeded' || status?.phase === 'Failed',
  }
}

function ownersOf(located: readonly Located[]): World['owners'] {
  const owners = new Map<string, { replicas: number; above: string | null }>()
  for (const { object } of located) {
    const kind = replicated.find((name) => name === object.kind)
    if (!kind || !isOfKind(object, kind)) continue
    const namespace = object.metadata.namespace || 'default'
    const above = controllerOf(object)
    owners.set(`${kind}/${namespace}/${object.metadata.name}`, {
      replicas: object.spec?.replicas ?? 1,
      above: above ? `${above.kind}/${namespace}/${above.name}` : null,
    })
  }
  return owners
}

export type { Pod }
