/** Which pairs of a storage network a page shows: a matrix of all nodes is no use to anybody once there are many. */
import type { Pair } from './pairs'

/** So many nodes a side. */
export const mostNodes = 24

export interface PairsShown {
  readonly pairs: readonly Pair[]
  /** So many nodes there are, shown or not. */
  readonly nodes: number
  readonly all: number
  readonly failing: number
  /** What fails, once for each node that is not reached. */
  readonly failures: readonly Pick<Pair, 'to' | 'state'>[]
}

/**
 * The nodes that are asked for and those of pairs that fail are among them. Those that others do not reach lead: what is
 * asked for changes nothing about the order, so that nothing moves under who points at it.
 */
export function pairsShown(pairs: readonly Pair[], asked: readonly (string | null)[]): PairsShown {
  const bad = pairs.filter(({ state }) => state !== 'good')
  const nodes = [...new Set(pairs.map(({ from }) => from))]
  const failing = bad.flatMap(({ from, to }) => [to, from])
  const first = [...asked, ...failing].filter((node) => node !== null && nodes.includes(node))
  const shown = new Set([...new Set([...first, ...nodes])].slice(0, mostNodes))
  const inView = pairs.filter(({ from, to }) => shown.has(from) && shown.has(to))
  const place = new Map([...new Set([...failing, ...nodes])].map((node, i) => [node, i]))
  const byPlace = (a: Pair, b: Pair): number =>
    (place.get(a.from) ?? 0) - (place.get(b.from) ?? 0) ||
    (place.get(a.to) ?? 0) - (place.get(b.to) ?? 0)
  return {
    pairs: nodes.length > mostNodes ? inView.sort(byPlace) : inView,
    nodes: nodes.length,
    all: pairs.length,
    failing: bad.length,
    failures: [...new Map(bad.map(({ to, state }) => [`${to} ${state}`, { to, state }])).values()],
  }
}
