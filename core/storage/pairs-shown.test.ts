import { expect, it } from 'vitest'
import type { Pair } from './pairs'
import { mostNodes, pairsShown } from './pairs-shown'

const among = (count: number, states: Readonly<Record<string, Pair['state']>> = {}): Pair[] => {
  const nodes = Array.from({ length: count }, (_, i) => `n-${i}`)
  return nodes.flatMap((from) =>
    nodes
      .filter((to) => to !== from)
      .map((to) => ({
        from,
        to,
        sent: 1500,
        taken: 1500,
        says: '',
        state: states[`${from} ${to}`] ?? 'good',
      })),
  )
}
const nodesIn = (pairs: readonly Pair[]) => new Set(pairs.map(({ from }) => from))

it('shows all pairs of a few nodes', () => {
  const pairs = among(5)
  expect(pairsShown(pairs, [])).toEqual({ pairs, nodes: 5, all: 20, failing: 0, failures: [] })
})

it('shows as many nodes as are of use, those of a pair that fails and those asked for among them', () => {
  const pairs = among(60, {
    'n-50 n-57': 'too-large',
    'n-3 n-57': 'too-large',
    'n-1 n-58': 'barred',
  })
  const shown = pairsShown(pairs, ['n-44', null])
  const nodes = nodesIn(shown.pairs)
  expect(nodes.size).toBe(mostNodes)
  for (const node of ['n-44', 'n-50', 'n-57', 'n-3', 'n-58', 'n-0']) expect(nodes).toContain(node)
  expect(shown.pairs).toHaveLength(mostNodes * (mostNodes - 1))
})

it('leads with the nodes that are not reached, whatever is asked for', () => {
  const pairs = among(60, { 'n-3 n-57': 'too-large', 'n-1 n-58': 'barred' })
  const order = (asked: readonly string[]) => [...nodesIn(pairsShown(pairs, asked).pairs)]
  expect(order([]).slice(0, 5)).toEqual(['n-58', 'n-1', 'n-57', 'n-3', 'n-0'])
  expect(order(['n-5', 'n-58'])).toEqual(order([]))
})

it('keeps the order of a few nodes', () => {
  const pairs = among(5, { 'n-3 n-4': 'barred' })
  expect(pairsShown(pairs, ['n-2']).pairs).toEqual(pairs)
})

it('counts what fails among all, and names each failure once', () => {
  const pairs = among(60, {
    'n-50 n-57': 'too-large',
    'n-3 n-57': 'too-large',
    'n-1 n-58': 'barred',
  })
  expect(pairsShown(pairs, [])).toMatchObject({
    nodes: 60,
    all: 3540,
    failing: 3,
    failures: [
      { to: 'n-58', state: 'barred' },
      { to: 'n-57', state: 'too-large' },
    ],
  })
})
