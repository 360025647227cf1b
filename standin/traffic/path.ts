/**
 * How a packet fares in the outside: from a pod, a node or an address to an address, through policies, services, the
 * node’s masquerade, routes, firewalls and translations, as those stand at this moment. Nothing of it is prepared or kept.
 */
import { formatAddress, parseAddress, parseRange } from '../../core/addresses'
import { workloadOf } from '../cluster/fits'
import {
  isReadyPod,
  list,
  podLabels,
  record as fields,
  templateOf,
  text,
} from '../cluster/manifests'
import type {
  Cluster,
  FirewallRule,
  Manifest,
  Node,
  Peer,
  Pod,
  Site,
  Translation,
  World,
} from '../world'

export interface Packet {
  source: string
  destination: string
  port: number
  readonly protocol: 'TCP' | 'UDP'
}

export type Sender =
  | { readonly cluster: Cluster; readonly pod: Pod }
  | { readonly cluster: Cluster; readonly node: Node }
  | { readonly address: string }

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

/** Lines of addresses that were asked before. An address is short and there are few; past this many it begins anew. */
const lines = new Map<string, bigint | null>()
const maxLines = 50_000

/** A number for an address; both families on one line. */
function lineOf(address: string): bigint | null {
  let line = lines.get(address)
  if (line === undefined) {
    line = readLine(address)
    if (lines.size >= maxLines) lines.clear()
    lines.set(address, line)
  }
  return line
}

function readLine(address: string): bigint | null {
  const parsed = parseAddress(address)
  if (!parsed.ok) return null
  return parsed.value.family === 6 ? (1n << 40n) + parsed.value.value : parsed.value.value
}

export function covers(range: string, address: string): boolean {
  const at = lineOf(address)
  const read = parseRange(range)
  if (at === null || !read.ok) return false
  const base = read.value.family === 6 ? 1n << 40n : 0n
  return at >= base + read.value.first && at <= base + read.value.last
}

const anyCovers = (ranges: readonly string[] | undefined, address: string): boolean =>
  ranges === undefined || ranges.some((range) => covers(range, address))
const same = (a: string, b: string): boolean => {
  const line = lineOf(a)
  return line !== null && line === lineOf(b)
}

// Policies

const isHostPod = (cluster: Cluster, pod: Pod): boolean => {
  const workload = workloadOf(cluster, pod)
  return (
    workload !== undefined && fields(templateOf(workload, pod.hash)['spec'])['hostNetwork'] === true
  )
}

const podAt = (cluster: Cluster, address: string): Pod | undefined =>
  cluster.running.find(
    (pod) =>
      pod.ip !== null &&
      pod.phase !== 'Succeeded' &&
      same(pod.ip, address) &&
      !isHostPod(cluster, pod),
  )

function selects(selector: unknown, labels: Readonly<Record<string, string>>): boolean {
  const wanted = fields(fields(selector)['matchLabels'])
  if (Object.keys(wanted).some((key) => labels[key] !== wanted[key])) return false
  return list(fields(selector)['matchExpressions'])
    .map(fields)
    .every((one) => {
      const value = labels[text(one['key'])]
      const values = list(one['values']).map(text)
      if (one['operator'] === 'Exists') return value !== undefined
      if (one['operator'] === 'DoesNotExist') return value === undefined
      if (one['operator'] === 'In') return value !== undefined && values.includes(value)
      return one['operator'] === 'NotIn' && (value === undefined || !values.includes(value))
    })
}

function namespaceLabels(cluster: Cluster, name: string): Readonly<Record<string, string>> {
  const object = (cluster.objects ?? []).find(
    (one) => one.kind === 'Namespace' && one.metadata.name === name,
  )
  return { ...object?.metadata.labels, 'kubernetes.io/metadata.name': name }
}

const labelsOf = (cluster: Cluster, pod: Pod): Readonly<Record<string, string>> =>
  podLabels(workloadOf(cluster, pod), pod)

function namedPort(cluster: Cluster, pod: Pod, name: string, protocol: string): number | null {
  const workload = workloadOf(cluster, pod)
  const ports = workload
    ? list(fields(templateOf(workload, pod.hash)['spec'])['containers'])
        .flatMap((container) => list(fields(container)['ports']))
        .map(fields)
    : []
  const found = ports.find(
    (port) => port['name'] === name && (text(port['protocol']) || 'TCP') === protocol,
  )
  return found ? Number(found['containerPort']) : null
}

