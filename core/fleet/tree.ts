/** The fleet as a tree (site, cluster, pool, node) with what the gyre and the lists show of each. O(nodes). */
import { machineHourly, siteSpend } from '../spend'
import {
  clusterState,
  nodeState,
  poolState,
  siteState,
  stateOfClusters,
  type State,
  type StateContext,
} from './state'
import { type ClusterView, elsewhere, type FleetView, type NodeView, type SiteView } from './view'

export interface FleetNode {
  readonly ref: string
  readonly kind: 'fleet' | 'site' | 'cluster' | 'pool' | 'node' | 'pod'
  readonly name: string
  readonly state: State
  readonly says: string
  readonly release: string | null
  /** Of a node: what it is for. */
  readonly roles?: readonly string[]
  /** Of a cluster. */
  readonly labels?: Readonly<Record<string, string>>
  readonly cpuMilli: number
  readonly requestedCpuMilli: number
  readonly memoryBytes: number
  readonly requestedMemoryBytes: number
  readonly pods: number
  /** Units per month of 730 hours. */
  readonly spend: number
  /** ISO time of the youngest part's making, null where nothing was made. */
  readonly createdAt: string | null
  readonly nodes: number
  /** How many nodes below are in each state. */
  readonly states: Readonly<Partial<Record<State, number>>>
  readonly children: readonly FleetNode[]
}

type Sums = Pick<
  FleetNode,
  | 'cpuMilli'
  | 'requestedCpuMilli'
  | 'memoryBytes'
  | 'requestedMemoryBytes'
  | 'pods'
  | 'spend'
  | 'nodes'
  | 'states'
  | 'createdAt'
>

function sumOf(parts: readonly Sums[]): Sums {
  const states: Partial<Record<State, number>> = {}
  let createdAt: string | null = null
  const total = {
    cpuMilli: 0,
    requestedCpuMilli: 0,
    memoryBytes: 0,
    requestedMemoryBytes: 0,
    pods: 0,
    spend: 0,
    nodes: 0,
  }
  for (const part of parts) {
    total.cpuMilli += part.cpuMilli
    total.requestedCpuMilli += part.requestedCpuMilli
    total.memoryBytes += part.memoryBytes
    total.requestedMemoryBytes += part.requestedMemoryBytes
    total.pods += part.pods
    total.spend += part.spend
    total.nodes += part.nodes
    if (part.createdAt !== null && (createdAt === null || part.createdAt > createdAt))
      createdAt = part.createdAt
    for (const [state, count] of Object.entries(part.states))
      states[state as State] = (states[state as State] ?? 0) + count
  }
  return { ...total, states, createdAt }
}

function nodeEntry(
  node: NodeView,
  cluster: ClusterView,
  spend: number,
  context: StateContext,
): FleetNode {
  const { state, says } = nodeState(node, cluster, context)
  return {
    ref: `node/${cluster.name}/${node.name}`,
    kind: 'node',
    name: node.name,
    state,
    says,
    release: node.release,
    roles: node.roles,
    cpuMilli: node.cpuMilli,
    requestedCpuMilli: node.requestedCpuMilli,
    memoryBytes: node.memoryBytes,
    requestedMemoryBytes: node.requestedMemoryBytes,
    pods: node.pods,
    spend,
    createdAt: node.createdAt,
    nodes: 1,
    states: { [state]: 1 },
    children: [],
  }
}

function clusterEntry(
  cluster: ClusterView,
  hourly: ReadonlyMap<string, number>,
  context: StateContext,
): FleetNode {
  const pools = cluster.pools.map((pool): FleetNode => {
    const nodes = pool.nodes.map((node) =>
      nodeEntry(node, cluster, (hourly.get(node.machine) ?? 0) * 730, context),
    )
    return {
      ref: `pool/${cluster.name}/${pool.name}`,
      kind: 'pool',
      name: pool.name,
      ...poolState(pool, cluster, context),
      release: cluster.release,
      ...sumOf(nodes),
      children: nodes,
    }
  })
  return {
    ref: `cluster/${cluster.name}`,
    kind: 'cluster',
    name: cluster.name,
    ...clusterState(cluster, context),
    release: cluster.release,
    labels: cluster.labels,
    ...sumOf(pools),
    children: pools,
  }
}

function siteEntry(
  site: SiteView,
  clusters: readonly ClusterView[],
  context: StateContext,
): FleetNode {
  const hourly = new Map(
    site.machines.map((machine) => [machine.name, machineHourly(site, machine)]),
  )
  const children = clusters.map((cluster) => clusterEntry(cluster, hourly, context))
  return {
    ref: `site/${site.name}`,
    kind: 'site',
    name: site.name,
    ...siteState(site, clusters, context),
    release: null,
    ...sumOf(children),
    spend: siteSpend(site).perMonth,
    children,
  }
}

