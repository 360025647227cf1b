/** The world of a walk out of the picture of the fleet: what is set up now, with the objects of those clusters that were looked at. */
import { parseAddress, parseRange } from '../addresses'
import {
  clusterDomain,
  type ClusterView,
  type FleetView,
  type NodeView,
  nodesOf,
  type SiteView,
  knownObjects,
} from '../fleet'
import { type ApiObject, list, record, objectOfKind } from '../objects'
import { isIn } from './spans'
import { type WorldRead } from './prepared'
import { prepareWorld, readCluster } from './prepare'
import { clusterSchema, peerSchema, siteSchema, type WalkCluster, type WalkWorld } from './world'

/** What a walk reads; replica sets and jobs stand between pods and the workloads that they are named by. */
const kinds = new Set([
  'Namespace',
  'Pod',
  'Service',
  'EndpointSlice',
  'NetworkPolicy',
  'ReplicaSet',
  'Job',
])

/** The network of a site that holds an address; the smallest where they lie in each other. */
export function networkHolding(site: Pick<SiteView, 'networks'>, address: string): string | null {
  const at = parseAddress(address)
  if (!at.ok) return null
  let best: { readonly name: string; readonly size: bigint } | null = null
  for (const network of site.networks) {
    const range = parseRange(network.range)
    if (
      range.ok &&
      isIn(range.value, at.value) &&
      (best === null || range.value.last - range.value.first < best.size)
    )
      best = { name: network.name, size: range.value.last - range.value.first }
  }
  return best?.name ?? null
}

/** Ports of a node that are open by what runs on it: the agent, a way in, the API on members, host ports of pods. */
function listensOn(
  cluster: ClusterView,
  node: NodeView,
  hostPorts: ReadonlyMap<string, readonly { readonly port: number; readonly protocol: string }[]>,
): readonly { readonly port: number; readonly protocol: string }[] {
  const api = /:(\d+)$/.exec(cluster.endpoint)?.[1]
  const hasApi = cluster.controlPlane.kind === 'own' && node.roles.includes('control-plane')
  const { storage } = cluster
  const keepsCopies = storage?.disks.some((disk) => disk.node === node.name) === true
  return [
    { port: 22, protocol: 'tcp' },
    ...(storage && keepsCopies ? [{ port: storage.port, protocol: 'tcp' }] : []),
    { port: agentPort, protocol: 'tcp' },
    ...(hasApi ? [{ port: Number(api ?? apiPort), protocol: 'tcp' }] : []),
    ...(hostPorts.get(node.name) ?? []),
  ]
}

/** Where the node agent and an own API listen unless told otherwise. Source: Kubernetes, Ports and Protocols. */
const agentPort = 10_250
const apiPort = 6443

/** The ports that pods hold on the nodes they stand on, by node. */
function hostPortsOf(
  objects: readonly ApiObject[],
): ReadonlyMap<string, readonly { readonly port: number; readonly protocol: string }[]> {
  const byNode = new Map<string, { port: number; protocol: string }[]>()
  for (const object of objects) {
    if (object.kind !== 'Pod') continue
    const spec = record(record(object)['spec'])
    const node = spec['nodeName']
    if (typeof node !== 'string') continue
    for (const container of list(spec['containers']))
      for (const entry of list(record(container)['ports'])) {
        const { hostPort, containerPort, protocol } = record(entry)
        const port = hostPort ?? (spec['hostNetwork'] === true ? containerPort : undefined)
        if (typeof port !== 'number' || port < 1 || port > 65_535) continue
        const open = byNode.get(node) ?? []
        byNode.set(node, open)
        open.push({ port, protocol: typeof protocol === 'string' ? protocol : 'TCP' })
      }
  }
  return byNode
}

/** The nodes that take what comes in for a cluster: those on its workload network, or all where there is no such. */
export function frontMembers(
  cluster: ClusterView,
  site: Pick<SiteView, 'networks'>,
): readonly NodeView[] {
  const nodes = nodesOf(cluster)
  const onNodes = nodes.filter((node) => {
    const name = networkHolding(site, node.address)
    const role = site.networks.find((network) => network.name === name)?.role
    return role !== undefined && role !== 'management'
  })
  return onNodes.length > 0 ? onNodes : nodes
}

interface ClusterPart {
  readonly site: SiteView
  readonly list: readonly ApiObject[] | undefined
  readonly part: WalkCluster
}

/** Clusters as a walk takes them: read once for what a cluster, its site and its list of objects are. */
const clusterParts = new WeakMap<ClusterView, ClusterPart>()

function clusterPart(cluster: ClusterView, site: SiteView, view: FleetView): WalkCluster {
  const list = knownObjects(view, cluster.name)
  const before = clusterParts.get(cluster)
  if (before?.site === site && before.list === list) return before.part
  const part = clusterSchema.parse(clusterWorld(cluster, site, view))
  clusterParts.set(cluster, { site, list, part })
  return part
}

