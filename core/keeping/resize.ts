/** The change kind `pool.resize`: nodes are added to a pool or given up. */
import { answering, guardedCluster, noCluster } from '../changes'
import type { FleetView, PoolView } from '../fleet'
import { siteOf, nodesOf, clusterOf } from '../fleet'
import type { Command } from '../contract'
import { command, ref } from '../contract'
import { isReady, poolOf, shownBy } from './machines'
import type { Graph } from '../provisioning'
import {
  controlPlanePool,
  step,
  estimates,
  siteAfter,
  machineSteps,
  joinStep,
} from '../provisioning'
import type { RawFinding, Plan, Proof, ChangeKind } from '../changes'
import { stop, longestPath } from '../changes'
import { countText, listText } from '../units'
import { siteSpend } from '../spend'
import { close, drain, leave, remove } from './leaving'
import { shrinkFindings } from './shrink'
import { afterResize, coming, leaving, resizeIntent, type ResizeIntent } from './resized-pool'
import { aboutCount, fittingCount, machineFindings } from './fitting-count'
import { said } from './says'
import { checkAgentWays } from './shared-cause'

// Resize

export function checkResize(intent: ResizeIntent, view: FleetView): readonly RawFinding[] {
  const unknown = clusterOf(view, intent.cluster) ? null : noCluster(intent.cluster, view)
  const cluster = clusterOf(view, intent.cluster)
  if (unknown || !cluster) return unknown ? [unknown] : []
  const pool = poolOf(cluster, intent.pool)
  const pools = cluster.pools.filter((otherPool) => otherPool.name !== controlPlanePool)
  if (!pool) {
    return [
      stop(
        'pool.known',
        'pool',
        intent.pool === controlPlanePool
          ? said('pool.known.control-plane-no-pool')
          : said('pool.known.not-there', { cluster: cluster.name, pool: intent.pool }),
        [
          {
            ...said('pools', { pools: pools.map((otherPool) => otherPool.name) }),
            source: cluster.name,
            at: cluster.observedAt,
          },
        ],
        pools.slice(0, 2).map((otherPool) => ({
          says: `Resize ${otherPool.name}`,
          change: {
            patchDraft: [{ op: 'replace', path: '/pool', value: otherPool.name } as const],
          },
        })),
      ),
    ]
  }
  const findings: RawFinding[] = [...answering(cluster, view)]
  if (intent.range && intent.range.min > intent.range.max)
    findings.push(
      stop(
        'pool.range',
        'range',
        said('pool.range', { min: intent.range.min, max: intent.range.max }),
        [],
        [
          {
            says: 'Turn them round',
            change: {
              patchDraft: [
                {
                  op: 'replace',
                  path: '/range',
                  value: { min: intent.range.max, max: intent.range.min },
                },
              ],
            },
          },
        ],
      ),
    )
  const range = intent.range ?? pool.range
  if (range && (intent.count < range.min || intent.count > range.max)) {
    const within = Math.max(range.min, Math.min(range.max, intent.count))
    findings.push(
      stop(
        'pool.within',
        'count',
        said('pool.within', {
          pool: pool.name,
          min: range.min,
          max: range.max,
          count: intent.count,
        }),
        [
          {
            ...said('range', { min: range.min, max: range.max }),
            source: intent.range ? 'draft' : 'register of clusters',
          },
        ],
        [
          {
            says: `${countText(within, 'node')}, the ${within === range.min ? 'fewest' : 'most'} of its range`,
            change: { patchDraft: [{ op: 'replace', path: '/count', value: within }] },
          },
        ],
      ),
    )
  }
  if (intent.count === pool.nodes.length && !intent.range)
    findings.push(
      stop('pool.same', 'count', said('pool.same', { pool: pool.name, count: intent.count }), [
        {
          ...said('nodes', { nodesCount: pool.nodes.length }),
          source: cluster.name,
          at: cluster.observedAt,
        },
      ]),
    )
  if (intent.count > pool.nodes.length) {
    findings.push(...checkAgentWays(cluster, view, 'count'))
    const planned = coming(cluster, pool, intent.count, view)
    const max = 2 ** Math.max(0, (24 - Number(cluster.pods.split('/')[1] ?? 24)) | 0)
    findings.push(
      ...aboutCount(machineFindings(planned), () =>
        fittingCount(pool.nodes.length, intent.count, (count) =>
          coming(cluster, pool, count, view),
        ),
      ),
    )
    const total = nodesOf(cluster).length + intent.count - pool.nodes.length
    if (total > max && cluster.maxPodsPerNode === 110)
      findings.push(
        stop('range.size', 'count', said('range.size', { pods: cluster.pods, limit: max, total }), [
          { ...said('node-block'), source: 'address plan' },
        ]),
      )
  }
  findings.push(...shrinkFindings(intent, view, cluster, pool))
  return findings
}