function letsThrough(
  cluster: Cluster,
  policy: Manifest,
  way: 'ingress' | 'egress',
  other: { readonly pod: Pod | undefined; readonly address: string },
  goal: Pod | undefined,
  packet: Packet,
): boolean {
  return list(fields(policy['spec'])[way])
    .map(fields)
    .some((rule) => {
      const peers = list(rule[way === 'ingress' ? 'from' : 'to']).map(fields)
      const ports = list(rule['ports']).map(fields)
      const portGood =
        ports.length === 0 ||
        ports.some((port) => {
          if ((text(port['protocol']) || 'TCP') !== packet.protocol) return false
          const wanted = port['port']
          if (wanted === undefined) return true
          if (typeof wanted === 'number')
            return packet.port >= wanted && packet.port <= Number(port['endPort'] ?? wanted)
          return (
            goal !== undefined &&
            namedPort(cluster, goal, text(wanted), packet.protocol) === packet.port
          )
        })
      if (!portGood) return false
      return (
        peers.length === 0 ||
        peers.some((peer) => {
          const block = fields(peer['ipBlock'])
          if (peer['ipBlock'] !== undefined)
            return (
              covers(text(block['cidr']), other.address) &&
              !list(block['except']).some((no) => covers(text(no), other.address))
            )
          if (
            !other.pod ||
            (peer['podSelector'] === undefined && peer['namespaceSelector'] === undefined)
          )
            return false
          const space =
            peer['namespaceSelector'] === undefined
              ? other.pod.namespace === policy.metadata.namespace
              : selects(peer['namespaceSelector'], namespaceLabels(cluster, other.pod.namespace))
          return (
            space &&
            (peer['podSelector'] === undefined ||
              selects(peer['podSelector'], labelsOf(cluster, other.pod)))
          )
        })
      )
    })
}

/** The policies that stand against a packet at one end, joined; empty if it passes. */
function policyAgainst(
  cluster: Cluster,
  pod: Pod,
  way: 'ingress' | 'egress',
  packet: Packet,
): string {
  const far = way === 'ingress' ? packet.source : packet.destination
  const other = podAt(cluster, far)
  const goal = way === 'ingress' ? pod : other
  const isolating = (cluster.objects ?? []).filter((one) => {
    if (one.kind !== 'NetworkPolicy' || one.metadata.namespace !== pod.namespace) return false
    const spec = fields(one['spec'])
    const said = list(spec['policyTypes']).map(text)
    const types =
      said.length > 0 ? said : ['Ingress', ...(list(spec['egress']).length > 0 ? ['Egress'] : [])]
    return (
      types.includes(way === 'ingress' ? 'Ingress' : 'Egress') &&
      selects(spec['podSelector'], labelsOf(cluster, pod))
    )
  })
  if (isolating.length === 0 || other === pod) return ''
  const node = cluster.nodes.find((one) => one.name === pod.node)
  if (!other && node && same(node.address, far)) return ''
  if (
    isolating.some((policy) =>
      letsThrough(cluster, policy, way, { pod: other, address: far }, goal, packet),
    )
  )
    return ''
  return isolating
    .map((policy) => `${policy.metadata.namespace ?? ''}/${policy.metadata.name}`)
    .sort()
    .join(', ')
}

// Services

export interface ServicePort {
  readonly port: number
  readonly target: number | string
  readonly protocol: string
  readonly nodePort: number
  readonly name: string
}

/** A node port that stays the same as long as a service does. */
function derivedNodePort(key: string): number {
  let hash = 7
  for (const char of key) hash = (hash * 31 + (char.codePointAt(0) ?? 0)) % 1_000_003
  return 30_000 + (hash % 2768)
}

export const writtenService = (
  cluster: Cluster,
  namespace: string,
  name: string,
): Manifest | undefined =>
  (cluster.objects ?? []).find(
    (one) =>
      one.kind === 'Service' && one.metadata.namespace === namespace && one.metadata.name === name,
  )

export function servicePorts(
  cluster: Cluster,
  service: { readonly namespace: string; readonly name: string; readonly port: number },
): readonly ServicePort[] {
  const written = writtenService(cluster, service.namespace, service.name)
  const ports = list(fields(written?.['spec'])['ports']).map(fields)
  if (ports.length === 0)
    return [
      {
        port: service.port,
        target: service.port,
        protocol: 'TCP',
        nodePort: derivedNodePort(`${service.namespace}/${service.name}/${service.port}`),
        name: '',
      },
    ]
  return ports.map((port) => ({
    port: Number(port['port']),
    target:
      typeof port['targetPort'] === 'number' || typeof port['targetPort'] === 'string'
        ? port['targetPort']
        : Number(port['port']),
    protocol: text(port['protocol']) || 'TCP',
    nodePort:
      typeof port['nodePort'] === 'number'
        ? port['nodePort']
        : derivedNodePort(`${service.namespace}/${service.name}/${Number(port['port'])}`),
    name: text(port['name']),
  }))
}

