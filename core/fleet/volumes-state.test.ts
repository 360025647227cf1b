import { describe, expect, it } from 'vitest'
import { demoFleet } from '../testing/demo-fleet'
import { clusterState, stateContext } from '.'

describe('a cluster that keeps copies of volumes', () => {
  const view = demoFleet()
  const cedar = view.clusters.find((cluster) => cluster.name === 'cedar')
  if (!cedar?.storage) throw new Error('cedar keeps volumes')
  const { storage } = cedar
  /** What is said of it when the copies on these nodes do not answer. */
  const without = (...nodes: readonly string[]) => {
    const { state, says } = clusterState(
      {
        ...cedar,
        storage: {
          ...storage,
          volumes: storage.volumes.map((volume) => ({
            ...volume,
            replicas: volume.replicas.map((copy) =>
              nodes.includes(copy.node) ? { ...copy, state: 'gone' as const } : copy,
            ),
          })),
        },
      },
      stateContext(view),
    )
    return [state, says]
  }

  it('is well while each has all of them', () => {
    expect(without()[0]).toBe('well')
  })

  it('is strained by volumes that lack one, and says which', () => {
    expect(without('cedar-general-1')).toEqual(['strained', 'gathering-ledger-1 lacks a copy.'])
  })

  it('says first of which no copy answers', () => {
    expect(without('cedar-storage-3')).toEqual(['strained', 'No copy of planner-cache answers.'])
  })
})
