/** When a pool that scales by itself grows and shrinks, decided on a small cluster written out here. */
import { describe, expect, it } from 'vitest'
import { bareSite, type ClusterView, type FleetView, type NodeView, type SiteView } from '../fleet'
import type { ApiObject } from '../objects'
import { node, pod } from '../placement/testing/worlds'
import { bareCluster, bareFleet } from '../testing/bare'
import { decideNodes, patienceMs, scalablePools } from './autoscale'

const now = '2026-03-02T08:00:00Z'
const at = Date.parse(now)

const nodeView = (name: string): NodeView => ({
  name,
  pool: 'general',
  zone: 'mossgate-a',
  roles: ['worker'],
  machine: name,
  address: '10.20.16.9',
  release: '1.33.2',
  conditions: [],
  cordoned: false,
  cpuMilli: 4000,
  memoryBytes: 16 * 2 ** 30,
  allocatableCpuMilli: 4000,
  allocatableMemoryBytes: 16 * 2 ** 30,
  requestedCpuMilli: 0,
  requestedMemoryBytes: 0,
  pods: 0,
  createdAt: now,
})

const site: SiteView = {
  ...bareSite('mossgate', 'hall', 'fernhollow'),
  zones: ['mossgate-a'],
  sizes: [
    {
      name: 'rack-4',
      cores: 4,
      memoryBytes: 16 * 2 ** 30,
      diskGb: 60,
      zones: ['mossgate-a'],
      soldOut: [],
      hourly: null,
    },
  ],
}

const clusterWith = (range: { min: number; max: number } | null): ClusterView =>
  bareCluster('cedar', 'mossgate', {
    autoscale: { enabled: true, order: 'tightest' },
    pools: [
      {
        name: 'general',
        size: 'rack-4',
        lifetime: 'on-demand',
        range,
        taints: [],
        nodes: [nodeView('n1'), nodeView('n2')],
      },
    ],
    observedAt: now,
  })

const viewOf = (cluster: ClusterView): FleetView =>
  bareFleet({ now, sites: [site], clusters: [cluster] })

const decide = (
  objects: readonly ApiObject[],
  range: { min: number; max: number },
  since: (name: string) => number | null = () => null,
  grownAt: number | null = null,
) => {
  const cluster = clusterWith(range)
  const policy = { enabled: true, order: 'tightest' } as const
  return decideNodes(cluster, viewOf(cluster), objects, policy, since, grownAt)
}

const nodes = [node('n1', { cpu: '4' }), node('n2', { cpu: '4' })]
const full = [pod('a', { cpu: '3500m', on: 'n1' }), pod('b', { cpu: '3500m', on: 'n2' })]

describe('a pool that scales by itself', () => {
  it('is only one that has a range', () => {
    const cluster = clusterWith(null)
    expect(scalablePools(cluster, viewOf(cluster))).toEqual([])
  })
  it('grows by what finds no place, up to its most', () => {
    const objects = [...nodes, ...full, pod('c', { cpu: '3' })]
    expect(decide(objects, { min: 1, max: 5 }).resize).toMatchObject([
      { pool: 'general', count: 3 },
    ])
    expect(decide(objects, { min: 1, max: 2 }).resize).toEqual([])
  })
  it('gives a node up once it has been half empty long enough, not while it has just grown', () => {
    const objects = [...nodes, ...full.slice(0, 1)]
    const long = (): number => at - patienceMs
    expect(decide(objects, { min: 1, max: 5 }, long).resize).toMatchObject([
      { pool: 'general', count: 1, nodes: ['n2'] },
    ])
    expect(decide(objects, { min: 1, max: 5 }, () => at - 1000).resize).toEqual([])
    expect(decide(objects, { min: 1, max: 5 }, long, at - 1000).resize).toEqual([])
    expect(decide(objects, { min: 2, max: 5 }, long).resize).toEqual([])
  })
})
