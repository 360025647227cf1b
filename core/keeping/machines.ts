/** Nodes added, removed, restarted and replaced in a cluster that stands: `pool.resize`, `machine.restart`, `machine.replace`. */
import { answering, guardedCluster, noCluster } from '../changes'
import { command } from '../contract'
import { z } from 'zod'
import type { ChangeKind, RawFinding } from '../changes'
import { longestPath, ref, stop } from '../changes'
import type { ClusterView, FleetView, NodeView, PoolView } from '../fleet'
import { clusterOf, nodesOf, siteOf } from '../fleet'
import type { Graph, Planned } from '../provisioning'
import {
  addMachineChecks,
  controlPlanePool,
  estimates,
  joinStep,
  machineSteps,
  step,
} from '../provisioning'
import { siteSpend } from '../spend'
import { drainFindings } from './draining'
import { standing } from './standing'
import { remove } from './leaving'
import { leave } from './leaving'
import { drain } from './leaving'
import { said } from './says'
import { checkAgentWays } from './shared-cause'

export const name = z.string().max(253)

export const isReady = (node: NodeView): boolean =>
  node.conditions.some((condition) => condition.type === 'Ready' && condition.status === 'True')

export const poolOf = (cluster: ClusterView | undefined, request: string): PoolView | undefined =>
  cluster?.pools.find((pool) => pool.name === request && request !== controlPlanePool)

export const shownBy: Readonly<Record<string, readonly string[]>> = {
  'certificate-expired': ['cluster.answers'],
  'image-missing': ['image.present'],
  'no-room': ['hosts.room'],
  'store-full': ['store.room'],
  quota: ['quota.cores'],
  'no-address': ['network.leases'],
  'dhcp-silent': ['network.dhcp'],
  'name-server': ['names.server'],
  'clock-skew': ['time.reachable'],
  'size-unknown': ['size.zone'],
  'no-stock': ['size.stock'],
  'api-not-reached': ['agents.reach'],
}

// Restart and replace

export const nodeIntent = z.strictObject({
  cluster: name,
  node: name,
  reason: z.string().max(500).optional(),
})

export type NodeIntent = z.infer<typeof nodeIntent>

const nodeOf = (cluster: ClusterView | undefined, request: string): NodeView | undefined =>
  cluster ? nodesOf(cluster).find((node) => node.name === request) : undefined

function checkNode(
  intent: NodeIntent,
  view: FleetView,
): { readonly cluster: ClusterView; readonly node: NodeView } | RawFinding {
  const cluster = clusterOf(view, intent.cluster)
  if (!cluster) return noCluster(intent.cluster, view)
  const node = nodeOf(cluster, intent.node)
  return node
    ? { cluster, node }
    : stop(
        'node.known',
        'node',
        intent.node === ''
          ? said('node.known.no-node-chosen')
          : said('node.known.not-there', { cluster: cluster.name, node: intent.node }),
        [
          {
            ...said('nodes-listed', { nodesCount: nodesOf(cluster).length }),
            source: cluster.name,
            at: cluster.observedAt,
          },
        ],
      )
}

/** Members of an own control plane that are well, without this one. */
const membersLeft = (cluster: ClusterView, node: NodeView): number =>
  nodesOf(cluster).filter(
    (otherNode) =>
      otherNode.roles.includes('control-plane') && otherNode !== node && isReady(otherNode),
  ).length

