/**
 * Which nodes take a pod, and why the others do not. The filters run in a fixed order and the first that fails is a node’s
 * reason, except that resources report each that is short. What depends on other pods (spread, affinity) is counted once
 * for a pod, by domain, and then looked up for each node.
 */
import type { Domains, Fit, Room } from './room'
import type { Shape, Term } from './shape'

/** Why a node was left out; `resources` stands for whichever are short. */
export const reasons = [
  '',
  'cordoned',
  'taint',
  'selector',
  'port',
  'resources',
  'volume',
  'spread',
  'affinity',
  'anti-affinity',
] as const
export const FITS = 0
export const CORDONED = 1
export const TAINT = 2
export const SELECTOR = 3
export const PORT = 4
export const RESOURCES = 5
export const VOLUME = 6
export const SPREAD = 7
export const AFFINITY = 8
export const ANTI_AFFINITY = 9

const none = new Float64Array(0)

interface SpreadNow {
  readonly of: Int32Array
  readonly counts: Int32Array
  readonly least: number
  readonly self: number
  readonly maxSkew: number
}

interface Presence {
  readonly of: Int32Array
  readonly has: Uint8Array
}

/** What a pod would meet on each node, as things stand now. Valid until a pod is put or taken. */
export interface Look {
  readonly shape: Shape
  readonly fit: Fit
  readonly volumes: ((node: number) => boolean) | null
  readonly others: readonly { readonly resource: number; readonly amount: number }[]
  readonly spread: readonly SpreadNow[]
  readonly affinity: readonly Presence[]
  /** No pod matches the affinity yet and this one does itself: any node with the labels will do. */
  readonly isFirst: boolean
  readonly kept: readonly Presence[]
}

/** Marks the domains in which pods of a count stand. */
function presence(
  domains: Domains,
  perNode: ReadonlyMap<number, number>,
  into?: Uint8Array,
): Presence {
  const has = into ?? new Uint8Array(domains.count)
  for (const node of perNode.keys()) {
    const domain = domains.of[node] ?? -1
    if (domain >= 0) has[domain] = 1
  }
  return { of: domains.of, has }
}

function spreadNow(room: Room, shape: Shape, fit: Fit): readonly SpreadNow[] {
  if (shape.hard.length === 0) return []
  const keys = shape.hard.map((constraint) => room.domainsOf(constraint.topologyKey))
  return shape.hard.map((constraint, which) => {
    const domains = keys[which] ?? { of: new Int32Array(0), count: 0 }
    const counts = new Int32Array(domains.count)
    const counted = new Uint8Array(domains.count)
    const eligible = (node: number): boolean =>
      keys.every((key) => (key.of[node] ?? -1) >= 0) &&
      !(constraint.honoursSelectors && fit.excluded[node] === 1) &&
      !(constraint.honoursTaints && fit.tainted[node] === 1)
    let count = 0
    for (let node = 0; node < room.count; node++) {
      const domain = domains.of[node] ?? -1
      if (domain < 0 || counted[domain] === 1 || !eligible(node)) continue
      counted[domain] = 1
      count++
    }
    for (const [node, pods] of room.countOf(constraint.means, constraint.matches, false)) {
      const domain = domains.of[node] ?? -1
      if (domain >= 0 && eligible(node)) counts[domain] = (counts[domain] ?? 0) + pods
    }
    let least = count === 0 || count < constraint.minDomains ? 0 : Infinity
    if (least > 0)
      for (let domain = 0; domain < domains.count; domain++)
        if (counted[domain] === 1) least = Math.min(least, counts[domain] ?? 0)
    return {
      of: domains.of,
      counts,
      least,
      self: constraint.self ? 1 : 0,
      maxSkew: constraint.maxSkew,
    }
  })
}

/** What the pods that stand mean for a pod of this shape. */
export function look(room: Room, shape: Shape): Look {
  const fit = room.fitOf(shape)
  const all = (namespace: string, labels: Shape['labels']): boolean =>
    shape.affinity.every((term) => term.matches(namespace, labels))
  const friends =
    shape.affinity.length === 0
      ? null
      : room.countOf(shape.affinity.map((term) => term.means).join('&'), all, true)
  const kept = new Map<string, Presence>()
  const keep = (term: Term, perNode: ReadonlyMap<number, number>): void => {
    if (perNode.size === 0) return
    kept.set(
      term.topologyKey,
      presence(room.domainsOf(term.topologyKey), perNode, kept.get(term.topologyKey)?.has),
    )
  }
  for (const term of shape.antiAffinity) keep(term, room.countOf(term.means, term.matches, true))
  for (const { term, perNode } of room.guardsAgainst(shape)) keep(term, perNode)
  return {
    shape,
    fit,
    volumes: room.volumeTest(shape),
    others: shape.others.map(([resource, amount]) => ({
      resource: room.resourceIndex(resource),
      amount,
    })),
    spread: spreadNow(room, shape, fit),
    affinity: friends
      ? shape.affinity.map((term) => presence(room.domainsOf(term.topologyKey), friends))
      : [],
    isFirst: friends !== null && friends.size === 0 && all(shape.namespace, shape.labels),
    kept: [...kept.values()],
  }
}

function portsClash(room: Room, shape: Shape, node: number): boolean {
  const here = room.ports[node] ?? []
  return here.some((ports) =>
    ports.some((used) =>
      shape.ports.some(
        (port) =>
          port.port === used.port &&
          port.protocol === used.protocol &&
          (port.ip === used.ip || port.ip === '0.0.0.0' || used.ip === '0.0.0.0'),
      ),
    ),
  )
}

