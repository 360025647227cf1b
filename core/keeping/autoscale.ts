/** Whether a cluster’s pools scale by themselves, and what that decides now: `cluster.autoscale`. */
import { guardedCluster, noCluster } from '../changes'
import { command } from '../contract'
import { z } from 'zod'
import { type ChangeKind, longestPath, type RawFinding, ref } from '../changes'
import { clusterOf, type ClusterView, type FleetView, nodesOf, siteOf } from '../fleet'
import type { ApiObject, NodeObject } from '../objects'
import { halfEmptyNodes, nodeToGive, poolsToGrow, type ScalablePool } from '../scaling'
import { allocatable } from '../sizing'
import { machineHourly, spendUnchanged } from '../spend'
import { step } from '../provisioning/steps'
import { listText } from '../units'
import { thinnestZone } from './standing'
import { said } from './says'

export interface AutoscalePolicy {
  readonly enabled: boolean
  readonly order: 'tightest' | 'cheapest' | 'listed'
}

export const noAutoscale: AutoscalePolicy = { enabled: false, order: 'tightest' }

/** A node goes after so long half empty, and none so soon after pools have grown (ms). */
export const patienceMs = 600_000

/** The pools that have a range, as the autoscaler sees them. */
export function scalablePools(cluster: ClusterView, view: FleetView): readonly ScalablePool[] {
  const site = siteOf(view, cluster.site)
  if (!site) return []
  return cluster.pools.flatMap((pool): readonly ScalablePool[] => {
    const size = site.sizes.find((size) => size.name === pool.size)
    if (!pool.range || !size) return []
    const zone = thinnestZone(
      site.zones.filter((zone) => size.zones.includes(zone)),
      pool.nodes,
    )
    const room = allocatable(size.cores * 1000, size.memoryBytes)
    const make = (name: string): NodeObject => ({
      kind: 'Node',
      metadata: {
        name,
        labels: {
          'kubernetes.io/hostname': name,
          'topology.kubernetes.io/zone': zone,
          'node.kubernetes.io/instance-type': size.name,
          'gyrarch/pool': pool.name,
          'node-role.kubernetes.io/worker': '',
        },
      },
      spec: { taints: pool.taints.map((taint) => ({ ...taint })) },
      status: {
        allocatable: {
          cpu: `${room.cpuMilli}m`,
          memory: String(room.memoryBytes),
          pods: String(cluster.maxPodsPerNode),
        },
      },
    })
    return [
      {
        name: pool.name,
        min: pool.range.min,
        max: pool.range.max,
        count: pool.nodes.length,
        nodes: pool.nodes.map((node) => node.name),
        hourly: machineHourly(site, {
          size: size.name,
          cores: size.cores,
          lifetime: pool.lifetime,
          zone,
          host: null,
        }),
        make,
      },
    ]
  })
}

export interface AutoscaleDecision {
  /** Pools with the number of nodes each should have, and why. */
  readonly resize: readonly {
    readonly pool: string
    readonly count: number
    /** The nodes that go: the one that was looked at, and no other. */
    readonly nodes: readonly string[]
    readonly because: string
  }[]
  /** Nodes that are half empty now. */
  readonly halfEmpty: readonly string[]
}

