/**
 * How a packet fares in the outside: from a pod, a node or an address to an address, through policies, services, the
 * node’s masquerade, routes, firewalls and translations, as those stand at this moment. Nothing of it is prepared or kept.
 */
import { formatAddress, parseAddress } from '../../core/addresses'
import { record as fields } from '../cluster/manifests'
import type { Cluster, FirewallRule, Node, Peer, Pod, Site, Translation, World } from '../world'
import type { Packet } from './packet'
import { same, type Sender, podAt } from './packet'
import { policyAgainst } from './policies'
import { isHostPod } from './packet'
import { behindFronts, healthyBehind, listensOn, nodePortAt } from './node-ports'
import { anyCovers, covers, networkAt } from './ranges'
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

// Sites

const clustersOf = (world: World, site: Site): readonly Cluster[] =>
  Object.values(world.clusters).filter((cluster) => cluster.site === site.name)

/** Whether an address is one of a site’s: in a network, or a pod range of a cluster there. */
const isOf = (world: World, site: Site, address: string): boolean =>
  site.networks.some((network) => covers(network.range, address)) ||
  clustersOf(world, site).some((cluster) => covers(cluster.pods, address))

function siteHolding(world: World, address: string, near: Site | undefined): Site | undefined {
  const sites = Object.values(world.sites)
  if (near && isOf(world, near, address)) return near
  return (
    sites.find((site) => site.domain === near?.domain && isOf(world, site, address)) ??
    sites.find((site) => isOf(world, site, address))
  )
}

function hasRoute(site: Site, network: string | undefined, to: string): boolean {
  return (
    network !== undefined &&
    site.routes.some((route) => route.network === network && covers(route.to, to))
  )
}

const portsCover = (ports: readonly string[] | undefined, port: number): boolean =>
  ports === undefined ||
  ports.some((candidate) => {
    const [first = '', last = first] = candidate.split('-')
    return port >= Number(first) && port <= Number(last)
  })

function firstRule(
  site: Site,
  way: 'in' | 'out',
  packet: Packet,
  members: readonly string[],
): FirewallRule | undefined {
  const rules = (site.firewall ?? [])
    .map((rule, place) => ({ rule, place }))
    .filter(({ rule }) => rule.direction === way && rule.enabled !== false)
  rules.sort((a, b) => a.rule.priority - b.rule.priority || a.place - b.place)
  return rules.find(
    ({ rule }) =>
      anyCovers(rule.from, packet.source) &&
      anyCovers(rule.to, packet.destination) &&
      (rule.protocol === 'any' || rule.protocol.toUpperCase() === packet.protocol) &&
      portsCover(rule.ports, packet.port) &&
      (rule.members === undefined || members.some((member) => anyCovers(rule.members, member))),
  )?.rule
}

function firstTranslation(site: Site, packet: Packet): Translation | undefined {
  const rules = (site.translations ?? []).map((rule, place) => ({ rule, place }))
  rules.sort((a, b) => a.rule.priority - b.rule.priority || a.place - b.place)
  return rules.find(
    ({ rule }) =>
      anyCovers(rule.from, packet.source) &&
      anyCovers(rule.to, packet.destination) &&
      (rule.protocol === undefined ||
        rule.protocol === 'any' ||
        rule.protocol.toUpperCase() === packet.protocol),
  )?.rule
}

/** Everybody outside who listens: partners, and the managed control planes, each of which takes its own site alone. */
export function peersOf(world: World): readonly Peer[] {
  const planes = Object.values(world.sites).flatMap((site) =>
    site.controlPlanes.map((plane): Peer => ({
      name: `${plane.cluster}-api`,
      address: plane.address,
      ports: [443],
      protocol: 'tcp',
      ...(site.egress === undefined ? {} : { accepts: [`${site.egress}/32`] }),
    })),
  )
  return [...(world.peers ?? []), ...planes]
}

/** What stands at a virtual address, where one does. */
export function frontOf(
  world: World,
  address: string,
):
  | {
      readonly site: Site
      readonly cluster: Cluster | undefined
      readonly ports: readonly number[]
      readonly service: string
    }
  | undefined {
  for (const site of Object.values(world.sites)) {
    for (const balancer of site.balancers)
      if (same(balancer.address, address))
        return {
          site,
          cluster: balancer.cluster === null ? undefined : world.clusters[balancer.cluster],
          ports: [balancer.port, ...(balancer.ports ?? [])],
          service: balancer.service,
        }
  }
  return undefined
}