/** Pods behind a service that are ready, by name. */
export function readyBehind(
  cluster: Cluster,
  service: { readonly namespace: string; readonly name: string; readonly workload: string },
): readonly Pod[] {
  const selector = fields(
    fields(writtenService(cluster, service.namespace, service.name)?.['spec'])['selector'],
  )
  const chosen =
    Object.keys(selector).length > 0
      ? (pod: Pod): boolean => selects({ matchLabels: selector }, labelsOf(cluster, pod))
      : (pod: Pod): boolean => service.workload !== '' && pod.workload === service.workload
  return cluster.running
    .filter(
      (pod) =>
        pod.namespace === service.namespace && pod.ip !== null && isReadyPod(pod) && chosen(pod),
    )
    .sort((a, b) => (a.name < b.name ? -1 : 1))
}

export const targetOn = (cluster: Cluster, pod: Pod, port: ServicePort): number =>
  typeof port.target === 'number'
    ? port.target
    : (namedPort(cluster, pod, port.target, port.protocol) ?? port.port)

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

const networkAt = (site: Site, address: string): string | undefined =>
  [...site.networks]
    .filter((network) => covers(network.range, address))
    .sort((a, b) => (sizeOf(a.range) < sizeOf(b.range) ? -1 : 1))[0]?.name

function sizeOf(range: string): bigint {
  const read = parseRange(range)
  return read.ok ? read.value.last - read.value.first : 0n
}

function hasRoute(site: Site, network: string | undefined, to: string): boolean {
  return (
    network !== undefined &&
    site.routes.some((route) => route.network === network && covers(route.to, to))
  )
}

const portsCover = (ports: readonly string[] | undefined, port: number): boolean =>
  ports === undefined ||
  ports.some((one) => {
    const [first = '', last = first] = one.split('-')
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
    else node = own.nodes.find((one) => one.name === from.pod.node)
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
    (one) => one.address !== '' && same(one.address, destination),
  )
  let chosen: Pod | undefined
  if (own && service) {
    const listed = servicePorts(own, service).find(
      (one) => one.port === port && one.protocol === protocol,
    )
    const onNode =
      fields(writtenService(own, service.namespace, service.name)?.['spec'])[
        'internalTrafficPolicy'
      ] === 'Local'
    const ready = readyBehind(own, service).filter((one) => !onNode || one.node === node?.name)
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
  const peer = peersOf(world).find((one) => same(one.address, packet.destination))
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
        ? (front.cluster?.nodes.map((one) => one.address) ?? [])
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
      (one) => one.namespace === namespace && one.name === name,
    )
    if (!cluster || !behind || !front.ports.includes(packet.port))
      return ends(false, 'front', front.ports.includes(packet.port) ? front.service : '')
    const listed = servicePorts(cluster, behind).find(
      (one) => one.port === packet.port && one.protocol === protocol,
    )
    const ready = readyBehind(cluster, behind)
    const end = ready.length > 0 ? ready[nth % ready.length] : undefined
    const local =
      fields(writtenService(cluster, namespace, name)?.['spec'])['externalTrafficPolicy'] ===
      'Local'
    const taker = local
      ? cluster.nodes.find((one) => one.name === end?.node)
      : [...cluster.nodes].sort((a, b) => (a.name < b.name ? -1 : 1))[0]
    if (!end || !listed || !taker) return ends(false, 'front', front.service)
    if (!local) packet.source = taker.address
    packet.destination = end.ip ?? ''
    packet.port = targetOn(cluster, end, listed)
    return atPod(world, cluster, end, packet, ends)
  }
  const cluster = [
    own,
    ...Object.values(world.clusters).filter((one) => one.site === goal?.name),
  ].find((one) => one !== undefined && podAt(one, packet.destination) !== undefined)
  const there = cluster && podAt(cluster, packet.destination)
  if (cluster && there) return atPod(world, cluster, there, packet, ends)
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
    const node = pod ? cluster.nodes.find((one) => one.name === pod.node) : nodeAt(cluster, address)
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
  const node = cluster.nodes.find((one) => one.name === pod.node)
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
