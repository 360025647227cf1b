/** The change kind `pool.resize`: nodes are added to a pool or given up. */
import { answering, guardedCluster, noCluster } from '../changes'
import type { ClusterView, FleetView, PoolView } from '../fleet'
import { siteOf, nodesOf, clusterOf } from '../fleet'
import type { Command, Said } from '../contract'
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
import type { Fact, RawFinding, Plan, Proof, ChangeKind } from '../changes'
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

const observed = (fact: Said, cluster: ClusterView): Fact => ({
  ...fact,
  source: cluster.name,
  at: cluster.observedAt,
})

function unknownPool(name: string, cluster: ClusterView): RawFinding {
  const pools = cluster.pools.filter((pool) => pool.name !== controlPlanePool)
  return stop(
    'pool.known',
    'pool',
    name === controlPlanePool
      ? said('pool.known.control-plane-no-pool')
      : said('pool.known.not-there', { cluster: cluster.name, pool: name }),
    [observed(said('pools', { pools: pools.map((pool) => pool.name) }), cluster)],
    pools.slice(0, 2).map((pool) => ({
      says: `Resize ${pool.name}`,
      change: { patchDraft: [{ op: 'replace', path: '/pool', value: pool.name } as const] },
    })),
  )
}

/** A range runs from few to many, and the count lies in it. */
function checkRange({ count, range: given }: ResizeIntent, pool: PoolView): readonly RawFinding[] {
  const findings: RawFinding[] = []
  if (given && given.min > given.max)
    findings.push(
      stop(
        'pool.range',
        'range',
        said('pool.range', { min: given.min, max: given.max }),
        [],
        [
          {
            says: 'Turn them round',
            change: {
              patchDraft: [
                { op: 'replace', path: '/range', value: { min: given.max, max: given.min } },
              ],
            },
          },
        ],
      ),
    )
  const range = given ?? pool.range
  if (!range || (count >= range.min && count <= range.max)) return findings
  const { min, max } = range
  const within = Math.max(min, Math.min(max, count))
  findings.push(
    stop(
      'pool.within',
      'count',
      said('pool.within', { pool: pool.name, min, max, count }),
      [{ ...said('range', { min, max }), source: given ? 'draft' : 'register of clusters' }],
      [
        {
          says: `${countText(within, 'node')}, the ${within === min ? 'fewest' : 'most'} of its range`,
          change: { patchDraft: [{ op: 'replace', path: '/count', value: within }] },
        },
      ],
    ),
  )
  return findings
}

/** Addresses of a block of pods for each node: 256, which is what 110 pods a node take. */
const nodeBlockBits = 8

/** What stands against more nodes: their agents’ ways, their machines, the room in the pod range. */
function checkGrowth(
  intent: ResizeIntent,
  view: FleetView,
  cluster: ClusterView,
  pool: PoolView,
): readonly RawFinding[] {
  const planned = coming(cluster, pool, intent.count, view)
  const findings = [
    ...checkAgentWays(cluster, view, 'count'),
    ...aboutCount(machineFindings(planned), () =>
      fittingCount(pool.nodes.length, intent.count, (count) => coming(cluster, pool, count, view)),
    ),
  ]
  const bits = 32 - nodeBlockBits
  const max = 2 ** Math.max(0, bits - Number(cluster.pods.split('/')[1] ?? bits))
  const total = nodesOf(cluster).length + intent.count - pool.nodes.length
  if (total > max && cluster.maxPodsPerNode === 110)
    findings.push(
      stop('range.size', 'count', said('range.size', { pods: cluster.pods, limit: max, total }), [
        { ...said('node-block'), source: 'address plan' },
      ]),
    )
  return findings
}

/** What stands against a pool of another count or range. */
export function checkResize(intent: ResizeIntent, view: FleetView): readonly RawFinding[] {
  const cluster = clusterOf(view, intent.cluster)
  if (!cluster) return [noCluster(intent.cluster, view)]
  const pool = poolOf(cluster, intent.pool)
  if (!pool) return [unknownPool(intent.pool, cluster)]
  const now = pool.nodes.length
  const same =
    intent.count === now && !intent.range
      ? [
          stop('pool.same', 'count', said('pool.same', { pool: pool.name, count: intent.count }), [
            observed(said('nodes', { nodesCount: now }), cluster),
          ]),
        ]
      : []
  return [
    ...answering(cluster, view),
    ...checkRange(intent, pool),
    ...same,
    ...(intent.count > now ? checkGrowth(intent, view, cluster, pool) : []),
    ...shrinkFindings(intent, view, cluster, pool),
  ]
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
