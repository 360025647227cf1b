/**
 * Draining and turnover: the pods of nodes evicted one after another, each only where its budget lets it go and another node
 * takes it, and ready again before the next. A drain gives its nodes away: none of them takes a pod. A turnover replaces
 * them wave by wave: a node that has been drained comes back empty. Cost: evicted pods × nodes.
 */
import type { Said } from '../contract'
import { budgetRefusal, budgetsOf, isReady, partOf, type Budget } from './budgets'
import { choose, type Choice } from './choose'
import { FITS, look, RESOURCES, tallyOf } from './filters'
import { freshName } from './new-node'
import { oneMore } from './new-node'
import { reasonsText } from './schedule'
import { type Pod, type World } from './world'
import { controllerOf } from '../objects'
import { said } from './says'

/** What keeps a pod on its node: `no-controller`, `local-data`, `budget.…` or `no-room`. */
export interface Blocked extends Said {
  readonly pod: string
  /** Of one for which there is no room: why each other node was left out, and what the nodes that lack but room have free. */
  readonly noRoom?: NoRoom
}

export interface NoRoom {
  /** Number of nodes by reason. */
  readonly tally: Readonly<Record<string, number>>
  readonly asks: { readonly cpuMilli: number; readonly memoryBytes: number }
  /** Nodes that would take it if it asked for less, and what is free on all of them together. */
  readonly usable: {
    readonly nodes: number
    readonly cpuMilli: number
    readonly memoryBytes: number
  }
}

export interface DrainOptions {
  /** Whether data in emptyDir volumes may be lost. */
  readonly allowLocalData?: boolean
  /** Nodes added before a wave begins, a number or a percentage of the nodes (rounded up). */
  readonly surge?: number | string
  /** Nodes that may be missing at a time, a number or a percentage of the nodes (rounded down). */
  readonly unavailable?: number | string
  /** More nodes that take no pod. */
  readonly closed?: readonly string[]
  /** The budgets of the world as they stand, where one world serves many drains. */
  readonly budgets?: readonly Budget[]
}

export interface Eviction {
  readonly pod: string
  readonly from: string
  /** The node that takes it; null for one that is finished or leaving and needs no place. */
  readonly to: string | null
  /** Until it is ready again. */
  readonly seconds: number
}

export interface Drain {
  readonly evictions: readonly Eviction[]
  readonly blocked: readonly Blocked[]
  /** What will be left behind or lost without standing in the way. */
  readonly cautions: readonly (Said & { readonly pod: string })[]
  readonly waves: readonly { readonly nodes: readonly string[]; readonly seconds: number }[]
  readonly seconds: number
}

export type DrainRead =
  | {
      readonly ok: true
      readonly drain: Drain
      /** Puts every evicted pod back where it stood. Nodes of a surge stay. */
      readonly undo: () => void
    }
  | { readonly ok: false; readonly path: string; readonly says: string }

/** Taken for a pod whose own start was never seen. */
const unseenStartSeconds = 30

/** How long a pod took from its start to being ready, as it was last seen; in whole seconds. */
export function startSeconds(pod: Pod): number {
  const ready = (pod.object.status?.conditions ?? []).find(
    (condition) => condition.type === 'Ready' && condition.status === 'True',
  )
  const from = Number.isFinite(pod.startedAt) ? pod.startedAt : pod.createdAt
  const to = ready?.lastTransitionTime ? Date.parse(ready.lastTransitionTime) : NaN
  if (!Number.isFinite(from) || Number.isNaN(to)) return unseenStartSeconds
  return Math.max(0, Math.round((to - from) / 1000))
}

const isDaemonPod = (pod: Pod): boolean => controllerOf(pod.object)?.kind === 'DaemonSet'
const isMirror = (pod: Pod): boolean =>
  pod.object.metadata.annotations?.['kubernetes.io/config.mirror'] !== undefined

/** Why a pod cannot be evicted whatever the room, or null. */
function standsInTheWay(pod: Pod, allowLocalData: boolean): Omit<Blocked, 'pod'> | null {
  if (pod.isFinished || pod.isLeaving) return null
  if (!controllerOf(pod.object)) return { ...said('no-controller') }
  const local = (pod.object.spec?.volumes ?? []).filter((volume) => volume.emptyDir)
  if (local.length > 0 && !allowLocalData)
    return {
      ...said('local-data', { local: local.map((volume) => `“${volume.name ?? ''}”`) }),
    }
  return null
}

