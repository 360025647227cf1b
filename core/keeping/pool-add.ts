/** The change kind `pool.add`: a cluster gets another pool. */
import { answering, guardedCluster } from '../changes'
import { z } from 'zod'
import type { ClusterView, PoolView } from '../fleet'
import { siteOf, clusterOf } from '../fleet'
import { entryOf, unknown } from './pool-parts'
import { facts } from './pool-parts'
import { range } from './pool-parts'
import { taint } from './pool-parts'
import { poolName } from './pool-parts'
import { name } from './pool-parts'
import type { ChangeKind, RawFinding, Plan } from '../changes'
import { stop, longestPath } from '../changes'
import { ref, command } from '../contract'
import type { Graph } from '../provisioning'
import { step, estimates, machineSteps, joinStep, siteAfter } from '../provisioning'
import { siteSpend } from '../spend'
import { countText } from '../units'
import { checkAgentWays } from './shared-cause'
import { coming } from './resized-pool'
import { aboutCount, fittingCount, machineFindings } from './fitting-count'
import { said } from './says'

// Add

export const addIntent = z.strictObject({
  cluster: name,
  pool: poolName,
  size: z.string().max(100),
  count: z.int().min(0).max(1000).default(1),
  lifetime: z.enum(['on-demand', 'spot']).default('on-demand'),
  range: range.optional(),
  taints: z.array(taint).max(20).default([]),
})

export type AddIntent = z.infer<typeof addIntent>
export const fresh = (intent: AddIntent): PoolView => ({
  name: intent.pool,
  size: intent.size,
  lifetime: intent.lifetime,
  range: intent.range ?? null,
  taints: intent.taints,
  nodes: [],
})

export const withPool = (cluster: ClusterView, pool: PoolView): ClusterView => ({
  ...cluster,
  pools: [...cluster.pools.filter((candidate) => candidate.name !== pool.name), pool],
})

export const poolAdd: ChangeKind<AddIntent> = {
  name: 'pool.add',
  title: 'Add a pool',
  intent: addIntent,
  needs: (intent) => [
    'catalogue',
    'ledger',
    'names',
    `cluster:${intent.cluster}`,
    `walks:cluster/${intent.cluster}`,
  ],
  subjects: (intent) => [ref('pool', intent.cluster, intent.pool)],
  guardedBy: (intent, view) => guardedCluster(intent.cluster, view),
  label: (intent) => `add pool ${intent.pool || 'a pool'} to ${intent.cluster || 'a cluster'}`,
  check: (intent, view) => {
    const result = unknown(intent.cluster, view)
    if ('level' in result) return [result]
    const { cluster } = result
    const findings: RawFinding[] = [
      ...answering(cluster, view),
      ...checkAgentWays(cluster, view, 'pool'),
    ]
    if (cluster.pools.some((pool) => pool.name === intent.pool))
      findings.push(
        stop(
          'pool.name',
          'pool',
          said('pool.name', { cluster: cluster.name, pool: intent.pool }),
          facts(cluster, said('pools-all', { pools: cluster.pools.map((pool) => pool.name) })),
        ),
      )
    const site = siteOf(view, cluster.site)
    if (site && !site.sizes.some((size) => size.name === intent.size))
      findings.push(
        stop(
          'size.known',
          'size',
          said('size.known', { site: site.name, size: intent.size || '(none chosen)' }),
          [
            {
              ...said('sizes', { sizes: site.sizes.map((size) => size.name) }),
              source: site.name,
              at: site.observedAt,
            },
          ],
          site.sizes.slice(0, 3).map((size) => ({
            says: `Use ${size.name}`,
            change: { patchDraft: [{ op: 'replace' as const, path: '/size', value: size.name }] },
          })),
        ),
      )
    if (intent.range && intent.range.min > intent.range.max)
      findings.push(
        stop(
          'pool.range',
          'range',
          said('pool.range', { min: intent.range.min, max: intent.range.max }),
        ),
      )
    if (findings.some((finding) => finding.level === 'stop')) return findings
    const planned = (count: number) =>
      coming(withPool(cluster, fresh(intent)), fresh(intent), count, view)
    return [
      ...findings,
      ...aboutCount(machineFindings(planned(intent.count)), () =>
        fittingCount(0, intent.count, planned),
      ),
    ]
  },
  plan: (intent, view): Plan => {
    const cluster = clusterOf(view, intent.cluster)
    const site = cluster && siteOf(view, cluster.site)
    if (!cluster || !site) throw new Error('a plan is made only for a cluster that is known')
    const planned = coming(withPool(cluster, fresh(intent)), fresh(intent), intent.count, view)
    const graph: Graph = { steps: [], reserves: [], creates: [] }
    graph.steps.push(
      step({
        id: 'enter',
        after: [],
        group: 'register',
        says: `pool ${intent.pool} of ${intent.size} entered`,
        command: command('pool.set', { cluster: cluster.name, pool: entryOf(fresh(intent)) }),
        undo: command('pool.strike', { cluster: cluster.name, pool: intent.pool }),
        seconds: estimates.ledger,
      }),
    )
    for (const machine of planned.machines) {
      const booted = machineSteps(graph, planned, machine, ['enter'], null)
      joinStep(graph, planned, { ...machine, roles: ['worker'] }, machine.name, [booted])
    }
    const after = siteAfter(site, {
      ...planned,
      intent: { ...planned.intent, controlPlane: { kind: 'own', count: 0, alsoWorkers: false } },
    })
    return {
      steps: graph.steps,
      creates: [ref('pool', cluster.name, intent.pool), ...graph.creates],
      alters: [],
      removes: [],
      ...longestPath(graph.steps),
      spend: { before: siteSpend(site).perMonth, after: siteSpend(after).perMonth },
      reserves: graph.reserves,
    }
  },
  prove: (intent, view) => {
    const cluster = clusterOf(view, intent.cluster)
    const nodes = cluster?.pools.find((pool) => pool.name === intent.pool)?.nodes ?? []
    const ready = nodes.filter((node) =>
      node.conditions.some(
        (condition) => condition.type === 'Ready' && condition.status === 'True',
      ),
    ).length
    return [
      {
        says: `${intent.pool} has ${countText(intent.count, 'node')}, every one ready`,
        holds: ready === intent.count && nodes.length === intent.count,
        observed: `${countText(nodes.length, 'node')}, ${ready} ready`,
      },
    ]
  },
}
