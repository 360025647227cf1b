/** What the change kinds of pools share: the fields of their intents, and the pool they are about. */
import { noCluster } from '../changes'
import { z } from 'zod'
import type { Fact, RawFinding } from '../changes'
import { stop } from '../changes'
import type { ClusterView, FleetView, PoolView } from '../fleet'
import { clusterOf } from '../fleet'
import type { Said } from '../contract'
import { said } from './says'

export const name = z.string().max(253)
export const poolName = z
  .string()
  .regex(/^[a-z]([-a-z0-9]{0,30}[a-z0-9])?$/, 'Small letters, digits and -, up to 32.')
export const taint = z.strictObject({
  key: z.string().min(1).max(317),
  value: z.string().max(63).default(''),
  effect: z.enum(['NoSchedule', 'PreferNoSchedule', 'NoExecute']),
})

export const labels = z.record(z.string().min(1).max(317), z.string().max(63))

export const range = z.strictObject({
  min: z.int().min(0).max(10_000),
  max: z.int().min(0).max(10_000),
})

export const facts = (cluster: ClusterView, said: Said): readonly Fact[] => [
  { ...said, source: cluster.name, at: cluster.observedAt },
]

export function unknown(
  cluster: string,
  view: FleetView,
): { readonly cluster: ClusterView } | RawFinding {
  const matchingCluster = clusterOf(view, cluster)
  return matchingCluster ? { cluster: matchingCluster } : noCluster(cluster, view)
}

export function poolIn(cluster: ClusterView, request: string): PoolView | RawFinding {
  const pool = cluster.pools.find((pool) => pool.name === request && pool.name !== 'control-plane')
  return (
    pool ??
    stop(
      'pool.known',
      'pool',
      request === 'control-plane'
        ? said('pool.known.control-plane-no')
        : said('pool.known.no-pool', { cluster: cluster.name, wanted: request }),
      facts(
        cluster,
        said('pools', {
          pools: cluster.pools
            .filter((candidate) => candidate.name !== 'control-plane')
            .map((eachPool) => eachPool.name),
        }),
      ),
    )
  )
}

export const entryOf = (pool: PoolView) => ({
  name: pool.name,
  size: pool.size,
  lifetime: pool.lifetime,
  range: pool.range,
  taints: pool.taints.map(({ key, value, effect }) => ({ key, value, effect })),
})
