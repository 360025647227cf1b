/** How long what runs is supported, day by day. */
import { expect, it } from 'vitest'
import type { Release } from './release'
import { minorLines, supportOn } from './support'

const release = (version: string, released: string, endOfSupport: string): Release => ({
  version,
  released,
  endOfSupport,
  architectures: ['x86-64'],
  baseImage: 'fern-base',
  minimumRootDiskGb: 30,
  withdrawn: null,
})

const catalogue = [
  release('1.9.4', '2025-01-10', '2025-12-31'),
  release('1.10.1', '2025-05-01', '2026-06-28'),
  release('1.10.3', '2025-08-01', '2026-06-28'),
]

const clusters = [
  {
    name: 'new',
    site: 'hall',
    release: '1.10.3',
    pools: [{ name: 'a', nodes: [{ release: '1.10.3' }] }],
  },
  {
    name: 'mixed',
    site: 'hall',
    release: '1.10.1',
    pools: [
      { name: 'a', nodes: [{ release: '1.10.1' }, { release: '1.9.4' }] },
      { name: 'none', nodes: [] },
    ],
  },
  { name: 'old', site: 'edge', release: '1.9.4', pools: [] },
  { name: 'strange', site: 'edge', release: '1.8.0', pools: [] },
]

const states = (day: string) =>
  supportOn(clusters, catalogue, day).map(({ cluster, daysLeft, state }) => [
    cluster,
    daysLeft,
    state,
  ])

it('puts minors in order, the tenth after the ninth', () => {
  expect(minorLines(catalogue)).toEqual([
    { minor: '1.10', from: '2025-05-01', until: '2026-06-28', patches: ['1.10.1', '1.10.3'] },
    { minor: '1.9', from: '2025-01-10', until: '2025-12-31', patches: ['1.9.4'] },
  ])
})

it('counts the named day as supported still, and tells what ends within ninety days', () => {
  expect(states('2026-06-28')).toEqual([
    ['old', -179, 'lapsed'],
    ['new', 0, 'ending'],
    ['mixed', 0, 'ending'],
    ['strange', null, 'unknown'],
  ])
  expect(states('2026-06-29').map(([, , state]) => state)).toEqual([
    'lapsed',
    'lapsed',
    'lapsed',
    'unknown',
  ])
  expect(states('2026-03-29').find(([cluster]) => cluster === 'new')).toEqual([
    'new',
    91,
    'supported',
  ])
  expect(states('2026-03-30').find(([cluster]) => cluster === 'new')).toEqual(['new', 90, 'ending'])
})

it('names pools that lag behind their control plane by their oldest node', () => {
  const mixed = supportOn(clusters, catalogue, '2026-01-01').find(
    ({ cluster }) => cluster === 'mixed',
  )
  expect(mixed?.pools).toEqual([{ name: 'a', release: '1.9.4', behind: 1 }])
})