function clusterWorld(cluster: ClusterView, site: SiteView, view: FleetView): unknown {
  const objects = knownObjects(view, cluster.name) ?? []
  const hostPorts = hostPortsOf(objects)
  return {
    name: cluster.name,
    site: cluster.site,
    podRange: cluster.pods,
    serviceRange: cluster.services,
    dnsDomain: clusterDomain,
    keepSource: cluster.keepSource ?? [],
    nodes: nodesOf(cluster).map((node) => ({
      name: node.name,
      address: node.address,
      network: networkHolding(site, node.address) ?? '',
      listens: listensOn(cluster, node, hostPorts),
    })),
    objects: objects.filter((object) => kinds.has(object.kind)),
  }
}

/** Full names with their addresses; aliases are followed as far as they lead. */
function recordsOf(site: SiteView): readonly { readonly name: string; readonly address: string }[] {
  const full = (name: string): string => {
    if (name === '@') return site.nameDomain
    if (name.endsWith('.')) return name.slice(0, -1)
    return `${name}.${site.nameDomain}`
  }
  const byName = new Map(site.records.map((record) => [full(record.name), record]))
  return site.records.flatMap((record) => {
    let at: typeof record | undefined = record
    for (let depth = 0; at?.type === 'CNAME' && depth < 8; depth++) at = byName.get(full(at.value))
    return at && (at.type === 'A' || at.type === 'AAAA')
      ? [{ name: full(record.name), address: at.value }]
      : []
  })
}

function siteWorld(site: SiteView, view: FleetView): unknown {
  return {
    name: site.name,
    domain: site.domain,
    networks: site.networks.map((network) => ({
      name: network.name,
      range: network.range,
      ...(network.mtu === undefined ? {} : { mtu: network.mtu }),
    })),
    // A route of a network that is gone leads nowhere and stops no walk.
    routes: site.routes
      .filter((route) => site.networks.some((network) => network.name === route.network))
      .map(({ network, to, via }) => ({ network, to, via })),
    firewall: site.firewall ?? [],
    translations: site.translations ?? [],
    fronts: site.balancers.flatMap((balancer) => {
      const behind = view.clusters.find((cluster) => cluster.name === balancer.cluster)
      const members = behind ? frontMembers(behind, site).map((node) => node.name) : undefined
      const objects = balancer.cluster === null ? [] : (knownObjects(view, balancer.cluster) ?? [])
      const service = objectOfKind(objects, 'Service', balancer.service)
      return [balancer.port, ...(balancer.ports ?? [])].flatMap((port) => {
        const nodePort = service?.spec?.ports?.find(
          (candidate) => candidate.port === port,
        )?.nodePort
        return nodePort
          ? [
              {
                address: balancer.address,
                port,
                protocol: 'tcp',
                cluster: balancer.cluster ?? '',
                service: balancer.service,
                nodePort,
                ...(members ? { members } : {}),
              },
            ]
          : []
      })
    }),
    records: recordsOf(site),
    ...(site.mtu === undefined ? {} : { mtu: site.mtu }),
  }
}

/** What a world was made of: while each part is the same object, so is the world. */
interface Kept {
  readonly clusters: FleetView['clusters']
  readonly peers: FleetView['peers']
  readonly lists: readonly (readonly ApiObject[] | undefined)[]
  readonly world: WalkWorld
  readonly read: WorldRead
}

/** The worlds of a list of sites that were asked for last: with the objects of one cluster, of another … */
const kept = new WeakMap<FleetView['sites'], readonly Kept[]>()
const maxKept = 4

/** Worlds prepared so far: what a test holds against the number of pages. */
export const worldWork = { prepared: 0 }

function keptFor(view: FleetView): Kept {
  const lists = view.clusters.map((cluster) => knownObjects(view, cluster.name))
  const earlier = kept.get(view.sites) ?? []
  const same = earlier.find(
    (candidate) =>
      candidate.clusters === view.clusters &&
      candidate.peers === view.peers &&
      candidate.lists.every((list, i) => list === lists[i]),
  )
  if (same) return same
  worldWork.prepared++
  const world = readWalkWorld(view)
  const fresh: Kept = {
    clusters: view.clusters,
    peers: view.peers,
    lists,
    world,
    read: prepareWorld(world),
  }
  kept.set(view.sites, [fresh, ...earlier].slice(0, maxKept))
  return fresh
}

/** What is set up now, as a walk takes it; made once for what a picture is made of. */
export const walkWorldOf = (view: FleetView): WalkWorld => keptFor(view).world

/** The same, prepared for walks. */
export const readyWorldOf = (view: FleetView): WorldRead => keptFor(view).read

/** The clusters of a picture that stand at a site of it, as a walk takes them. */
function* partsOf(view: FleetView): Generator<WalkCluster> {
  const sites = new Map(view.sites.map((site) => [site.name, site]))
  for (const cluster of view.clusters) {
    const site = sites.get(cluster.site)
    if (site) yield clusterPart(cluster, site, view)
  }
}

const readWalkWorld = (view: FleetView): WalkWorld => ({
  clusters: [...partsOf(view)],
  sites: view.sites.map((site) => siteSchema.parse(siteWorld(site, view))),
  peers: (view.peers ?? []).map((peer) => peerSchema.parse(peer)),
})

/** Prepares the world of a picture cluster by cluster, for who lets others have their turn in between. */
export function* preparingWorld(view: FleetView): Generator<string> {
  let index = 0
  for (const part of partsOf(view)) {
    readCluster(part, index++, [])
    yield part.name
  }
}
