/**
 * The choice of a node: all nodes filtered, those that take the pod scored, the highest taken, the lowest name on a tie.
 * One pass over the nodes; the scores that compare nodes with each other take a second one over those that take the pod.
 */
import { fillVerdicts, FITS, look, type Look } from './filters'
import type { Room } from './room'

export interface Choice {
  /** The chosen node, or −1. */
  readonly node: number
  readonly seen: Look
  /** Why each node was left out; FITS where it was not. Overwritten by the next choice in the same room. */
  readonly codes: Uint8Array
  /** How many nodes take the pod. */
  readonly feasible: number
  /** Scores by node, on request. */
  readonly scores: ReadonlyMap<number, number> | null
}

interface Buffers {
  readonly codes: Uint8Array
  readonly nodes: Int32Array
  readonly friendliness: Float64Array
  readonly crowd: Float64Array
}

const buffers = new WeakMap<Room, Buffers>()

function buffersOf(room: Room): Buffers {
  const buffer = buffers.get(room)
  if (buffer) return buffer
  const size = room.podCount.length
  const made: Buffers = {
    codes: new Uint8Array(size),
    nodes: new Int32Array(size),
    friendliness: new Float64Array(size),
    crowd: new Float64Array(size),
  }
  buffers.set(room, made)
  return made
}

const share = (used: number, all: number): number => (all <= 0 ? 1 : Math.min(1, used / all))

/** Sums, for each node, the weights of the preferred terms of which a pod stands in its domain. */
function fillFriendliness(
  room: Room,
  { shape }: Look,
  nodes: Int32Array,
  feasible: number,
  into: Float64Array,
): void {
  into.fill(0, 0, room.count)
  for (const { term, weight } of shape.preferred) {
    const domains = room.domainsOf(term.topologyKey)
    const has = new Uint8Array(domains.count)
    for (const node of room.countOf(term.means, term.matches, true).keys()) {
      const domain = domains.of[node] ?? -1
      if (domain >= 0) has[domain] = 1
    }
    for (let k = 0; k < feasible; k++) {
      const node = nodes[k] ?? 0
      const domain = domains.of[node] ?? -1
      if (domain >= 0 && has[domain] === 1) into[node] = (into[node] ?? 0) + weight
    }
  }
}

/** Sums, for each node, the matching pods in its domains; −1 for a node that lacks one of the labels. */
function fillCrowd(
  room: Room,
  { shape, fit }: Look,
  nodes: Int32Array,
  feasible: number,
  into: Float64Array,
): void {
  into.fill(0, 0, room.count)
  const keys = shape.soft.map((constraint) => room.domainsOf(constraint.topologyKey))
  shape.soft.forEach((constraint, which) => {
    const domains = keys[which]
    if (!domains) return
    const counts = new Float64Array(domains.count)
    for (const [node, pods] of room.countOf(constraint.means, constraint.matches, false)) {
      const domain = domains.of[node] ?? -1
      if (domain < 0 || !keys.every((key) => (key.of[node] ?? -1) >= 0)) continue
      if (
        (constraint.honoursSelectors && fit.excluded[node] === 1) ||
        (constraint.honoursTaints && fit.tainted[node] === 1)
      )
        continue
      counts[domain] = (counts[domain] ?? 0) + pods
    }
    for (let k = 0; k < feasible; k++) {
      const node = nodes[k] ?? 0
      const domain = domains.of[node] ?? -1
      into[node] =
        domain < 0 || (into[node] ?? 0) < 0 ? -1 : (into[node] ?? 0) + (counts[domain] ?? 0)
    }
  })
}

interface Extremes {
  readonly low: number
  readonly high: number
}

/** The least and the most among the nodes that take the pod; those below `floor` have no part. */
function span(
  values: Float64Array | Uint16Array,
  nodes: Int32Array,
  feasible: number,
  floor = -Infinity,
): Extremes {
  let low = Infinity
  let high = -Infinity
  for (let k = 0; k < feasible; k++) {
    const value = values[nodes[k] ?? 0] ?? 0
    if (value < floor) continue
    if (value < low) low = value
    if (value > high) high = value
  }
  return { low, high }
}

