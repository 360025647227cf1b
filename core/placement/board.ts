/**
 * The placement board: what stands on which node, and what a what-if moves. A what-if changes the objects (a node more, a
 * zone less, other replicas or requests) or drains a node; then everything that waits is placed anew and compared with before.
 */
import { amountOf, type PodObject, podRequest } from '../objects'
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
}

export interface Board {
  readonly nodes: readonly BoardNode[]
  readonly waiting: readonly BoardWaiting[]
  readonly moves: readonly {
    readonly pod: string
    readonly from: string | null
    readonly to: string | null
  }[]
  readonly blocked: readonly { readonly pod: string; readonly says: string }[]
  readonly workloads: readonly BoardWorkload[]
  readonly zones: readonly string[]
}

export type BoardRead =
  | { readonly ok: true; readonly board: Board }
  | { readonly ok: false; readonly path: string; readonly says: string }

const zoneLabel = 'topology.kubernetes.io/zone'

const text = (value: string | number | undefined): string | null =>
  value === undefined ? null : String(value)

function workloadList(objects: readonly BoardObject[]): readonly BoardWorkload[] {
  const ownerOf = workloadsOf(objects)
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
    }))
    .sort((a, b) => compareText(a.key, b.key))
}

/** The board of objects after some what-ifs, in their order. `remedies` says whether those that wait get proven remedies. */
export function boardOf(
  given: readonly BoardObject[],
  whatIfs: readonly WhatIf[],
  remedies = true,
): BoardRead {
  const before = new Map(
    given.filter(isPod).map((pod) => [podKey(pod), pod.spec?.nodeName ?? null]),
  )
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
  let blocked: readonly { readonly pod: string; readonly says: string }[] = []
  if (drained.length > 0) {
    const drainRead = drain(world, drained, { allowLocalData: true })
    if (!drainRead.ok) return drainRead
    blocked = drainRead.drain.blocked
  }
  const placement = place(world, { remedies })
  const ownerOf = workloadsOf(objects)
  const existing = new Map(given.filter(isNode).map((node) => [node.metadata.name, node]))
  const moves: { pod: string; from: string | null; to: string | null }[] = []
  const nodes: BoardNode[] = []
  for (let i = 0; i < room.count; i++) {
    const node = room.nodes[i]
    if (!node) continue
    const pods = (room.podsOn[i] ?? []).map((pod): BoardPod => {
      const from = before.get(pod.key) ?? null
      const moved = from !== node.metadata.name
      if (moved) moves.push({ pod: pod.key, from, to: node.metadata.name })
      return {
        key: pod.key,
        workload: ownerOf(pod.object),
        cpuMilli: pod.shape.cpuMilli,
        memoryBytes: pod.shape.memoryBytes,
        isDaemon: isDaemonPod(pod.object),
        ...(moved ? { from } : {}),
      }
    })
    let fate: 'drained' | 'stands' | 'new'
    if (drained.includes(node.metadata.name)) fate = 'drained'
    else if (existing.has(node.metadata.name)) fate = 'stands'
    else fate = 'new'
    nodes.push({
      name: node.metadata.name,
      pool: node.metadata.labels?.['gyrarch/pool'] ?? '',
      zone: node.metadata.labels?.[zoneLabel] ?? '',
      size: node.metadata.labels?.['node.kubernetes.io/instance-type'] ?? '',
      cordoned: node.spec?.unschedulable === true,
      taints: (node.spec?.taints ?? []).map(
        (taint) => `${taint.key}${taint.value ? `=${taint.value}` : ''}:${taint.effect}`,
      ),
      cpuMilli: room.allocatable[0]?.[i] ?? 0,
      memoryBytes: room.allocatable[1]?.[i] ?? 0,
      podLimit: Number.isFinite(room.podLimit[i]) ? (room.podLimit[i] ?? null) : null,
      cpuUsed: room.used[0]?.[i] ?? 0,
      memoryUsed: room.used[1]?.[i] ?? 0,
      pods: pods.sort(
        (a, b) =>
          Number(b.isDaemon) - Number(a.isDaemon) ||
          compareText(a.workload, b.workload) ||
          compareText(a.key, b.key),
      ),
      fate,
    })
  }
  for (const [name, node] of existing) {
    if (names.has(name)) continue
    const all = node.status?.allocatable ?? node.status?.capacity ?? {}
    nodes.push({
      name,
      pool: node.metadata.labels?.['gyrarch/pool'] ?? '',
      zone: node.metadata.labels?.[zoneLabel] ?? '',
      size: node.metadata.labels?.['node.kubernetes.io/instance-type'] ?? '',
      cordoned: false,
      taints: [],
      cpuMilli: amountOf('cpu', all['cpu'] ?? 0, ''),
      memoryBytes: amountOf('memory', all['memory'] ?? 0, ''),
      podLimit: null,
      cpuUsed: 0,
      memoryUsed: 0,
      pods: [],
      fate: 'lost',
    })
  }
  nodes.sort(
    (a, b) =>
      compareText(a.pool, b.pool) || compareText(a.zone, b.zone) || byNumber(a.name, b.name),
  )
  return {
    ok: true,
    board: {
      nodes,
      waiting: waitingGroups(objects, placement.waiting, ownerOf),
      moves,
      blocked,
      workloads: workloadList(given),
      zones: [...new Set(nodes.map((node) => node.zone).filter((zone) => zone !== ''))].sort(
        compareText,
      ),
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
          amount: String(amount),
        }
    }
  }
  return null
}