/** Clusters that stand at no site of the fleet: nothing under them is known, nor what they cost. */
function awayEntry(clusters: readonly ClusterView[], context: StateContext): FleetNode {
  const children = clusters.map((cluster) => clusterEntry(cluster, new Map(), context))
  return {
    ref: `site/${elsewhere}`,
    kind: 'site',
    name: elsewhere,
    ...stateOfClusters(clusters, context),
    release: null,
    ...sumOf(children),
    children,
  }
}

export const stateContext = (view: FleetView): StateContext => ({
  now: Date.parse(view.now),
  workedOn: new Set(view.workedOn),
  unheard: view.unheard,
})

/** The whole tree. The root's state is the worst of the sites. */
export function fleetTree(view: FleetView): FleetNode {
  const context = stateContext(view)
  const bySite = new Map<string, ClusterView[]>()
  for (const cluster of view.clusters)
    bySite.set(cluster.site, [...(bySite.get(cluster.site) ?? []), cluster])
  const away = bySite.get(elsewhere) ?? []
  const children = [
    ...view.sites.map((site) => siteEntry(site, bySite.get(site.name) ?? [], context)),
    ...(away.length === 0 ? [] : [awayEntry(away, context)]),
  ]
  const sums = sumOf(children)
  return {
    ref: 'fleet',
    kind: 'fleet',
    name: 'fleet',
    state: 'well',
    says: '',
    release: null,
    ...sums,
    children,
  }
}

/** A pod as far as the tree shows it. */
export interface TreePod {
  readonly namespace: string
  readonly name: string
  readonly node: string
  readonly phase: string
  readonly cpuMilli: number
  readonly memoryBytes: number
  readonly createdAt: string | null
}

const podEntry = (pod: TreePod, cluster: string, node: FleetNode): FleetNode => ({
  ref: `pod/${cluster}/${pod.namespace}/${pod.name}`,
  kind: 'pod',
  name: pod.name,
  state: pod.phase === 'Running' || pod.phase === 'Succeeded' ? 'well' : 'strained',
  says: `${pod.phase} in ${pod.namespace}`,
  release: null,
  cpuMilli: pod.cpuMilli,
  requestedCpuMilli: pod.cpuMilli,
  memoryBytes: pod.memoryBytes,
  requestedMemoryBytes: pod.memoryBytes,
  pods: 1,
  spend: node.cpuMilli === 0 ? 0 : (node.spend * pod.cpuMilli) / node.cpuMilli,
  createdAt: pod.createdAt,
  nodes: 0,
  states: {},
  children: [],
})

/** The tree with the pods of one cluster hung below their nodes, and what each node has left as a part of its own. */
export function withPods(tree: FleetNode, cluster: string, pods: readonly TreePod[]): FleetNode {
  const byNode = new Map<string, TreePod[]>()
  for (const pod of pods) {
    const list = byNode.get(pod.node)
    if (list) list.push(pod)
    else byNode.set(pod.node, [pod])
  }
  const hang = (entry: FleetNode): FleetNode => {
    if (entry.kind !== 'node') return { ...entry, children: entry.children.map(hang) }
    const fleetNodes = (byNode.get(entry.name) ?? []).map((pod) => podEntry(pod, cluster, entry))
    const sums = sumOf(fleetNodes)
    const free: FleetNode = {
      ...entry,
      ref: `free/${cluster}/${entry.name}`,
      kind: 'pod',
      name: 'free',
      says: `not asked for by any pod of ${entry.name}`,
      state: 'well',
      release: null,
      cpuMilli: Math.max(0, entry.cpuMilli - sums.cpuMilli),
      requestedCpuMilli: 0,
      memoryBytes: Math.max(0, entry.memoryBytes - sums.memoryBytes),
      requestedMemoryBytes: 0,
      pods: 0,
      spend: Math.max(0, entry.spend - sums.spend),
      createdAt: null,
      nodes: 0,
      states: {},
      children: [],
    }
    return { ...entry, children: [...fleetNodes, free] }
  }
  const visit = (entry: FleetNode): FleetNode => {
    if (entry.ref === `cluster/${cluster}`) return hang(entry)
    if (entry.kind === 'fleet' || entry.kind === 'site')
      return { ...entry, children: entry.children.map(visit) }
    return entry
  }
  return visit(tree)
}
