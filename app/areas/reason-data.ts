/** The reason for a selection: what it is, what state it is in and why, the facts that rest on, and what can be done. */
import {
  clusterOf,
  clusterState,
  type FleetNode,
  type FleetView,
  nodesOf,
  nodeState,
  poolState,
  siteOf,
  siteState,
  type State,
  stateContext,
  type ClusterView,
} from '~/core/fleet'
import { isUnsupported } from '~/core/releases'
import { siteSpend } from '~/core/spend'
import { bytesText, coresText, countText, listText, moneyText } from '~/core/units'

export interface ReasonFact {
  readonly says: string
  readonly value: string
  readonly at?: string
}

export interface ReasonData {
  readonly ref: string
  readonly kind: string
  readonly name: string
  readonly where: string
  readonly state: State
  readonly says: string
  readonly facts: readonly ReasonFact[]
  readonly actions: readonly { readonly says: string; readonly path: string }[]
  /** The case that is open about it; null or absent where none is. */
  readonly case?: string | null
  /** The site at which a cluster can be raised, if that is what can be done. */
  readonly raiseAt?: string
}

const percent = (part: number, whole: number): string =>
  whole === 0 ? 'none' : `${Math.round((100 * part) / whole)} %`

function nodeReason(view: FleetView, clusterName: string, nodeName: string): ReasonData | null {
  const cluster = clusterOf(view, clusterName)
  const node = cluster && nodesOf(cluster).find((node) => node.name === nodeName)
  if (!cluster || !node) return null
  const reasoned = nodeState(node, cluster, stateContext(view))
  return {
    ref: `node/${clusterName}/${nodeName}`,
    kind: 'node',
    name: node.name,
    where: `${cluster.name} · ${node.zone}`,
    ...reasoned,
    facts: [
      ...node.conditions.map((condition) => ({
        says: `${condition.type} is ${condition.status}`,
        value: condition.message,
        at: condition.since,
      })),
      {
        says: 'CPU asked',
        value: `${coresText(node.requestedCpuMilli)} of ${coresText(node.allocatableCpuMilli)}, ${percent(node.requestedCpuMilli, node.allocatableCpuMilli)}`,
      },
      {
        says: 'memory asked',
        value: `${bytesText(node.requestedMemoryBytes)} of ${bytesText(node.allocatableMemoryBytes)}, ${percent(node.requestedMemoryBytes, node.allocatableMemoryBytes)}`,
      },
      { says: 'pods', value: `${node.pods} of ${cluster.maxPodsPerNode}` },
      { says: 'agent', value: `${node.release}, API ${cluster.release}` },
      { says: 'address', value: node.address },
      { says: 'made', value: node.createdAt.slice(0, 10) },
    ],
    actions: [{ says: `Open ${cluster.name}`, path: `/clusters/${cluster.name}?on=${node.name}` }],
  }
}

function clusterReason(view: FleetView, name: string): ReasonData | null {
  const cluster = clusterOf(view, name)
  if (!cluster) return null
  const release = view.catalogue.find((release) => release.version === cluster.release)
  const ended = release && isUnsupported(release, view.now)
  return {
    ref: `cluster/${name}`,
    kind: 'cluster',
    name,
    where: cluster.site,
    ...clusterState(cluster, stateContext(view)),
    facts: [
      {
        says: 'API',
        value: `${cluster.endpoint} ${cluster.apiAnswers ? 'answers' : 'does not answer'}`,
      },
      // Who runs the control plane of an enrolled cluster, and its ranges, nobody tells.
      ...(cluster.reach ? [] : [{ says: 'control plane', value: controlPlaneText(cluster) }]),
      {
        says: 'release',
        value: `${cluster.release}${release ? `, support ${ended ? 'ended' : 'until'} ${release.endOfSupport}` : ''}`,
      },
      {
        says: 'nodes',
        value: cluster.pools.map((pool) => `${pool.name} ${pool.nodes.length}`).join(', '),
      },
      { says: 'pods', value: String(cluster.podCount) },
      ...(cluster.pods === ''
        ? []
        : [
            { says: 'pod range', value: cluster.pods },
            { says: 'service range', value: cluster.services },
          ]),
      ...(cluster.drives.length ? [{ says: 'drives', value: listText(cluster.drives) }] : []),
    ],
    actions: [{ says: 'Open', path: `/clusters/${name}` }],
  }
}