function budgetObstacle(pod: Pod, budgets: readonly Budget[]): Omit<Blocked, 'pod'> | null {
  return budgetRefusal(pod, budgets)
}

interface Going {
  readonly world: World
  readonly budgets: readonly Budget[]
  readonly evictions: Eviction[]
  readonly blocked: Blocked[]
  readonly cautions: (Said & { pod: string })[]
  /** Pods that left a node, for another or (null) for none; in order. */
  readonly moves: {
    readonly pod: Pod
    readonly from: number
    readonly to: number | null
    /** Budgets that count one more healthy pod since. */
    readonly healed: readonly Budget[]
  }[]
}

/** What a pod that found no place could use if it asked for less. `codes` are the verdicts at its turn. */
function noRoomOf(world: World, pod: Pod, home: Choice, closed: (node: number) => boolean): NoRoom {
  const { room } = world
  const usable = { nodes: 0, cpuMilli: 0, memoryBytes: 0 }
  for (let node = 0; node < room.count; node++) {
    if (closed(node)) home.codes[node] = FITS
    else if (home.codes[node] === RESOURCES) {
      usable.nodes++
      usable.cpuMilli += Math.max(0, freeOf(room, 0, node))
      usable.memoryBytes += Math.max(0, freeOf(room, 1, node))
    }
  }
  return {
    tally: tallyOf(room, home.seen, home.codes),
    asks: { cpuMilli: pod.shape.cpuMilli, memoryBytes: pod.shape.memoryBytes },
    usable,
  }
}

const freeOf = (room: World['room'], resource: number, node: number): number =>
  (room.allocatable[resource]?.[node] ?? 0) - (room.used[resource]?.[node] ?? 0)

/** Where an evicted pod goes: a node that stands, else one of the surge. */
function newHome(going: Going, pod: Pod, closed: (node: number) => boolean): Choice {
  const { room } = going.world
  const seen = look(room, pod.shape)
  const choice = choose(room, seen, { without: (node) => closed(node) || node >= room.standing })
  return choice.node >= 0 ? choice : choose(room, seen, { without: closed })
}

function evict(
  going: Going,
  pod: Pod,
  node: number,
  closed: (node: number) => boolean,
  allowLocalData: boolean,
): number {
  const { world, evictions, blocked, cautions } = going
  const { room } = world
  const from = room.names[node] ?? ''
  const obstacle = standsInTheWay(pod, allowLocalData) ?? budgetObstacle(pod, going.budgets)
  if (obstacle) {
    blocked.push({ pod: pod.key, ...obstacle })
    return 0
  }
  if (pod.isFinished || pod.isLeaving) {
    if (pod.isLeaving && !pod.isFinished) {
      room.take(pod, node)
      going.moves.push({ pod, from: node, to: null, healed: [] })
    }
    evictions.push({ pod: pod.key, from, to: null, seconds: 0 })
    return 0
  }
  room.take(pod, node)
  const home = newHome(going, pod, closed)
  if (home.node < 0) {
    const noRoom = noRoomOf(world, pod, home, closed)
    room.put(pod, node)
    blocked.push({
      pod: pod.key,
      ...said('no-room', { reasons: reasonsText(noRoom.tally) }),
      noRoom,
    })
    return 0
  }
  const paths = (pod.object.spec?.volumes ?? []).flatMap((volume) =>
    volume.hostPath ? [volume.hostPath.path ?? volume.name ?? ''] : [],
  )
  if (paths.length > 0) cautions.push({ pod: pod.key, ...said('host-path-stays', { paths, from }) })
  room.put(pod, home.node)
  // It is ready at its new place before the next one goes.
  const healed = isReady(pod) ? [] : going.budgets.filter((budget) => budget.covers(pod))
  for (const budget of healed) budget.healthy++
  going.moves.push({ pod, from: node, to: home.node, healed })
  const seconds = startSeconds(pod)
  evictions.push({ pod: pod.key, from, to: room.names[home.node] ?? '', seconds })
  return seconds
}