const nodeAt = (cluster: Cluster, address: string): Node | undefined =>
  cluster.nodes.find((node) => same(node.address, address))

/** Sends one packet. `nth` chooses among ready endpoints, counted by name. */
export function send(
  world: World,
  from: Sender,
  destination: string,
  port: number,
  protocol: 'TCP' | 'UDP' = 'TCP',
  nth = 0,
): Fare {
  const met: string[] = []
  let leaving: Packet | null = null
  const own = 'cluster' in from ? from.cluster : undefined
  const pod = 'pod' in from && !isHostPod(from.cluster, from.pod) ? from.pod : undefined
  let node: Node | undefined
  if (own && 'cluster' in from) {
    if ('node' in from) node = from.node
    else node = own.nodes.find((candidate) => candidate.name === from.pod.node)
  } else node = undefined
  const packet: Packet = {
    source: pod?.ip ?? node?.address ?? ('address' in from ? from.address : ''),
    destination,
    port,
    protocol,
  }
  const ends = (arrived: boolean, at: string, by = '', reached: Pod | null = null): Fare => ({
    arrived,
    at,
    by,
    packet: { ...packet },
    pod: reached,
    met,
    leaving,
  })

  // Inside the cluster
  const service = own?.serviceList.find(
    (service) => service.address !== '' && same(service.address, destination),
  )
  let chosen: Pod | undefined
  if (own && service) {
    const listed = servicePorts(own, service).find(
      (servicePort) => servicePort.port === port && servicePort.protocol === protocol,
    )
    const onNode =
      fields(writtenService(own, service.namespace, service.name)?.['spec'])[
        'internalTrafficPolicy'
      ] === 'Local'
    const ready = readyBehind(own, service).filter(
      (candidate) => !onNode || candidate.node === node?.name,
    )
    chosen = ready.length > 0 ? ready[nth % ready.length] : undefined
    const seen: Packet =
      chosen && listed
        ? { ...packet, destination: chosen.ip ?? '', port: targetOn(own, chosen, listed) }
        : packet
    const against = pod ? policyAgainst(own, pod, 'egress', seen) : ''
    if (against !== '') return ends(false, 'policy-out', against)
    if (!chosen || !listed) return ends(false, 'service', `${service.namespace}/${service.name}`)
    packet.destination = seen.destination
    packet.port = seen.port
  } else {
    const against = own && pod ? policyAgainst(own, pod, 'egress', packet) : ''
    if (against !== '') return ends(false, 'policy-out', against)
    const home = own ? world.sites[own.site] : siteHolding(world, packet.source, undefined)
    if (own && covers(own.services, destination)) return ends(false, 'service')
    const inDomain =
      home !== undefined &&
      Object.values(world.sites).some(
        (site) => site.domain === home.domain && isOf(world, site, destination),
      )
    if (
      !inDomain &&
      Object.values(world.clusters).some((cluster) => covers(cluster.services, destination))
    )
      return ends(false, 'service')
  }
  if (own && pod && node) {
    const inside = podAt(own, packet.destination) !== undefined
    if (!inside && !(own.keepSource ?? []).some((range) => covers(range, packet.destination)))
      packet.source = node.address
  }

  // Between networks
  const home = own ? world.sites[own.site] : siteHolding(world, packet.source, undefined)
  const front = frontOf(world, packet.destination)
  const peer = peersOf(world).find((peer) => same(peer.address, packet.destination))
  const goal =
    siteHolding(world, packet.destination, home) ??
    front?.site ??
    (peer?.site === undefined ? undefined : world.sites[peer.site])
  const leaves = home !== undefined && !isOf(world, home, packet.destination)
  const holder = node?.address ?? packet.source
  if (home && leaves) {
    if (!hasRoute(home, networkAt(home, holder), packet.destination)) return ends(false, 'route')
    leaving = { ...packet }
    const out = firstRule(home, 'out', packet, [holder])
    if (out) met.push(`${home.name}/${out.name}`)
    if (out?.action === 'deny') return ends(false, 'firewall-out', out.name)
    const translation = firstTranslation(home, packet)
    if (translation) met.push(`${home.name}/${translation.name}`)
    if (translation?.kind === 'translate' && translation.becomes !== undefined)
      packet.source = translation.becomes
  }
  if (goal && (leaves || !home)) {
    const members =
      front && front.site === goal
        ? (front.cluster ? behindFronts(goal, front.cluster) : []).map(
            (eachNode) => eachNode.address,
          )
        : [destinationHolder(world, goal, packet.destination)]
    const into = firstRule(goal, 'in', packet, members.length > 0 ? members : [packet.destination])
    if (into) met.push(`${goal.name}/${into.name}`)
    if (into?.action === 'deny') return ends(false, 'firewall-in', into.name)
    const near = Object.values(world.sites).some(
      (site) => site.domain === goal.domain && isOf(world, site, packet.source),
    )
    if (!into && !near) return ends(false, 'firewall-in')
  }

  // At the other end
  if (front) {
    const { cluster } = front
    const [namespace = '', name = ''] = front.service.split('/')
    const behind = cluster?.serviceList.find(
      (candidate) => candidate.namespace === namespace && candidate.name === name,
    )
    if (!cluster || !behind || !front.ports.includes(packet.port))
      return ends(false, 'front', front.ports.includes(packet.port) ? front.service : '')
    const listed = servicePorts(cluster, behind).find(
      (servicePort) => servicePort.port === packet.port && servicePort.protocol === protocol,
    )
    const ready = readyBehind(cluster, behind)
    const end = ready.length > 0 ? ready[nth % ready.length] : undefined
    const local =
      fields(writtenService(cluster, namespace, name)?.['spec'])['externalTrafficPolicy'] ===
      'Local'
    const takers = healthyBehind(front.site, cluster)
    const taker = local
      ? takers.find((candidate) => candidate.name === end?.node)
      : [...takers].sort((a, b) => (a.name < b.name ? -1 : 1))[0]
    if (!end || !listed || !taker) return ends(false, 'front', front.service)
    if (!local) packet.source = taker.address
    packet.destination = end.ip ?? ''
    packet.port = targetOn(cluster, end, listed)
    return atPod(world, cluster, end, packet, ends)
  }
  const near = [
    own,
    ...Object.values(world.clusters).filter((cluster) => cluster.site === goal?.name),
  ]
  const cluster = near.find(
    (cluster) => cluster !== undefined && podAt(cluster, packet.destination) !== undefined,
  )
  const there = cluster && podAt(cluster, packet.destination)
  if (cluster && there) return atPod(world, cluster, there, packet, ends)
  const holding = near.find((cluster) => cluster && nodeAt(cluster, packet.destination))
  const addressed = holding && nodeAt(holding, packet.destination)
  if (holding && addressed) {
    const served = nodePortAt(world, holding, packet)
    if (served) {
      const { service, port } = served
      const isLocal =
        fields(writtenService(holding, service.namespace, service.name)?.['spec'])[
          'externalTrafficPolicy'
        ] === 'Local'
      const ready = readyBehind(holding, service).filter(
        (candidate) => !isLocal || candidate.node === addressed.name,
      )
      const end = ready.length > 0 ? ready[nth % ready.length] : undefined
      if (!end) return ends(false, 'front', `${service.namespace}/${service.name}`)
      if (!isLocal) packet.source = addressed.address
      packet.destination = end.ip ?? ''
      packet.port = targetOn(holding, end, port)
      return atPod(world, holding, end, packet, ends)
    }
    if (!listensOn(holding, addressed, packet)) return ends(false, 'acceptance', addressed.name)
  }
  if (peer) {
    if (peer.protocol.toUpperCase() !== protocol || !peer.ports.includes(packet.port))
      return ends(false, 'acceptance', peer.name)
    if (peer.accepts !== undefined && !anyCovers(peer.accepts, packet.source))
      return ends(false, 'acceptance', peer.name)
    return peer.routes !== undefined && !anyCovers(peer.routes, packet.source)
      ? ends(false, 'way-back', peer.name)
      : ends(true, 'there', peer.name)
  }
  const network = goal ? networkAt(goal, packet.destination) : undefined
  if (
    goal &&
    network !== undefined &&
    !isOf(world, goal, packet.source) &&
    !hasRoute(goal, network, packet.source)
  )
    return ends(false, 'way-back')
  return ends(true, 'there')
}

/** The node that holds a pod’s address, or the address itself. */
function destinationHolder(world: World, site: Site, address: string): string {
  for (const cluster of clustersOf(world, site)) {
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