export const machineRestart: ChangeKind<NodeIntent> = {
  name: 'machine.restart',
  title: 'Restart a node’s machine',
  intent: nodeIntent,
  needs: (intent) => [`cluster:${intent.cluster}`],
  subjects: (intent) => [ref('node', intent.cluster, intent.node)],
  guardedBy: (intent, view) => guardedCluster(intent.cluster, view),
  label: (intent) => `restart ${intent.node || 'a node'}`,
  check: (intent, view) => {
    const result = checkNode(intent, view)
    if ('level' in result) return [result]
    const { cluster, node } = result
    if (!isReady(node)) return []
    const member =
      node.roles.includes('control-plane') &&
      membersLeft(cluster, node) * 2 <=
        (cluster.controlPlane.kind === 'own' ? cluster.controlPlane.members.length : 0)
    return [
      {
        level: 'caution',
        rule: 'node.ready',
        field: 'node',
        ...(member
          ? said('node.ready.ready-without-control', { node: node.name })
          : said('node.ready.ready-stop-long', { node: node.name, pods: node.pods })),
        because: [
          { ...said('pods', { pods: node.pods }), source: cluster.name, at: cluster.observedAt },
        ],
      },
    ]
  },
  plan: (intent, view) => {
    const cluster = clusterOf(view, intent.cluster)
    const node = nodeOf(cluster, intent.node)
    const site = cluster && siteOf(view, cluster.site)
    if (!cluster || !node || !site) throw new Error('a plan is made only for a node that is known')
    const steps = [
      step({
        id: 'restart',
        after: [],
        group: node.name,
        says: 'power off and on again, agent speaks up',
        command: command('machine.restart', { site: site.name, name: node.machine }),
        final: true,
        seconds: estimates.restartMachine,
        retry: { attempts: 2, firstSeconds: 20, mostSeconds: 60 },
      }),
    ]
    const spend = siteSpend(site).perMonth
    return {
      steps,
      creates: [],
      alters: [ref('node', cluster.name, node.name)],
      removes: [],
      ...longestPath(steps),
      spend: { before: spend, after: spend },
      reserves: [],
    }
  },
  answers: () => [],
  prove: (intent, view) => {
    const node = nodeOf(clusterOf(view, intent.cluster), intent.node)
    return [
      {
        says: `${intent.node} is ready`,
        holds: node !== undefined && isReady(node),
        observed:
          node?.conditions.find((condition) => condition.type === 'Ready')?.message ?? 'not listed',
      },
    ]
  },
}

/** The machine a node will stand on once it is replaced: the same name, zone and size. */
function replacement(
  cluster: ClusterView,
  node: NodeView,
  view: FleetView,
): { readonly planned: Planned; readonly address: string | null } {
  const site = siteOf(view, cluster.site)
  const machine = site?.machines.find((machine) => machine.name === node.machine)
  const pool = cluster.pools.find((pool) => pool.name === node.pool)
  const member = node.roles.includes('control-plane')
  const wanted = {
    name: node.machine,
    role: member ? ('control-plane' as const) : ('worker' as const),
    pool: node.pool,
    zone: node.zone,
    size: machine?.size ?? pool?.size ?? '',
    rootDiskGb: machine?.diskGb ?? 0,
    lifetime: pool?.lifetime ?? ('on-demand' as const),
  }
  const without: FleetView = {
    ...view,
    sites: view.sites.map((otherSite) =>
      otherSite.name === cluster.site
        ? {
            ...otherSite,
            machines: otherSite.machines.filter((candidate) => candidate.name !== node.machine),
            disks: otherSite.disks.filter((disk) => disk.machine !== node.machine),
          }
        : otherSite,
    ),
  }
  const held = site?.addresses.find(
    (address) => address.for === node.machine && address.how === 'static',
  )
  return { planned: standing(cluster, without, [wanted]), address: held?.address ?? null }
}