function poolReason(view: FleetView, clusterName: string, poolName: string): ReasonData | null {
  const cluster = clusterOf(view, clusterName)
  const pool = cluster?.pools.find((pool) => pool.name === poolName)
  if (!cluster || !pool) return null
  const { nodes } = pool
  const sum = (of: (node: (typeof nodes)[number]) => number): number =>
    nodes.reduce((total, node) => total + of(node), 0)
  return {
    ref: `pool/${clusterName}/${poolName}`,
    kind: 'pool',
    name: poolName,
    where: clusterName,
    ...poolState(pool, cluster, stateContext(view)),
    facts: [
      { says: 'size', value: `${pool.size}${pool.lifetime === 'spot' ? ', spot' : ''}` },
      {
        says: 'nodes',
        value: `${pool.nodes.length}${pool.range ? `, scales ${pool.range.min} to ${pool.range.max}` : ''}`,
      },
      {
        says: 'CPU asked',
        value: `${coresText(sum((node) => node.requestedCpuMilli))} of ${coresText(sum((node) => node.allocatableCpuMilli))}`,
      },
      {
        says: 'memory asked',
        value: `${bytesText(sum((node) => node.requestedMemoryBytes))} of ${bytesText(sum((node) => node.allocatableMemoryBytes))}`,
      },
      {
        says: 'taints',
        value:
          pool.taints.map((taint) => `${taint.key}=${taint.value}:${taint.effect}`).join(', ') ||
          'none',
      },
    ],
    actions: [{ says: `Open ${clusterName}`, path: `/clusters/${clusterName}` }],
  }
}

function siteReason(view: FleetView, name: string): ReasonData | null {
  const site = siteOf(view, name)
  if (!site) return null
  const used = site.machines.reduce((total, machine) => total + machine.cores, 0)
  const cores = site.hosts.reduce((total, host) => total + host.cores, 0) * site.overcommit
  return {
    ref: `site/${name}`,
    kind: site.kind,
    name,
    where: site.title,
    ...siteState(site, view.clusters, stateContext(view)),
    facts: [
      { says: 'zones', value: listText(site.zones) },
      { says: 'machines', value: countText(site.machines.length, 'machine') },
      {
        says: site.quotaCores === null ? 'cores in use' : 'vCPU in use',
        value: `${used} of ${site.quotaCores ?? cores}`,
      },
      { says: 'routing domain', value: site.domain },
      { says: 'spend', value: `${moneyText(siteSpend(site).perMonth)} units a month` },
    ],
    actions: [{ says: 'Open', path: `/ground?site=${name}` }],
    raiseAt: name,
  }
}

const podReason = (pod: FleetNode, cluster: string): ReasonData => ({
  ref: pod.ref,
  kind: 'pod',
  name: pod.name,
  where: cluster,
  state: pod.state,
  says: pod.says,
  facts: [
    { says: 'CPU asked', value: coresText(pod.requestedCpuMilli) },
    { says: 'memory asked', value: bytesText(pod.requestedMemoryBytes) },
    ...(pod.createdAt === null ? [] : [{ says: 'made', value: pod.createdAt.slice(0, 10) }]),
  ],
  actions: [{ says: `Objects of ${cluster}`, path: `/clusters/${cluster}?show=objects` }],
})

/** The same with the case that is open about it. */
export const withCase = (reason: ReasonData | null, id: string | null): ReasonData | null =>
  reason && { ...reason, case: id }

/** The reason for a ref, or null if nothing bears it. `pod` is the entry of a pod’s ref, which the fleet’s picture does not hold. */
export function reasonFor(
  view: FleetView,
  ref: string | null,
  pod: FleetNode | null = null,
): ReasonData | null {
  const [kind, first = '', second = ''] = (ref ?? '').split('/')
  if (pod) return podReason(pod, first)
  switch (kind) {
    case 'node':
      return nodeReason(view, first, second)
    case 'cluster':
      return clusterReason(view, first)
    case 'pool':
      return poolReason(view, first, second)
    case 'site':
      return siteReason(view, first)
    default:
      return null
  }
}

function controlPlaneText({ controlPlane, membersUp }: ClusterView): string {
  return controlPlane.kind === 'own'
    ? `own, ${membersUp} of ${controlPlane.members.length} members up`
    : `managed, ${controlPlane.tier}`
}