export function planResize(intent: ResizeIntent, view: FleetView): Plan {
  const cluster = clusterOf(view, intent.cluster)
  const pool = poolOf(cluster, intent.pool)
  const site = cluster && siteOf(view, cluster.site)
  if (!cluster || !pool || !site) throw new Error('a plan is made only for a pool that is known')
  const planned = coming(cluster, pool, intent.count, view)
  const graph: Graph = { steps: [], reserves: [], creates: [] }
  for (const machine of planned.machines) {
    const booted = machineSteps(graph, planned, machine, [], null)
    joinStep(graph, planned, { ...machine, roles: ['worker'] }, machine.name, [booted])
  }
  const gone = leaving(view, cluster, pool, intent).nodes
  for (const node of gone) graph.steps.push(close(cluster.name, node.name))
  for (const node of gone)
    graph.steps.push(
      drain(
        cluster.name,
        node.name,
        gone.map((every) => `close:${every.name}`),
        intent.allowLocalData,
      ),
      leave(cluster.name, node.name, [`drain:${node.name}`]),
      remove(site.name, node.machine, [`leave:${node.name}`]),
    )
  if (intent.range) {
    const setRange = (range: PoolView['range']): Command =>
      command('pool.range', { cluster: cluster.name, pool: pool.name, range })
    graph.steps.push(
      step({
        id: 'range',
        after: [],
        group: 'register',
        says: `scale between ${intent.range.min} and ${intent.range.max}`,
        command: setRange(intent.range),
        undo: setRange(pool.range),
        seconds: estimates.ledger,
      }),
    )
  }
  const lost = new Set(gone.map((node) => node.machine))
  const after = siteAfter(
    {
      ...site,
      machines: site.machines.filter((machine) => !lost.has(machine.name)),
      disks: site.disks.filter((disk) => disk.machine === null || !lost.has(disk.machine)),
    },
    {
      ...planned,
      intent: { ...planned.intent, controlPlane: { kind: 'own', count: 0, alsoWorkers: false } },
    },
  )
  return {
    steps: graph.steps,
    creates: graph.creates,
    alters: [ref('pool', cluster.name, pool.name)],
    removes: gone.flatMap((node) => [
      ref('node', cluster.name, node.name),
      ref('machine', site.name, node.machine),
    ]),
    ...longestPath(graph.steps),
    spend: { before: siteSpend(site).perMonth, after: siteSpend(after).perMonth },
    reserves: graph.reserves,
  }
}

export const poolResize: ChangeKind<ResizeIntent> = {
  name: 'pool.resize',
  title: 'Resize a pool',
  intent: resizeIntent,
  needs: (intent) => [
    'catalogue',
    'ledger',
    'names',
    `cluster:${intent.cluster}`,
    `objects:${intent.cluster}`,
    `walks:cluster/${intent.cluster}`,
  ],
  subjects: (intent) => [ref('pool', intent.cluster, intent.pool)],
  guardedBy: (intent, view) => guardedCluster(intent.cluster, view),
  label: (intent) => `resize ${intent.pool} of ${intent.cluster || 'a cluster'} to ${intent.count}`,
  check: checkResize,
  plan: planResize,
  after: afterResize,
  answeredBy: (failure) => shownBy[failure.reason] ?? [],
  prove: (intent, view): readonly Proof[] => {
    const pool = poolOf(clusterOf(view, intent.cluster), intent.pool)
    const nodes = pool?.nodes ?? []
    const ready = nodes.filter(isReady).length
    const stays = nodes.filter((node) => intent.nodes.includes(node.name))
    return [
      ...(intent.nodes.length === 0
        ? []
        : [
            {
              says: `${listText(intent.nodes, 4)} ${intent.nodes.length === 1 ? 'has' : 'have'} left`,
              holds: stays.length === 0,
              observed:
                stays.length === 0
                  ? 'not listed'
                  : `${listText(
                      stays.map((node) => node.name),
                      4,
                    )} still there`,
            },
          ]),
      {
        says: `${intent.pool} has ${countText(intent.count, 'node')}, every one ready`,
        holds: nodes.length === intent.count && ready === intent.count,
        observed: `${countText(nodes.length, 'node')}, ${ready} ready`,
      },
    ]
  },
}
