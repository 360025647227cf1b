/**
 * How a packet fares in the outside: from a pod, a node or an address to an address, through policies, services, the
 * node’s masquerade, routes, firewalls and translations, as those stand at this moment. Nothing of it is prepared or kept.
 */
import { formatAddress, parseAddress } from '../../core/addresses'
import { record as fields } from '../cluster/manifests'
import { type Front, frontOf, isOf, peerAt, siteHolding } from './holders'
import type { Cluster, Node, Peer, Pod, Site, World } from '../world'
import type { Packet } from './packet'
import { same, type Sender, podAt } from './packet'
import { policyAgainst } from './policies'
import { isHostPod } from './packet'
import { behindFronts, healthyBehind, listensOn, nodePortAt } from './node-ports'
import { anyCovers, covers, networkAt } from './ranges'
import { firstRule, firstTranslation, hasRoute } from './rules'
import { readyBehind, servicePorts, targetOn, writtenService } from './services'

export interface Fare {
  readonly arrived: boolean
  /** Where it ended: `policy-out`, `service`, `route`, `firewall-out`, `firewall-in`, `front`, `policy-in`, `acceptance`, `way-back` or `there`. */
  readonly at: string
  /** Whose doing that was; empty where nothing named decided. */
  readonly by: string
  /** The packet as it last was. */
  readonly packet: Readonly<Packet>
  /** The pod it reached. */
  readonly pod: Pod | null
  /** Rules and translations it met, as `site/name`. */
  readonly met: readonly string[]
  /** As it was on its way out of its site, before any translation. */
  readonly leaving: Readonly<Packet> | null
}

const nodeAt = (cluster: Cluster, address: string): Node | undefined =>
  cluster.nodes.find((node) => same(node.address, address))

const policyOf = (cluster: Cluster, namespace: string, name: string, field: string): unknown =>
  fields(writtenService(cluster, namespace, name)?.['spec'])[field]

/** One packet under way. Each part of the way gives the fare where the packet ends there, else null. */
class Trip {
  private readonly own: Cluster | undefined
  /** The pod it comes from, where that has an address of its own. */
  private readonly pod: Pod | undefined
  private readonly node: Node | undefined
  private readonly packet: Packet
  private readonly met: string[] = []
  private leaving: Packet | null = null

  constructor(
    private readonly world: World,
    from: Sender,
    destination: string,
    port: number,
    private readonly protocol: 'TCP' | 'UDP',
    private readonly nth: number,
  ) {
    if ('cluster' in from) {
      this.own = from.cluster
      this.node =
        'node' in from
          ? from.node
          : from.cluster.nodes.find((candidate) => candidate.name === from.pod.node)
      if ('pod' in from && !isHostPod(from.cluster, from.pod)) this.pod = from.pod
    }
    const address = 'address' in from ? from.address : ''
    const source = this.pod?.ip ?? this.node?.address ?? address
    this.packet = { source, destination, port, protocol }
  }

  run(): Fare {
    const inside = this.insideCluster()
    if (inside) return inside
    const home = this.own
      ? this.world.sites[this.own.site]
      : siteHolding(this.world, this.packet.source, undefined)
    this.masquerade()
    const { destination } = this.packet
    const front = frontOf(this.world, destination)
    const peer = peerAt(this.world, destination)
    const goal =
      siteHolding(this.world, destination, home) ??
      front?.site ??
      (peer?.site === undefined ? undefined : this.world.sites[peer.site])
    const leaves = home !== undefined && !isOf(this.world, home, destination)
    const out = home && leaves ? this.leave(home) : null
    if (out) return out
    const into = goal && (leaves || !home) ? this.enter(goal, front) : null
    if (into) return into
    if (front) return this.behindFront(front)
    return this.atClusters(goal) ?? (peer ? this.atPeer(peer) : this.wayBack(goal))
  }

  private readonly ends = (
    arrived: boolean,
    at: string,
    by = '',
    reached: Pod | null = null,
  ): Fare => ({
    arrived,
    at,
    by,
    packet: { ...this.packet },
    pod: reached,
    met: this.met,
    leaving: this.leaving,
  })

  private chosenOf(ready: readonly Pod[]): Pod | undefined {
    return ready.length > 0 ? ready[this.nth % ready.length] : undefined
  }

  /** A service address becomes a pod’s, and policies of the source look at what it becomes. */
  private insideCluster(): Fare | null {
    const { own, packet } = this
    const service = own?.serviceList.find(
      ({ address }) => address !== '' && same(address, packet.destination),
    )
    if (own && service) return this.toService(own, service)
    const against = own && this.pod ? policyAgainst(own, this.pod, 'egress', packet) : ''
    if (against !== '') return this.ends(false, 'policy-out', against)
    return this.isForeignService() ? this.ends(false, 'service') : null
  }

