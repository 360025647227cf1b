/** The objects of a cluster, read into the room there is, the pods that wait, and the budgets that bind. */
import {
  BadQuantity,
  type BudgetObject,
  type CheckedKind,
  controllerOf,
  isOfKind,
  type Located,
  type Misread,
  type NodeObject,
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

/** What a pod says of itself alone. */
type PodFacts = Pick<Pod, 'key' | 'alike' | 'createdAt' | 'startedAt' | 'isLeaving' | 'isFinished'>

/** Of pods that were read before: objects are never changed in place. */
const podFacts = new WeakMap<PodObject, PodFacts>()

/** Each as it was last read: a world that is read again, with little changed, is made of the same pods. */
const lastRead = new WeakMap<PodObject, Pod>()
/** Shapes by the first pod that has them, of those that no namespace’s labels decide. */
const lasting = new WeakMap<PodObject, Shape>()

/** What pods are alike by, each text once: most are alike to many, and are remembered for as long as they are listed. */
const alikeTexts = new Map<string, string>()
const mostAlikeTexts = 5000

function sameText(text: string): string {
  const before = alikeTexts.get(text)
  if (before !== undefined) return before
  if (alikeTexts.size >= mostAlikeTexts) alikeTexts.clear()
  alikeTexts.set(text, text)
  return text
}

function factsOf(object: PodObject): PodFacts {
  const before = podFacts.get(object)
  if (before) return before
  const { metadata, status } = object
  const facts = {
    key: `${metadata.namespace || 'default'}/${metadata.name}`,
    alike: sameText(shapeKey(object)),
    createdAt: instant(metadata.creationTimestamp),
    startedAt: instant(status?.startTime),
    isLeaving: Boolean(metadata.deletionTimestamp),
    isFinished: status?.phase === 'Succeeded' || status?.phase === 'Failed',
  }
  podFacts.set(object, facts)
  return facts
}

/** The shape of a pod; where an amount does not parse, its field is named. */
function compiled(object: PodObject, pointer: string, labelsOf: NamespaceLabels): Shape {
  const before = lasting.get(object)
  if (before) return before
  try {
    const shape = compileShape(object, '', labelsOf)
    if (!factsOf(object).alike.includes('"namespaceSelector"')) lasting.set(object, shape)
    return shape
  } catch (error) {
    if (error instanceof BadQuantity) return compileShape(object, fieldOf(pointer), labelsOf)
    throw error
  }
}

const replicated = ['Deployment', 'ReplicaSet', 'StatefulSet', 'ReplicationController'] as const

/** Where two objects of one kind have one name, the second. */
function repeated(located: readonly Located[]): Located | undefined {
  const pods = new Set<string>()
  const nodes = new Set<string>()
  const isSecond = (seen: Set<string>, key: string): boolean => {
    const before = seen.size
    return seen.add(key).size === before
  }
  return located.find(({ object }) => {
    if (isOfKind(object, 'Pod')) return isSecond(pods, factsOf(object).key)
    return isOfKind(object, 'Node') && isSecond(nodes, object.metadata.name)
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
  const nodes: { node: NodeObject; path: string; pointer: string }[] = []
  for (const { object, pointer } of located)
    if (isOfKind(object, 'Node')) nodes.push({ node: object, path: fieldOf(pointer), pointer })
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
  const facts = factsOf(object)
  let shape = shapes.get(facts.alike)
  if (!shape) {
    shape = compiled(object, pointer, labelsOf)
    shapes.set(facts.alike, shape)
  }
  const { spec } = object
  const named = spec?.priorityClassName ? classes.get(spec.priorityClassName) : usual
  const priority = spec?.priority ?? named?.value ?? usual?.value ?? 0
  const preempts =
    (spec?.preemptionPolicy ?? named?.preemptionPolicy ?? 'PreemptLowerPriority') !== 'Never'
  const before = lastRead.get(object)
  const isSame =
    before?.shape === shape &&
    before.pointer === pointer &&
    before.priority === priority &&
    before.preempts === preempts
  if (isSame) return before
  const pod: Pod = {
    key: facts.key,
    shape,
    priority,
    preempts,
    createdAt: facts.createdAt,
    startedAt: facts.startedAt,
    isLeaving: facts.isLeaving,
    object,
    pointer,
    alike: facts.alike,
    isFinished: facts.isFinished,
  }
  lastRead.set(object, pod)
  return pod
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