/** Lowest 0, highest 100; all equal is 0. */
const scaledUp = (value: number, { low, high }: Extremes): number =>
  high > low ? (100 * (value - low)) / (high - low) : 0
/** Fewest 100, most 0; all equal is 100. */
const scaledDown = (value: number, { low, high }: Extremes): number =>
  high > low ? (100 * (high - value)) / (high - low) : 100

/** Where a pod of this shape goes now. `without` leaves nodes out, and gives them no reason. */
export function choose(
  room: Room,
  seen: Look,
  options: { readonly scores?: boolean; readonly without?: (node: number) => boolean } = {},
): Choice {
  const { codes, nodes, friendliness, crowd } = buffersOf(room)
  const { shape, fit } = seen
  let feasible = 0
  fillVerdicts(room, seen, codes)
  const { without } = options
  for (let node = 0; node < room.count; node++)
    if (codes[node] === FITS && (without === undefined || !without(node))) nodes[feasible++] = node
  const scores = options.scores === true ? new Map<number, number>() : null
  if (feasible === 0) return { node: -1, seen, codes, feasible, scores }
  if (feasible === 1 && !scores) return { node: nodes[0] ?? -1, seen, codes, feasible, scores }

  const liking = fit.preferred ? span(fit.preferred, nodes, feasible) : null
  if (shape.preferred.length > 0) fillFriendliness(room, seen, nodes, feasible, friendliness)
  const friends = shape.preferred.length > 0 ? span(friendliness, nodes, feasible) : null
  if (shape.soft.length > 0) fillCrowd(room, seen, nodes, feasible, crowd)
  const crowds = shape.soft.length > 0 ? span(crowd, nodes, feasible, 0) : null
  const mostDisliked = fit.anyDisliked ? span(fit.disliked, nodes, feasible).high : 0
  const cpuAll = room.allocatable[0] ?? new Float64Array(0)
  const memoryAll = room.allocatable[1] ?? new Float64Array(0)

  const isPlain = !liking && !friends && crowds === null && mostDisliked === 0
  const { scoreCpu, scoreMemory } = room
  const { scoreCpuMilli, scoreMemoryBytes } = shape
  let best = -1
  let bestScore = -Infinity
  for (let k = 0; k < feasible; k++) {
    const node = nodes[k] ?? 0
    const cpu = share((scoreCpu[node] ?? 0) + scoreCpuMilli, cpuAll[node] ?? 0)
    const memory = share((scoreMemory[node] ?? 0) + scoreMemoryBytes, memoryAll[node] ?? 0)
    const free = (100 * (1 - cpu + (1 - memory))) / 2
    const balance = 100 * (1 - Math.abs(cpu - memory) / 2)
    // Where nodes are not compared with each other, the rest is the same for all.
    if (isPlain && !scores && node < room.standing) {
      const score = free + balance + 500
      if (score > bestScore) {
        bestScore = score
        best = node
      }
      continue
    }
    const liked = liking ? scaledUp(fit.preferred?.[node] ?? 0, liking) : 0
    const friendly = friends ? scaledUp(friendliness[node] ?? 0, friends) : 0
    let spread: number
    if (crowds === null) spread = 100
    else if ((crowd[node] ?? 0) < 0) spread = 0
    else spread = scaledDown(crowd[node] ?? 0, crowds)
    const calm = mostDisliked > 0 ? 100 * (1 - (fit.disliked[node] ?? 0) / mostDisliked) : 100
    const score = free + balance + (2 * liked + 2 * friendly + 2 * spread + 3 * calm)
    scores?.set(node, score)
    // Nodes tried out lie behind the others whatever their names are.
    if (
      score > bestScore ||
      (score === bestScore &&
        node >= room.standing &&
        (room.names[node] ?? '') < (room.names[best] ?? ''))
    ) {
      bestScore = score
      best = node
    }
  }
  return { node: best, seen, codes, feasible, scores }
}

export const chooseFor = (
  room: Room,
  shape: Look['shape'],
  options?: Parameters<typeof choose>[2],
): Choice => choose(room, look(room, shape), options)