  private toService(own: Cluster, service: Cluster['serviceList'][number]): Fare | null {
    const { packet, node } = this
    const { namespace, name } = service
    const listed = servicePorts(own, service).find(
      ({ port, protocol }) => port === packet.port && protocol === this.protocol,
    )
    const staysOnNode = policyOf(own, namespace, name, 'internalTrafficPolicy') === 'Local'
    const chosen = this.chosenOf(
      readyBehind(own, service).filter((pod) => !staysOnNode || pod.node === node?.name),
    )
    const seen: Packet =
      chosen && listed
        ? { ...packet, destination: chosen.ip ?? '', port: targetOn(own, chosen, listed) }
        : packet
    const against = this.pod ? policyAgainst(own, this.pod, 'egress', seen) : ''
    if (against !== '') return this.ends(false, 'policy-out', against)
    if (!chosen || !listed) return this.ends(false, 'service', `${namespace}/${name}`)
    packet.destination = seen.destination
    packet.port = seen.port
    return null
  }

  /** A service address that no service has here, or that only another cluster gives a meaning. */
  private isForeignService(): boolean {
    const { own, world } = this
    const { source, destination } = this.packet
    if (own && covers(own.services, destination)) return true
    const home = own ? world.sites[own.site] : siteHolding(world, source, undefined)
    const isInDomain =
      home !== undefined &&
      Object.values(world.sites).some(
        (site) => site.domain === home.domain && isOf(world, site, destination),
      )
    return (
      !isInDomain &&
      Object.values(world.clusters).some((cluster) => covers(cluster.services, destination))
    )
  }

  /** Outside its cluster a pod is seen under its node’s address, unless the range keeps its own. */
  private masquerade(): void {
    const { own, pod, node, packet } = this
    if (!own || !pod || !node || podAt(own, packet.destination) !== undefined) return
    const isKept = (own.keepSource ?? []).some((range) => covers(range, packet.destination))
    if (!isKept) packet.source = node.address
  }

  /** Route, firewall and translation on the way out of a site. */
  private leave(home: Site): Fare | null {
    const { packet } = this
    const holder = this.node?.address ?? packet.source
    if (!hasRoute(home, networkAt(home, holder), packet.destination))
      return this.ends(false, 'route')
    this.leaving = { ...packet }
    const out = firstRule(home, 'out', packet, [holder])
    if (out) this.met.push(`${home.name}/${out.name}`)
    if (out?.action === 'deny') return this.ends(false, 'firewall-out', out.name)
    const translation = firstTranslation(home, packet)
    if (translation) this.met.push(`${home.name}/${translation.name}`)
    if (translation?.kind === 'translate' && translation.becomes !== undefined)
      packet.source = translation.becomes
    return null
  }

  /** The firewall on the way into a site. */
  private enter(goal: Site, front: Front | undefined): Fare | null {
    const { world, packet } = this
    let members: readonly string[] = [destinationHolder(world, goal, packet.destination)]
    if (front?.site === goal)
      members = front.cluster ? behindFronts(goal, front.cluster).map((node) => node.address) : []
    const into = firstRule(goal, 'in', packet, members.length > 0 ? members : [packet.destination])
    if (into) this.met.push(`${goal.name}/${into.name}`)
    if (into?.action === 'deny') return this.ends(false, 'firewall-in', into.name)
    const isNear = Object.values(world.sites).some(
      (site) => site.domain === goal.domain && isOf(world, site, packet.source),
    )
    return into || isNear ? null : this.ends(false, 'firewall-in')
  }

  /** A virtual address: to a node that takes it, then to a ready pod of its service. */
  private behindFront(front: Front): Fare {
    const { packet } = this
    const { cluster } = front
    const [namespace = '', name = ''] = front.service.split('/')
    const service = cluster?.serviceList.find(
      (candidate) => candidate.namespace === namespace && candidate.name === name,
    )
    const isOpen = front.ports.includes(packet.port)
    if (!cluster || !service || !isOpen)
      return this.ends(false, 'front', isOpen ? front.service : '')
    const listed = servicePorts(cluster, service).find(
      ({ port, protocol }) => port === packet.port && protocol === this.protocol,
    )
    const end = this.chosenOf(readyBehind(cluster, service))
    const isLocal = policyOf(cluster, namespace, name, 'externalTrafficPolicy') === 'Local'
    const takers = healthyBehind(front.site, cluster)
    const taker = isLocal
      ? takers.find((candidate) => candidate.name === end?.node)
      : [...takers].sort((a, b) => (a.name < b.name ? -1 : 1))[0]
    if (!end || !listed || !taker) return this.ends(false, 'front', front.service)
    if (!isLocal) packet.source = taker.address
    return this.toPod(cluster, end, targetOn(cluster, end, listed))
  }

