import { expect, it } from 'vitest'
import { withObjectList } from '../../fleet'
import { demoFleet } from '../../testing/demo-fleet'
import type { Published } from '../published'
import { clusterUpgradeKind } from './upgrade'
import { orderedUpgrade } from './order'
import { upgradeProgress } from './progress'

const intent = { cluster: 'alder', to: '1.33.2', pools: [] }

const published: Published = {
  releases: ['1.33.1', '1.33.2'].map((version) => ({ version, images: [] })),
  edges: [{ from: '1.33.1', to: '1.33.2' }],
  addOns: [],
  images: [],
  desk: { media: [], link: { bytesPerSecond: 1, streamBytesPerSecond: 1, parallel: 1 } },
}

it('is none before a run, all after it, and a part of the pool that is being turned over', () => {
  const fleet = demoFleet()
  const clusters = fleet.clusters.map((cluster) => ({ ...cluster, addOns: [] }))
  const view = withObjectList({ ...fleet, clusters, published }, 'alder', [])
  const steps = orderedUpgrade(intent, view)?.upgrade.steps ?? []
  expect(steps.map(({ kind }) => kind)).toEqual(['control-plane', 'turnover'])
  const planned = clusterUpgradeKind.plan(intent, view).steps.map(({ id }) => id)
  const at = (done: number) =>
    upgradeProgress(
      steps,
      planned.map((id, index) => ({ id, state: index < done ? 'done' : 'waiting' })),
    )
  expect(at(0)).toEqual([0, 0])
  expect(at(planned.length)).toEqual([1, 1])
  const first = planned.findIndex((id) => id.startsWith('1.33.2/core/'))
  const parts = planned.filter((id) => id.startsWith('1.33.2/core/')).length
  expect(at(first)).toEqual([1, 0])
  expect(at(first + 3)).toEqual([1, 3 / parts])
})

it('is none of steps that a run does not have', () => {
  expect(
    upgradeProgress(
      [{ kind: 'add-on', name: 'trellis', from: '1.3.0', to: '1.4.1' }],
      [{ id: 'add-on:trellis:1.3.0', state: 'done' }],
    ),
  ).toEqual([0])
})