/** What to do now. `halfEmptySince` tells since when (ms) a node has been half empty; `grownAt` when pools last grew. */
export function decideNodes(
  cluster: ClusterView,
  view: FleetView,
  objects: readonly ApiObject[],
  policy: AutoscalePolicy,
  halfEmptySince: (node: string) => number | null,
  grownAt: number | null,
): AutoscaleDecision {
  const pools = scalablePools(cluster, view)
  const now = Date.parse(view.now)
  const growth = poolsToGrow(objects, pools, policy.order)
  const halfEmpty = halfEmptyNodes(objects, pools)
  if (growth.length > 0) {
    return {
      halfEmpty,
      resize: growth.map((eachGrowth) => ({
        pool: eachGrowth.pool,
        count: (pools.find((pool) => pool.name === eachGrowth.pool)?.count ?? 0) + eachGrowth.by,
        nodes: [],
        because: `${listText(eachGrowth.pods, 3)} ${eachGrowth.pods.length === 1 ? 'finds' : 'find'} no place`,
      })),
    }
  }
  if (grownAt !== null && now - grownAt < patienceMs) return { halfEmpty, resize: [] }
  const ripe = halfEmpty.filter((node) => now - (halfEmptySince(node) ?? now) >= patienceMs)
  const gone = nodeToGive(objects, ripe)
  const pool = gone === null ? undefined : pools.find((pool) => pool.nodes.includes(gone))
  return {
    halfEmpty,
    resize:
      gone !== null && pool
        ? [
            {
              pool: pool.name,
              count: pool.count - 1,
              nodes: [gone],
              because: `${gone} was half empty for 10 min and its pods find a place elsewhere`,
            },
          ]
        : [],
  }
}

const autoscaleIntent = z.strictObject({
  cluster: z.string().max(253),
  enabled: z.boolean().default(true),
  order: z.enum(['tightest', 'cheapest', 'listed']).default('tightest'),
})
export type AutoscaleIntent = z.infer<typeof autoscaleIntent>

export const clusterAutoscale: ChangeKind<AutoscaleIntent> = {
  name: 'cluster.autoscale',
  title: 'Set whether pools scale by themselves',
  intent: autoscaleIntent,
  needs: (intent) => [`cluster:${intent.cluster}`],
  subjects: (intent) => [ref('autoscaling', intent.cluster)],
  guardedBy: (intent, view) => guardedCluster(intent.cluster, view),
  label: (intent) =>
    `${intent.enabled ? 'let pools scale in' : 'no more autoscaling in'} ${intent.cluster || 'a cluster'}`,
  check: (intent, view): readonly RawFinding[] => {
    const cluster = clusterOf(view, intent.cluster)
    if (!cluster) return [noCluster(intent.cluster, view)]
    const ranged = cluster.pools.filter((pool) => pool.range !== null)
    if (intent.enabled && ranged.length === 0)
      return [
        {
          level: 'caution',
          rule: 'pool.ranges',
          field: 'cluster',
          ...said('pool.ranges', { cluster: cluster.name }),
          because: [
            {
              ...said('pools-nodes', {
                poolsCount: cluster.pools.length,
                nodesCount: nodesOf(cluster).length,
              }),
              source: 'register of clusters',
            },
          ],
        },
      ]
    return intent.enabled
      ? [
          {
            level: 'note',
            rule: 'pool.scale',
            field: 'cluster',
            ...said('pool.scale', {
              ranged: ranged.map(
                (pool) => `${pool.name} (${pool.range?.min ?? 0} to ${pool.range?.max ?? 0})`,
              ),
            }),
            because: [{ ...said('pool-ranges'), source: 'register of clusters' }],
          },
        ]
      : []
  },
  plan: (intent, view) => {
    const cluster = clusterOf(view, intent.cluster)
    const set = (policy: AutoscalePolicy | null) =>
      command('autoscale.set', { cluster: intent.cluster, policy })
    const steps = [
      step({
        id: 'set',
        after: [],
        group: 'register',
        says: intent.enabled
          ? `pools scale by themselves, ${intent.order}`
          : 'pools stay as they are',
        command: set({ enabled: intent.enabled, order: intent.order }),
        undo: set(cluster?.autoscale ?? null),
        seconds: { likely: 1, worst: 3 },
      }),
    ]
    return {
      steps,
      creates: [],
      alters: [ref('autoscaling', intent.cluster)],
      removes: [],
      ...longestPath(steps),
      spend: spendUnchanged(view, intent.cluster),
      reserves: [],
    }
  },
  prove: (intent, view) => {
    const policy = clusterOf(view, intent.cluster)?.autoscale ?? noAutoscale
    return [
      {
        says: 'the register has it',
        holds: policy.enabled === intent.enabled,
        observed: policy.enabled ? `on, ${policy.order}` : 'off',
      },
    ]
  },
}