export const machineReplace: ChangeKind<NodeIntent> = {
  name: 'machine.replace',
  title: 'Replace a node’s machine',
  intent: nodeIntent,
  needs: (intent) => [
    'catalogue',
    'ledger',
    'names',
    `cluster:${intent.cluster}`,
    `objects:${intent.cluster}`,
    `walks:cluster/${intent.cluster}`,
  ],
  subjects: (intent) => [ref('node', intent.cluster, intent.node)],
  guardedBy: (intent, view) => guardedCluster(intent.cluster, view),
  label: (intent) => `replace ${intent.node || 'a node'}`,
  check: (intent, view) => {
    const result = checkNode(intent, view)
    if ('level' in result) return [result]
    const { cluster, node } = result
    const site = siteOf(view, cluster.site)
    if (site?.boxes.some((box) => box.name === node.machine))
      return [
        stop(
          'machine.box',
          'node',
          said('machine.box.stands-nobody-make', { node: node.name, machine: node.machine }),
          [
            {
              ...said('machine-stood-there', { machine: node.machine }),
              source: site.name,
              at: site.observedAt,
            },
          ],
        ),
      ]
    const findings: RawFinding[] = [
      ...answering(cluster, view),
      ...checkAgentWays(cluster, view, 'node'),
    ]
    if (node.roles.includes('control-plane') && cluster.controlPlane.kind === 'own') {
      const members = cluster.controlPlane.members.length
      if (members === 1)
        findings.push(
          stop('member.only', 'node', said('member.only', { node: node.name }), [
            { ...said('single-member'), source: cluster.name },
          ]),
        )
      else if (membersLeft(cluster, node) * 2 <= members)
        findings.push(
          stop(
            'member.majority',
            'node',
            said('member.majority', {
              node: node.name,
              membersLeft: membersLeft(cluster, node),
              members,
            }),
            [{ ...said('majority-rule'), source: 'majority rule' }],
          ),
        )
    }
    findings.push(
      ...addMachineChecks
        .flatMap((check) => check(replacement(cluster, node, view).planned))
        .map((finding): RawFinding => ({
          ...finding,
          field: 'node',
          offers: (finding.offers ?? []).filter((offer) => 'kind' in offer.change),
        })),
    )
    if (isReady(node))
      findings.push(
        ...drainFindings(view, cluster, [node.name], 'node', true).filter(
          (finding) => finding.level !== 'note',
        ),
      )
    if (isReady(node))
      findings.push({
        level: 'caution',
        rule: 'node.ready',
        field: 'node',
        ...said('node.ready.ready-moved-away', { node: node.name, pods: node.pods }),
        because: [
          {
            ...said('pods-m-requested', {
              pods: node.pods,
              requestedCpuMilli: node.requestedCpuMilli,
            }),
            source: cluster.name,
            at: cluster.observedAt,
          },
        ],
      })
    return findings
  },
  plan: (intent, view) => {
    const cluster = clusterOf(view, intent.cluster)
    const node = nodeOf(cluster, intent.node)
    const site = cluster && siteOf(view, cluster.site)
    if (!cluster || !node || !site) throw new Error('a plan is made only for a node that is known')
    const { planned, address } = replacement(cluster, node, view)
    const machine = planned.machines[0]
    if (!machine) throw new Error('a replacement has one machine')
    const graph: Graph = { steps: [], reserves: [], creates: [] }
    graph.steps.push(
      drain(cluster.name, node.name, []),
      leave(cluster.name, node.name, [`drain:${node.name}`]),
      remove(site.name, node.machine, [`leave:${node.name}`]),
    )
    const booted = machineSteps(graph, planned, machine, [`delete:${node.machine}`], address)
    joinStep(graph, planned, { ...machine, roles: node.roles }, machine.name, [booted])
    const spend = siteSpend(site).perMonth
    return {
      steps: graph.steps,
      creates: [],
      alters: [ref('node', cluster.name, node.name)],
      removes: [],
      ...longestPath(graph.steps),
      spend: { before: spend, after: spend },
      reserves: graph.reserves,
    }
  },
  answeredBy: (failure) => shownBy[failure.reason] ?? [],
  prove: (intent, view) => {
    const node = nodeOf(clusterOf(view, intent.cluster), intent.node)
    return [
      {
        says: `${intent.node} is ready, on a new machine`,
        holds: node !== undefined && isReady(node),
        observed: node ? `ready since ${node.createdAt.slice(11, 16)}` : 'not listed',
      },
    ]
  },
}
