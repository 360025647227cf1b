/**
 * Node autoscaling: which pools should grow so that what waits finds a place, and which node could go. Waiting pods that no
 * node takes are packed onto nodes of each pool that may still grow, tried out empty; the pool is chosen by the tightest fit,
 * the lowest price or the order listed. A node goes when less than half of it is asked for, its pods find a place elsewhere
 * within their budgets, and its pool stays at its minimum. Cost: waiting pods × nodes, and a drain for each node considered.
 */
import type { ApiObject, NodeObject } from '../objects'
import { chooseFor, drain, place, readWorld, type Pod, type World } from '../placement'

export type PoolOrder = 'tightest' | 'cheapest' | 'listed'

export interface ScalablePool {
  readonly name: string
  readonly min: number
  readonly max: number
  /** Nodes it has, those on their way included. */
  readonly count: number
  readonly nodes: readonly string[]
  /** Units an hour of one node. */
  readonly hourly: number
  /** One more node of it, empty, by a name of its own. */
  readonly make: (name: string) => NodeObject
}

export interface Growth {
  readonly pool: string
  readonly by: number
  /** Pods that find a place on the new nodes. */
  readonly pods: readonly string[]
}

/** Packs as many of the pods as go onto one node of a pool; the share of the node that stays unused, or null if none goes. */
function tryPool(
  world: World,
  pods: readonly Pod[],
  pool: ScalablePool,
  name: string,
): { readonly placed: readonly Pod[]; readonly unused: number; readonly undo: () => void } | null {
  const { room } = world
  if (room.isFull) return null
  const index = room.addNode(pool.make(name), 'pool')
  const placed: Pod[] = []
  for (const pod of pods) {
    if (chooseFor(room, pod.shape, { without: (node) => node !== index }).node !== index) continue
    room.put(pod, index)
    placed.push(pod)
  }
  const undo = (): void => {
    for (const pod of placed) room.take(pod, index)
    room.dropLastNode()
  }
  if (placed.length === 0) {
    undo()
    return null
  }
  const share = (r: number): number =>
    1 - (room.used[r]?.[index] ?? 0) / Math.max(1, room.allocatable[r]?.[index] ?? 1)
  return { placed, unused: (share(0) + share(1)) / 2, undo }
}

const better = (
  order: PoolOrder,
  a: { unused: number; hourly: number },
  b: { unused: number; hourly: number },
): boolean => {
  if (order === 'tightest') return a.unused < b.unused
  if (order === 'cheapest') return a.hourly < b.hourly
  return false
}

/** How far pools should grow for what waits and finds no place now. Nothing for pods that no pool could take. */
export function poolsToGrow(
  objects: readonly ApiObject[],
  pools: readonly ScalablePool[],
  order: PoolOrder,
): readonly Growth[] {
  const read = readWorld(objects)
  if (!read.ok) return []
  const { world } = read
  const waits = new Set(
    place(world, { remedies: false })
      .waiting.filter((waitingAnswer) => Object.keys(waitingAnswer.tally).length > 0)
      .map((waitingAnswer) => waitingAnswer.pod),
  )
  let left = world.waiting.filter((pod) => waits.has(pod.key))
  const grown = new Map<string, { by: number; pods: string[] }>()
  for (let made = 0; left.length > 0 && made < 200; made++) {
    let best: { pool: ScalablePool; placed: readonly Pod[]; unused: number } | null = null
    for (const pool of pools) {
      if (pool.count + (grown.get(pool.name)?.by ?? 0) >= pool.max) continue
      const tried = tryPool(world, left, pool, `${pool.name}-wanted-${made}`)
      if (!tried) continue
      tried.undo()
      if (
        !best ||
        better(
          order,
          { unused: tried.unused, hourly: pool.hourly },
          { unused: best.unused, hourly: best.pool.hourly },
        )
      )
        best = { pool, placed: tried.placed, unused: tried.unused }
    }
    if (!best) break
    const { pool } = best
    const settled = tryPool(world, left, pool, `${pool.name}-wanted-${made}`)
    const gone = new Set(settled?.placed ?? [])
    left = left.filter((pod) => !gone.has(pod))
    const existing = grown.get(pool.name) ?? { by: 0, pods: [] }
    grown.set(pool.name, {
      by: existing.by + 1,
      pods: [...existing.pods, ...[...gone].map((pod) => pod.key)],
    })
  }
  return [...grown].map(([pool, growth]) => ({ pool, ...growth }))
}

/** Nodes of pools above their minimum of which less than half is asked for, of CPU and of memory. */
export function halfEmptyNodes(
  objects: readonly ApiObject[],
  pools: readonly ScalablePool[],
): readonly string[] {
  const read = readWorld(objects)
  if (!read.ok) return []
  const { room } = read.world
  return pools
    .filter((pool) => pool.count > pool.min)
    .flatMap((pool) => pool.nodes)
    .filter((name) => {
      const node = room.nodeIndex(name)
      return (
        node >= 0 &&
        [0, 1].every((r) => (room.used[r]?.[node] ?? 0) * 2 < (room.allocatable[r]?.[node] ?? 0))
      )
    })
}

/** The first of some nodes whose pods all find a place elsewhere within their budgets, the platform’s own included; or null. */
export function nodeToGive(
  objects: readonly ApiObject[],
  candidates: readonly string[],
): string | null {
  for (const name of candidates) {
    const read = readWorld(objects)
    if (!read.ok) return null
    const drainRead = drain(read.world, [name])
    if (drainRead.ok && drainRead.drain.blocked.length === 0) return name
  }
  return null
}