  private toPod(cluster: Cluster, pod: Pod, port: number): Fare {
    this.packet.destination = pod.ip ?? ''
    this.packet.port = port
    return atPod(this.world, cluster, pod, this.packet, this.ends)
  }

  /** The pod or node of a cluster that has the address, the own cluster first; null where none has it, or it just arrives. */
  private atClusters(goal: Site | undefined): Fare | null {
    const { world, packet, own } = this
    const { destination } = packet
    const near = [
      ...(own ? [own] : []),
      ...Object.values(world.clusters).filter((cluster) => cluster.site === goal?.name),
    ]
    for (const cluster of near) {
      const pod = podAt(cluster, destination)
      if (pod) return atPod(world, cluster, pod, packet, this.ends)
    }
    for (const cluster of near) {
      const node = nodeAt(cluster, destination)
      if (node) return this.atNode(cluster, node)
    }
    return null
  }

  /** A port of a node that leads to a service, or one on which the node itself listens. */
  private atNode(cluster: Cluster, node: Node): Fare | null {
    const { packet } = this
    const served = nodePortAt(this.world, cluster, packet)
    if (!served)
      return listensOn(cluster, node, packet) ? null : this.ends(false, 'acceptance', node.name)
    const { service, port } = served
    const { namespace, name } = service
    const isLocal = policyOf(cluster, namespace, name, 'externalTrafficPolicy') === 'Local'
    const end = this.chosenOf(
      readyBehind(cluster, service).filter((pod) => !isLocal || pod.node === node.name),
    )
    if (!end) return this.ends(false, 'front', `${namespace}/${name}`)
    if (!isLocal) packet.source = node.address
    return this.toPod(cluster, end, targetOn(cluster, end, port))
  }

  /** Somebody outside who listens: on some ports, for some sources, with a way back for some. */
  private atPeer(peer: Peer): Fare {
    const { source, port } = this.packet
    const listens = peer.protocol.toUpperCase() === this.protocol && peer.ports.includes(port)
    const accepts = peer.accepts === undefined || anyCovers(peer.accepts, source)
    if (!listens || !accepts) return this.ends(false, 'acceptance', peer.name)
    return peer.routes !== undefined && !anyCovers(peer.routes, source)
      ? this.ends(false, 'way-back', peer.name)
      : this.ends(true, 'there', peer.name)
  }

  /** Arrived, if what answers finds the way back. */
  private wayBack(goal: Site | undefined): Fare {
    const { source, destination } = this.packet
    const network = goal ? networkAt(goal, destination) : undefined
    const isLost =
      goal !== undefined &&
      network !== undefined &&
      !isOf(this.world, goal, source) &&
      !hasRoute(goal, network, source)
    return isLost ? this.ends(false, 'way-back') : this.ends(true, 'there')
  }
}

/** Sends one packet. `nth` chooses among ready endpoints, counted by name. */
export const send = (
  world: World,
  from: Sender,
  destination: string,
  port: number,
  protocol: 'TCP' | 'UDP' = 'TCP',
  nth = 0,
): Fare => new Trip(world, from, destination, port, protocol, nth).run()

/** The node that holds a pod’s address, or the address itself. */
function destinationHolder(world: World, site: Site, address: string): string {
  for (const cluster of Object.values(world.clusters)) {
    if (cluster.site !== site.name) continue
    const pod = podAt(cluster, address)
    const node = pod
      ? cluster.nodes.find((node) => node.name === pod.node)
      : nodeAt(cluster, address)
    if (node) return node.address
  }
  return address
}

function atPod(
  world: World,
  cluster: Cluster,
  pod: Pod,
  packet: Packet,
  ends: (arrived: boolean, at: string, by?: string, reached?: Pod | null) => Fare,
): Fare {
  const against = isHostPod(cluster, pod) ? '' : policyAgainst(cluster, pod, 'ingress', packet)
  if (against !== '') return ends(false, 'policy-in', against)
  const site = world.sites[cluster.site]
  const node = cluster.nodes.find((node) => node.name === pod.node)
  if (
    site &&
    node &&
    !isOf(world, site, packet.source) &&
    !hasRoute(site, networkAt(site, node.address), packet.source)
  )
    return ends(false, 'way-back')
  return ends(true, 'there', '', pod)
}

/** An address as it is written everywhere. */
export function plainAddress(address: string): string {
  const parsed = parseAddress(address)
  return parsed.ok ? formatAddress(parsed.value) : address
}