/** Whether an amount fits beside what is taken; asking for nothing always does. */
const isShort = (room: Room, resource: number, node: number, amount: number): boolean =>
  amount > 0 &&
  amount > (room.allocatable[resource]?.[node] ?? 0) - (room.used[resource]?.[node] ?? 0)

/** Resources of a node that are too short for the shape, by name, in the order cpu, memory, pods, others. */
export function shortOf(room: Room, seen: Look, node: number): readonly string[] {
  const { shape } = seen
  return [
    ...(isShort(room, 0, node, shape.cpuMilli) ? ['cpu'] : []),
    ...(isShort(room, 1, node, shape.memoryBytes) ? ['memory'] : []),
    ...((room.podCount[node] ?? 0) + 1 > (room.podLimit[node] ?? 0) ? ['pods'] : []),
    ...seen.others.flatMap(({ resource, amount }) =>
      isShort(room, resource, node, amount) ? [room.resources[resource] ?? ''] : [],
    ),
  ]
}

/** Why a node does not take the pod, or FITS. `from` skips the filters before it. */
export function verdict(room: Room, seen: Look, node: number, from = CORDONED): number {
  const { shape, fit } = seen
  if (from <= CORDONED && fit.cordoned[node] === 1) return CORDONED
  if (from <= TAINT && fit.tainted[node] === 1) return TAINT
  if (from <= SELECTOR && fit.excluded[node] === 1) return SELECTOR
  if (from <= PORT && shape.ports.length > 0 && portsClash(room, shape, node)) return PORT
  if (from <= RESOURCES) {
    if (
      isShort(room, 0, node, shape.cpuMilli) ||
      isShort(room, 1, node, shape.memoryBytes) ||
      (room.podCount[node] ?? 0) + 1 > (room.podLimit[node] ?? 0)
    )
      return RESOURCES
    for (const { resource, amount } of seen.others)
      if (isShort(room, resource, node, amount)) return RESOURCES
  }
  if (seen.volumes !== null && !seen.volumes(node)) return VOLUME
  for (const spread of seen.spread) {
    const domain = spread.of[node] ?? -1
    if (domain < 0 || (spread.counts[domain] ?? 0) + spread.self - spread.least > spread.maxSkew)
      return SPREAD
  }
  for (const { of, has } of seen.affinity) {
    const domain = of[node] ?? -1
    if (domain < 0 || (has[domain] !== 1 && !seen.isFirst)) return AFFINITY
  }
  for (const { of, has } of seen.kept) {
    const domain = of[node] ?? -1
    if (domain >= 0 && has[domain] === 1) return ANTI_AFFINITY
  }
  return FITS
}

export const fitsOn = (room: Room, shape: Shape, node: number): boolean =>
  verdict(room, look(room, shape), node) === FITS

/** Fills in why each node was left out, as `verdict` says; the common case without a call for each node. */
export function fillVerdicts(room: Room, seen: Look, codes: Uint8Array): void {
  const { shape, fit } = seen
  const cpuUsed = room.used[0] ?? none
  const cpuAll = room.allocatable[0] ?? none
  const memoryUsed = room.used[1] ?? none
  const memoryAll = room.allocatable[1] ?? none
  const { podCount, podLimit } = room
  const { cpuMilli, memoryBytes } = shape
  const hasPorts = shape.ports.length > 0
  const isLate =
    seen.volumes !== null || seen.spread.length + seen.affinity.length + seen.kept.length > 0
  for (let node = 0; node < room.count; node++) {
    let code = fit.codes[node] ?? FITS
    if (code === FITS) {
      if (hasPorts || seen.others.length > 0) code = verdict(room, seen, node, PORT)
      else if (
        (cpuMilli > 0 && cpuMilli > (cpuAll[node] ?? 0) - (cpuUsed[node] ?? 0)) ||
        (memoryBytes > 0 && memoryBytes > (memoryAll[node] ?? 0) - (memoryUsed[node] ?? 0)) ||
        (podCount[node] ?? 0) + 1 > (podLimit[node] ?? 0)
      )
        code = RESOURCES
      else if (isLate) code = verdict(room, seen, node, VOLUME)
    }
    codes[node] = code
  }
}

/** Number of nodes by reason, in the order of the filters. */
export function tallyOf(
  room: Room,
  seen: Look,
  codes: Uint8Array,
): Readonly<Record<string, number>> {
  const counts = new Map<string, number>()
  const count = (reason: string): void => void counts.set(reason, (counts.get(reason) ?? 0) + 1)
  for (let node = 0; node < room.count; node++) {
    const code = codes[node] ?? FITS
    if (code === FITS) continue
    if (code === RESOURCES) for (const resource of shortOf(room, seen, node)) count(resource)
    else count(reasons[code] ?? '')
  }
  const order = [
    'cordoned',
    'taint',
    'selector',
    'port',
    'cpu',
    'memory',
    'pods',
    'ephemeral-storage',
  ]
  const late = ['volume', 'spread', 'affinity', 'anti-affinity']
  const others = [...counts.keys()]
    .filter((reason) => !order.includes(reason) && !late.includes(reason))
    .sort()
  // A null prototype: a resource may be named anything.
  const tally: Record<string, number> = {}
  for (const reason of [...order, ...others, ...late]) {
    const index = counts.get(reason)
    if (index !== undefined)
      Object.defineProperty(tally, reason, {
        value: index,
        enumerable: true,
        configurable: true,
        writable: true,
      })
  }
  return tally
}