function sizes(
  count: number,
  options: DrainOptions,
):
  | { readonly surge: number; readonly unavailable: number }
  | { readonly path: string; readonly says: string } {
  const surge = partOf(options.surge ?? 0, count)
  const unavailable = partOf(options.unavailable ?? 1, count, Math.floor)
  if (surge === null || surge < 0)
    return {
      path: 'options.surge',
      says: 'A surge is a whole number of nodes from 0, or a percentage like "25%".',
    }
  if (unavailable === null || unavailable < 0)
    return {
      path: 'options.unavailable',
      says: 'It is a whole number of nodes from 0, or a percentage like "25%".',
    }
  if (surge + unavailable === 0)
    return {
      path: 'options.unavailable',
      says: `Surge and unavailable are both 0 of ${count} nodes, so no node could ever go. Make one of them at least 1.`,
    }
  return { surge, unavailable }
}

function going(world: World, budgets = budgetsOf(world)): Going {
  return { world, budgets, evictions: [], blocked: [], cautions: [], moves: [] }
}

/** Empties nodes in waves. `comesBack` says whether a drained node takes pods again after its wave. */
function empty(
  world: World,
  names: readonly string[],
  options: DrainOptions,
  comesBack: boolean,
): DrainRead {
  const { room } = world
  const unknown = names.findIndex((name) => room.nodeIndex(name) < 0)
  if (unknown >= 0)
    return {
      ok: false,
      path: `nodes[${unknown}]`,
      says: `There is no node ${names[unknown] ?? ''} among the objects.`,
    }
  const nodes = [...new Set(names)]
  if (nodes.length === 0) return { ok: false, path: 'nodes', says: 'Name at least one node.' }
  const waveSizes = sizes(nodes.length, options)
  if ('path' in waveSizes) return { ok: false, ...waveSizes }
  const state = going(world, options.budgets)
  const all = new Set([...nodes, ...(options.closed ?? [])].map((name) => room.nodeIndex(name)))
  const waves: { nodes: readonly string[]; seconds: number }[] = []
  const perWave = waveSizes.surge + waveSizes.unavailable
  for (let i = 0; i < Math.min(waveSizes.surge, nodes.length) && !room.isFull; i++) {
    const like = room.nodes[room.nodeIndex(nodes[i] ?? '')]
    if (like) room.addNode(oneMore(like, freshName(room, like.metadata.name)), 'surge')
  }
  const finished = new Map<string, Pod[]>()
  for (const pod of world.pods) {
    const on = pod.object.spec?.nodeName
    if (!on || !pod.isFinished) continue
    const list = finished.get(on)
    if (list) list.push(pod)
    else finished.set(on, [pod])
  }
  for (let start = 0; start < nodes.length; start += perWave) {
    const wave = nodes.slice(start, start + perWave)
    const now = new Set(wave.map((name) => room.nodeIndex(name)))
    const closed = comesBack
      ? (node: number): boolean => now.has(node)
      : (node: number): boolean => all.has(node)
    let seconds = 0
    for (const name of wave) {
      const node = room.nodeIndex(name)
      const pods = [...(room.podsOn[node] ?? []), ...(finished.get(name) ?? [])].filter(
        (pod) => !isDaemonPod(pod) && !isMirror(pod),
      )
      pods.sort((a, b) => {
        if (a.shape.namespace < b.shape.namespace) return -1
        if (a.shape.namespace > b.shape.namespace) return 1
        if (a.key < b.key) return -1
        return 1
      })
      for (const pod of pods)
        seconds += evict(state, pod, node, closed, options.allowLocalData === true)
    }
    waves.push({ nodes: wave, seconds })
  }
  return {
    ok: true,
    undo: () => {
      for (const { pod, from, to, healed } of state.moves.splice(0).reverse()) {
        for (const budget of healed) budget.healthy--
        if (to !== null) room.take(pod, to)
        room.put(pod, from)
      }
    },
    drain: {
      evictions: state.evictions,
      blocked: state.blocked,
      cautions: state.cautions,
      waves,
      seconds: waves.reduce((sum, wave) => sum + wave.seconds, 0),
    },
  }
}

/** Drains nodes that are given away. The world is changed: the pods stand where they went. */
export const drain = (
  world: World,
  names: readonly string[],
  options: DrainOptions = {},
): DrainRead => empty(world, names, options, false)

/** Replaces nodes wave by wave; each comes back empty after its wave. The world is changed. */
export const turnOver = (
  world: World,
  names: readonly string[],
  options: DrainOptions = {},
): DrainRead => empty(world, names, options, true)
