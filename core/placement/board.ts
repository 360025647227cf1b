/**
 * The placement board: what stands on which node, and what a what-if moves. A what-if changes the objects (a node more, a
 * zone less, other replicas or requests) or drains a node; then everything that waits is placed anew and compared with before.
 */
import {
  asText,
  amountOf,
  type NodeObject,
  type PodObject,
  podRequest,
  type Taint,
  type Toleration,
} from '../objects'
import { compareText } from '../units'
import { drain } from './drain'
import { type PlacementRemedy } from './remedies'
import { place, type WaitingAnswer } from './schedule'
import type { BoardObject } from './what-if'
import {
  type WhatIf,
  applied,
  isDaemonPod,
  isNode,
  isPod,
  isStanding,
  podKey,
  workloadsOf,
} from './what-if'
import type { Pod, Room } from './room'
import { readWorld } from './world'

export interface BoardPod {
  readonly key: string
  /** `Kind/namespace/name` of the workload at the top of its owners. */
  readonly workload: string
  readonly cpuMilli: number
  readonly memoryBytes: number
  readonly isDaemon: boolean
  /** Where it was before; absent where it has not moved. */
  readonly from?: string | null
}

export interface BoardNode {
  readonly name: string
  readonly pool: string
  readonly zone: string
  readonly size: string
  readonly cordoned: boolean
  readonly taints: readonly string[]
  readonly cpuMilli: number
  readonly memoryBytes: number
  readonly podLimit: number | null
  readonly cpuUsed: number
  readonly memoryUsed: number
  readonly pods: readonly BoardPod[]
  /** Not there yet, being emptied, or gone. */
  readonly fate: 'stands' | 'new' | 'drained' | 'lost'
}

export interface BoardWaiting extends WaitingAnswer {
  readonly workload: string
  readonly cpuMilli: number
  readonly memoryBytes: number
  /** Pods of identical spec that wait for the same reason. */
  readonly count: number
  /** Each remedy as a what-if of the board; null where it has none. */
  readonly tries: readonly (WhatIf | null)[]
}

export interface BoardWorkload {
  readonly key: string
  readonly replicas: number
  readonly pods: number
  readonly containers: readonly {
    readonly name: string
    readonly cpu: string | null
    readonly memory: string | null
  }[]
  /** Taints that its pods tolerate, without the two that every pod is given. */
  readonly tolerations: readonly Toleration[]
}

export interface Board {
  readonly nodes: readonly BoardNode[]
  readonly waiting: readonly BoardWaiting[]
  readonly moves: readonly Move[]
  readonly blocked: readonly { readonly pod: string; readonly says: string }[]
  readonly workloads: readonly BoardWorkload[]
  readonly zones: readonly string[]
}

export type BoardRead =
  | { readonly ok: true; readonly board: Board }
  | { readonly ok: false; readonly path: string; readonly says: string }

const zoneLabel = 'topology.kubernetes.io/zone'

const text = (value: string | number | undefined): string | null =>
  value === undefined ? null : asText(value)

/** Every pod tolerates for five minutes that its node is not ready or not heard of: that is given, not written. */
const isGiven = ({ key, tolerationSeconds }: Toleration): boolean =>
  tolerationSeconds !== undefined &&
  (key === 'node.kubernetes.io/not-ready' || key === 'node.kubernetes.io/unreachable')

function workloadList(
  objects: readonly BoardObject[],
  ownerOf: (pod: PodObject) => string,
): readonly BoardWorkload[] {
  const results = new Map<string, { pod: PodObject; pods: number }>()
  for (const pod of objects.filter(isPod)) {
    if (!isStanding(pod)) continue
    const key = ownerOf(pod)
    const existing = results.get(key)
    if (existing) existing.pods++
    else results.set(key, { pod, pods: 1 })
  }
  return [...results]
    .map(([key, { pod, pods }]): BoardWorkload => ({
      key,
      replicas: pods,
      pods,
      containers: (pod.spec?.containers ?? []).map((container) => ({
        name: container.name ?? '',
        cpu: text(container.resources?.requests?.['cpu'] ?? container.resources?.limits?.['cpu']),
        memory: text(
          container.resources?.requests?.['memory'] ?? container.resources?.limits?.['memory'],
        ),
      })),
      tolerations: (pod.spec?.tolerations ?? []).filter((toleration) => !isGiven(toleration)),
    }))
    .sort((a, b) => compareText(a.key, b.key))
}

