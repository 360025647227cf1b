import { expect, it } from 'vitest'
import { gathered, type Want } from './rows'

const want = (ref: string, says: string, state: Want['state'] = 'strained'): Want => ({
  ref,
  name: ref.split('/').at(-1) ?? ref,
  state,
  says,
  path: ref.startsWith('change/') ? `/changes/${ref.slice(7)}` : null,
})

it('gathers things of one kind that say the same into one line, at the place of the first', () => {
  const ended = 'release 1.32.4: support ended 2026-02-28'
  const groups = gathered([
    want('node/bramble/bramble-general-2', 'MemoryPressure'),
    ...Array.from({ length: 41 }, (_, i) => want(`cluster/alder-${i}`, ended)),
    want('cluster/sorrel', 'release 1.31.9: support ended 2025-11-11'),
  ])
  expect(groups.map((group) => [group.says, group.wants.length])).toEqual([
    ['MemoryPressure', 1],
    [ended, 41],
    ['release 1.31.9: support ended 2025-11-11', 1],
  ])
})

it('leaves two of a kind alone, and tells different states and kinds apart', () => {
  const says = 'not ready'
  const groups = gathered([
    want('node/a/1', says, 'broken'),
    want('node/a/2', says, 'broken'),
    want('node/a/3', says, 'strained'),
    want('cluster/a', says, 'broken'),
  ])
  expect(groups).toHaveLength(4)
})

it('never gathers changes: each is its own', () => {
  const groups = gathered(
    Array.from({ length: 5 }, (_, i) => want(`change/c-${i}`, 'halted: no stock', 'broken')),
  )
  expect(groups).toHaveLength(5)
  expect(new Set(groups.map((group) => group.key)).size).toBe(5)
})
