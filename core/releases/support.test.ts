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
    controlPlane: { kind: 'own' as const },
    pools: [{ name: 'a', nodes: [{ release: '1.10.3' }] }],
  },
  {
    name: 'mixed',
    site: 'hall',
    release: '1.10.1',
    controlPlane: { kind: 'own' as const },
    pools: [
      { name: 'a', nodes: [{ release: '1.10.1' }, { release: '1.9.4' }] },
      { name: 'none', nodes: [] },
    ],
  },
  {
    name: 'old',
    site: 'edge',
    release: '1.9.4',
    controlPlane: { kind: 'own' as const },
    pools: [],
  },
  {
    name: 'strange',
    site: 'edge',
    release: '1.8.0',
    controlPlane: { kind: 'own' as const },
    pools: [],
  },
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

it('says where a cloud will have moved a control plane, and which pools are too old then', () => {
  const managed = {
    name: 'managed',
    site: 'cloud',
    release: '1.6.2',
    controlPlane: { kind: 'managed' as const },
    pools: [
      { name: 'a', nodes: [{ release: '1.6.2' }] },
      { name: 'b', nodes: [{ release: '1.5.9' }] },
    ],
  }
  const all = [
    release('1.6.2', '2024-01-10', '2024-12-31'),
    release('1.7.4', '2024-05-01', '2025-05-31'),
    { ...release('1.7.5', '2024-06-01', '2025-05-31'), withdrawn: 'lost pods' },
    release('1.8.1', '2024-09-01', '2025-09-30'),
    release('1.8.2', '2026-01-01', '2025-09-30'),
  ]
  const on = (day: string) => {
    const [support] = supportOn([managed], all, day)
    return [support?.movedTo, support?.tooOld]
  }
  expect(on('2024-12-31')).toEqual([null, []])
  expect(on('2025-01-01')).toEqual(['1.7.4', []])
  expect(on('2025-06-01')).toEqual(['1.8.1', ['b']])
  // There is nothing to move it to from there.
  expect(on('2025-12-01')).toEqual(['1.8.1', ['b']])
  const own = { ...managed, controlPlane: { kind: 'own' as const } }
  expect(supportOn([own], all, '2025-06-01')[0]?.movedTo).toBeNull()
})
