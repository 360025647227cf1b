import { expect, it } from 'vitest'
import type { ClusterView, PoolView } from '../../fleet'
import { bareCluster, bareNode } from '../../testing/bare'
import { spotTroubles } from './spot'

const pool = (changes: Partial<PoolView> = {}): PoolView => ({
  name: 'brief',
  size: 'reed-2-8',
  lifetime: 'spot',
  range: null,
  taints: [],
  nodes: [bareNode('dill-brief-1', { createdAt: '2026-03-01T06:00:00Z' })],
  ...changes,
})
const dill = (...pools: readonly PoolView[]): ClusterView =>
  bareCluster('dill', 'tarn-north', { pools })
const event = (reason: string, node: string, at: string) => ({
  kind: 'Event',
  reason,
  message: 'taken back by its cloud; 2 pods ended',
  involvedObject: { kind: 'Node', name: node },
  lastTimestamp: at,
})
const events = [
  event('SpotTakenBack', 'dill-brief-2', '2026-03-02T06:00:00Z'),
  event('NodeGone', 'dill-brief-2', '2026-03-02T06:02:00Z'),
]

it('is a trouble of the pool, of what took the machine, since it was told', () => {
  const [trouble] = spotTroubles(dill(pool()), events)
  expect(trouble).toMatchObject({
    cluster: 'dill',
    subject: 'pool/brief',
    since: '2026-03-02T06:02:00Z',
    diagnosis: {
      symptom: 'brief has 1 node, and no machine in place of what was taken',
      causes: [{ cause: 'spot-taken', about: 'node/dill-brief-2' }],
    },
  })
})

it('is over once a machine was made since, or where the pool has what its range asks for', () => {
  const later = bareNode('dill-brief-3', { createdAt: '2026-03-02T06:05:00Z' })
  expect(spotTroubles(dill(pool({ nodes: [...pool().nodes, later] })), events)).toEqual([])
  expect(spotTroubles(dill(pool({ range: { min: 1, max: 3 } })), events)).toEqual([])
  expect(spotTroubles(dill(pool({ range: { min: 2, max: 3 } })), events)).toHaveLength(1)
})

it('is none of other pools, other nodes or other events', () => {
  expect(spotTroubles(dill(pool({ lifetime: 'on-demand' })), events)).toEqual([])
  expect(spotTroubles(dill(pool({ name: 'general' })), events)).toEqual([])
  expect(
    spotTroubles(dill(pool()), [event('NodeNotReady', 'dill-brief-2', '2026-03-02T06:00:00Z')]),
  ).toEqual([])
})
