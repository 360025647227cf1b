/**
 * Which nodes a pool gives up: one after another, each time the one whose pods move best. That is the one of which fewest
 * pods are blocked, then the one that moves least CPU, then least memory, then the one listed first. Each is tried by
 * draining it, with those chosen before it closed and empty. Cost: nodes given × those tried for each × a drain.
 */
import { budgetsOf } from './budgets'
import { drain, type DrainOptions } from './drain'
import type { World } from './world'

export interface GiveOrder {
  /** In the order in which they are chosen. */
  readonly nodes: readonly string[]
  /** How many of the first of them can go together with every pod of theirs placed elsewhere. */
  readonly free: number
}

/** At most so many drains are tried for one answer, and so many nodes for one place in the order. */
const mostDrains = 600
const mostTried = 24

interface Burden {
  readonly name: string
  readonly blocked: number
  readonly cpuMilli: number
  readonly memoryBytes: number
}

const byBurden = (a: Burden, b: Burden): number =>
  a.blocked - b.blocked || a.cpuMilli - b.cpuMilli || a.memoryBytes - b.memoryBytes

/**
 * Chooses `count` of the candidates. Those of `first` are given before all others, in their order; what is `closed` takes no
 * pod. The world is left as it was.
 */
export function giveOrder(
  world: World,
  candidates: readonly string[],
  count: number,
  first: readonly string[] = [],
  { closed = [], ...options }: Pick<DrainOptions, 'allowLocalData' | 'closed'> = {},
): GiveOrder {
  const { room } = world
  const burdenOf = (name: string, blocked: number): Burden => {
    const node = room.nodeIndex(name)
    return {
      name,
      blocked,
      cpuMilli: room.used[0]?.[node] ?? 0,
      memoryBytes: room.used[1]?.[node] ?? 0,
    }
  }
  const nodes: string[] = []
  const budgets = budgetsOf(world)
  const settled: { undo: () => void }[] = []
  let free = 0
  let isFree = true
  const give = (name: string): void => {
    const read = drain(world, [name], { ...options, closed: [...closed, ...nodes], budgets })
    nodes.push(name)
    if (read.ok) settled.push(read)
    isFree &&= read.ok && read.drain.blocked.length === 0
    if (isFree) free++
  }
  for (const name of first.slice(0, count)) give(name)
  const left = candidates.filter((name) => !first.includes(name) && room.nodeIndex(name) >= 0)
  // What was blocked when a node was last tried: those that could go come first to be tried again.
  const wereBlocked = new Map<string, number>()
  const tried = Math.max(1, Math.min(mostTried, Math.floor(mostDrains / Math.max(1, count))))
  while (nodes.length < count && left.length > 0) {
    const near = left
      .map((name) => burdenOf(name, wereBlocked.get(name) ?? 0))
      .sort(byBurden)
      .slice(0, tried)
    const [best] = near
      .map(({ name }) => {
        const read = drain(world, [name], { ...options, closed: [...closed, ...nodes], budgets })
        const blocked = read.ok ? read.drain.blocked.length : Infinity
        if (read.ok) read.undo()
        wereBlocked.set(name, blocked)
        return burdenOf(name, blocked)
      })
      .sort(byBurden)
    if (!best) break
    give(best.name)
    left.splice(left.indexOf(best.name), 1)
  }
  for (const read of settled.reverse()) read.undo()
  // One after another a pod may rest on a node that goes later; together none may.
  const goTogether = (count: number): boolean => {
    const read = drain(world, nodes.slice(0, count), { ...options, closed, budgets })
    if (read.ok) read.undo()
    return read.ok && read.drain.blocked.length === 0
  }
  while (free > 0 && !goTogether(free)) free--
  return { nodes, free }
}