interface Move {
  readonly pod: string
  readonly from: string | null
  readonly to: string | null
}

/** How a node is told apart, whether it stands or is gone. */
const described = ({ metadata }: NodeObject) => ({
  name: metadata.name,
  pool: metadata.labels?.['gyrarch/pool'] ?? '',
  zone: metadata.labels?.[zoneLabel] ?? '',
  size: metadata.labels?.['node.kubernetes.io/instance-type'] ?? '',
})

const taintText = ({ key, value, effect }: Taint): string =>
  `${key}${value ? `=${value}` : ''}:${effect}`

/** Pods of DaemonSets first, then by workload and name. */
const byWorkload = (a: BoardPod, b: BoardPod): number =>
  Number(b.isDaemon) - Number(a.isDaemon) ||
  compareText(a.workload, b.workload) ||
  compareText(a.key, b.key)

/** The node at an index of the room as it is once everything is placed, with what moved there. */
function standingNode(
  room: Room,
  index: number,
  node: NodeObject,
  fate: BoardNode['fate'],
  nodeBefore: (pod: Pod) => string | null,
  ownerOf: (pod: PodObject) => string,
): BoardNode {
  const pods = (room.podsOn[index] ?? []).map((pod): BoardPod => {
    const { key, object, shape } = pod
    const from = nodeBefore(pod)
    return {
      key,
      workload: ownerOf(object),
      cpuMilli: shape.cpuMilli,
      memoryBytes: shape.memoryBytes,
      isDaemon: isDaemonPod(object),
      ...(from === node.metadata.name ? {} : { from }),
    }
  })
  const podLimit = room.podLimit[index] ?? Infinity
  return {
    ...described(node),
    cordoned: node.spec?.unschedulable === true,
    taints: (node.spec?.taints ?? []).map(taintText),
    cpuMilli: room.allocatable[0]?.[index] ?? 0,
    memoryBytes: room.allocatable[1]?.[index] ?? 0,
    podLimit: Number.isFinite(podLimit) ? podLimit : null,
    cpuUsed: room.used[0]?.[index] ?? 0,
    memoryUsed: room.used[1]?.[index] ?? 0,
    pods: pods.sort(byWorkload),
    fate,
  }
}

/** A node that the what-ifs took away: its room is shown, and nothing is on it. */
function lostNode(node: NodeObject): BoardNode {
  const room = node.status?.allocatable ?? node.status?.capacity ?? {}
  return {
    ...described(node),
    cordoned: false,
    taints: [],
    cpuMilli: amountOf('cpu', room['cpu'] ?? 0, ''),
    memoryBytes: amountOf('memory', room['memory'] ?? 0, ''),
    podLimit: null,
    cpuUsed: 0,
    memoryUsed: 0,
    pods: [],
    fate: 'lost',
  }
}

const movesOf = (nodes: readonly BoardNode[]): readonly Move[] =>
  nodes.flatMap(({ name, pods }) =>
    pods.flatMap(({ key, from }) => (from === undefined ? [] : [{ pod: key, from, to: name }])),
  )

/** On which node each pod was: where no what-if altered or moved anything, its object says so itself. */
function nodesBeforeOf(
  given: readonly BoardObject[],
  isUnaltered: boolean,
): (pod: Pod) => string | null {
  if (isUnaltered) return ({ object }) => object.spec?.nodeName ?? null
  const before = new Map(
    given.filter(isPod).map((pod) => [podKey(pod), pod.spec?.nodeName ?? null]),
  )
  return ({ key }) => before.get(key) ?? null
}

