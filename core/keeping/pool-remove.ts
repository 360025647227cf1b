/** The change kind `pool.remove`: a pool is given up with its nodes. */
import { answering, guardedCluster } from '../changes'
import { z } from 'zod'
import { readWorld, drain as drainWorld } from '../placement'
import type { FleetView, ClusterView } from '../fleet'
import { objectsHeard, siteOf, nodesOf, clusterOf } from '../fleet'
import { poolIn } from './pool-parts'
import { unknown } from './pool-parts'
import { facts } from './pool-parts'
import { name } from './pool-parts'
import { entryOf } from './pool-parts'
import type { ChangeKind, RawFinding, Step } from '../changes'
import { stop, longestPath } from '../changes'
import { ref, command } from '../contract'
import { step, estimates } from '../provisioning'
import { siteSpend } from '../spend'
import { drainFindings } from './draining'
import { remove } from './leaving'
import { leave } from './leaving'
import { drain } from './leaving'
import { said } from './says'
import { countText } from '../units'

// Remove

export const removePoolIntent = z.strictObject({
  cluster: name,
  pool: z.string().max(63),
  allowLocalData: z.boolean().default(false),
})
export type RemovePoolIntent = z.infer<typeof removePoolIntent>
/** Platform pods that would have no node that takes them, once some nodes are gone. */
export function platformHomeless(
  view: FleetView,
  cluster: ClusterView,
  nodes: readonly string[],
): readonly string[] {
  const objects = objectsHeard(view, cluster.name)
  const read = objects && nodes.length > 0 ? readWorld(objects) : null
  if (!read?.ok) return []
  const drainRead = drainWorld(read.world, nodes, { allowLocalData: true, unavailable: '100%' })
  return drainRead.ok
    ? drainRead.drain.blocked
        .filter((blocked) => blocked.pod.startsWith('platform/') && blocked.code === 'no-room')
        .map((blocked) => blocked.pod)
    : []
}

export const poolRemove: ChangeKind<RemovePoolIntent> = {
  name: 'pool.remove',
  title: 'Give a pool up',
  intent: removePoolIntent,
  needs: (intent) => [`cluster:${intent.cluster}`, `objects:${intent.cluster}`],
  subjects: (intent) => [ref('pool', intent.cluster, intent.pool)],
  guardedBy: (intent, view) => guardedCluster(intent.cluster, view),
  label: (intent) => `give up pool ${intent.pool || ''} of ${intent.cluster || 'a cluster'}`,
  check: (intent, view) => {
    const result = unknown(intent.cluster, view)
    if ('level' in result) return [result]
    const pool = poolIn(result.cluster, intent.pool)
    if ('level' in pool) return [pool]
    const { cluster } = result
    const nodes = pool.nodes.map((node) => node.name)
    const findings: RawFinding[] = [...answering(cluster, view)]
    const lost = platformHomeless(view, cluster, nodes)
    if (lost.length > 0)
      findings.push(
        stop(
          'pool.platform',
          'pool',
          said('pool.platform', { pool: pool.name, lost }),
          facts(cluster, said('placed-copy-without')),
        ),
      )
    else if (
      nodes.length ===
        nodesOf(cluster).filter((node) => !node.roles.includes('control-plane')).length &&
      nodes.length > 0
    )
      findings.push(
        stop(
          'pool.last',
          'pool',
          said('pool.last.last-pool-no', { pool: pool.name }),
          facts(cluster, said('workers', { nodesCount: nodes.length })),
        ),
      )
    else findings.push(...drainFindings(view, cluster, nodes, 'pool', intent.allowLocalData))
    return findings
  },
  plan: (intent, view) => {
    const cluster = clusterOf(view, intent.cluster)
    const pool = cluster?.pools.find((pool) => pool.name === intent.pool)
    const site = cluster && siteOf(view, cluster.site)
    if (!cluster || !pool || !site) throw new Error('a plan is made only for a pool that is known')
    const steps: Step[] = []
    let last: string[] = []
    for (const node of pool.nodes) {
      steps.push(
        drain(cluster.name, node.name, last, intent.allowLocalData),
        leave(cluster.name, node.name, [`drain:${node.name}`]),
        remove(site.name, node.machine, [`leave:${node.name}`]),
      )
      last = [`drain:${node.name}`]
    }
    steps.push(
      step({
        id: 'strike',
        after: pool.nodes.map((node) => `delete:${node.machine}`),
        group: 'register',
        says: `pool ${pool.name} struck`,
        command: command('pool.strike', { cluster: cluster.name, pool: pool.name }),
        undo: command('pool.set', { cluster: cluster.name, pool: entryOf(pool) }),
        seconds: estimates.ledger,
      }),
    )
    const lost = new Set(pool.nodes.map((node) => node.machine))
    const after = {
      ...site,
      machines: site.machines.filter((machine) => !lost.has(machine.name)),
      disks: site.disks.filter((disk) => disk.machine === null || !lost.has(disk.machine)),
    }
    return {
      steps,
      creates: [],
      alters: [],
      removes: [
        ref('pool', cluster.name, pool.name),
        ...pool.nodes.map((node) => ref('node', cluster.name, node.name)),
      ],
      ...longestPath(steps),
      spend: { before: siteSpend(site).perMonth, after: siteSpend(after).perMonth },
      reserves: [],
    }
  },
  prove: (intent, view) => {
    const left = clusterOf(view, intent.cluster)?.pools.find((pool) => pool.name === intent.pool)
    return [
      {
        says: `${intent.cluster} has no pool ${intent.pool}`,
        holds: left === undefined,
        observed:
          left === undefined
            ? 'not listed any more'
            : `${countText(left.nodes.length, 'node')} left`,
      },
    ]
  },
}