/** The board of objects after some what-ifs, in their order. `remedies` says whether those that wait get proven remedies. */
export function boardOf(
  given: readonly BoardObject[],
  whatIfs: readonly WhatIf[],
  remedies = true,
): BoardRead {
  const objects = whatIfs.reduce<readonly BoardObject[]>(
    (now, whatIf) => (whatIf.kind === 'drain' ? now : applied(now, whatIf)),
    given,
  )
  const read = readWorld(objects)
  if (!read.ok) return { ok: false, path: read.path, says: read.says }
  const { world } = read
  const { room } = world
  const names = new Set(objects.filter(isNode).map((node) => node.metadata.name))
  const drained = whatIfs.flatMap((whatIf) =>
    whatIf.kind === 'drain' && names.has(whatIf.node) ? [whatIf.node] : [],
  )
  let blocked: Board['blocked'] = []
  if (drained.length > 0) {
    const emptied = drain(world, drained, { allowLocalData: true })
    if (!emptied.ok) return emptied
    blocked = emptied.drain.blocked
  }
  const placement = place(world, { remedies })
  const ownerOf = workloadsOf(objects)
  const nodesBefore = new Map(given.filter(isNode).map((node) => [node.metadata.name, node]))
  const nodeBefore = nodesBeforeOf(given, drained.length === 0 && objects === given)
  const fateOf = (name: string): BoardNode['fate'] => {
    if (drained.includes(name)) return 'drained'
    return nodesBefore.has(name) ? 'stands' : 'new'
  }
  const placedNodes = room.nodes
    .slice(0, room.count)
    .map((node, i) => standingNode(room, i, node, fateOf(node.metadata.name), nodeBefore, ownerOf))
  const lost = [...nodesBefore.values()].filter((node) => !names.has(node.metadata.name))
  const nodes = [...placedNodes, ...lost.map(lostNode)].sort(
    (a, b) =>
      compareText(a.pool, b.pool) || compareText(a.zone, b.zone) || byNumber(a.name, b.name),
  )
  const zones = new Set(nodes.map((node) => node.zone).filter((zone) => zone !== ''))
  return {
    ok: true,
    board: {
      nodes,
      waiting: waitingGroups(objects, placement.waiting, ownerOf),
      moves: movesOf(placedNodes),
      blocked,
      workloads: workloadList(given, objects === given ? ownerOf : workloadsOf(given)),
      zones: [...zones].sort(compareText),
    },
  }
}

/** `general-2` before `general-10`. */
const byNumber = (a: string, b: string): number => {
  const number = (name: string): number => Number(/(\d+)$/.exec(name)?.[1] ?? 0)
  const stem = (name: string): string => name.replace(/\d+$/, '')
  return compareText(stem(a), stem(b)) || number(a) - number(b)
}

/** Pods that wait, those of one workload with one reason as one entry. */
function waitingGroups(
  objects: readonly BoardObject[],
  waiting: readonly WaitingAnswer[],
  ownerOf: (pod: PodObject) => string,
): readonly BoardWaiting[] {
  if (waiting.length === 0) return []
  const byKey = new Map(objects.filter(isPod).map((pod) => [podKey(pod), pod]))
  const groups = new Map<string, BoardWaiting>()
  for (const waitingAnswer of waiting) {
    const pod = byKey.get(waitingAnswer.pod)
    if (!pod) continue
    const workload = ownerOf(pod)
    const key = `${workload} ${JSON.stringify(waitingAnswer.tally)}`
    const group = groups.get(key)
    if (group) groups.set(key, { ...group, count: group.count + 1 })
    else {
      const request = podRequest(pod.spec ?? {}, '')
      groups.set(key, {
        ...waitingAnswer,
        workload,
        count: 1,
        tries: waitingAnswer.remedies.map((remedy) => whatIfOf(remedy, workload, pod)),
        cpuMilli: request.get('cpu') ?? 0,
        memoryBytes: request.get('memory') ?? 0,
      })
    }
  }
  return [...groups.values()]
}

/** A remedy of a waiting pod as a what-if, so that it can be tried on the board; null for those that have none. */
function whatIfOf(
  remedy: PlacementRemedy,
  workload: string,
  before: PodObject | undefined,
): WhatIf | null {
  if (remedy.kind === 'node' && remedy.node)
    return { kind: 'nodes', like: remedy.node.metadata.name.replace(/-more-\d+$/, ''), count: 1 }
  if (remedy.kind === 'toleration') {
    const added = remedy.pod?.spec?.tolerations?.at(-1)
    return added?.key
      ? {
          kind: 'toleration',
          workload,
          key: added.key,
          value: added.value ?? '',
          effect: added.effect ?? 'NoSchedule',
        }
      : null
  }
  if (remedy.kind !== 'request') return null
  for (const container of remedy.pod?.spec?.containers ?? []) {
    const old = before?.spec?.containers?.find(
      (otherContainer) => otherContainer.name === container.name,
    )
    for (const resource of ['cpu', 'memory'] as const) {
      const amount = container.resources?.requests?.[resource]
      if (amount !== undefined && amount !== old?.resources?.requests?.[resource])
        return {
          kind: 'request',
          workload,
          container: container.name ?? '',
          resource,
          amount: asText(amount),
        }
    }
  }
  return null
}
