/**
 * The packet walk: hop by hop from one end to the other, with the header before and after, and what decided.
 * The order of the hops and what each looks at is the design’s; every hop is decided from the prepared world alone.
 */
import { type Address, formatAddress, parseAddress } from '../addresses'
import type { Said } from '../contract'
import {
  asEnd,
  type PodEnd,
  type PolicyEnd,
  policyIn,
  policyOut,
  type Protocol,
  type Verdict,
} from './policy'
import {
  type Endpoint,
  networkOf,
  type NodeEnd,
  type ReadyCluster,
  type ReadyPeer,
  type ReadySite,
  type ReadyWorld,
  type Service,
  siteOfAddress,
} from './prepared'
import { addressKey, isIn, spansOf, within } from './spans'
import type { WalkFrom, WalkTo } from './world'
import { said } from './says'

export const hopNames = [
  'name',
  'policy-out',
  'service',
  'masquerade',
  'route',
  'firewall-out',
  'translation',
  'firewall-in',
  'front',
  'policy-in',
  'acceptance',
  'way-back',
] as const
export type HopName = (typeof hopNames)[number]

export interface Header {
  readonly source: Address
  /** A name until it is answered. */
  readonly destination: Address | string
  readonly port: number
}

export type Decider = string | readonly string[]

export interface Hop {
  readonly hop: HopName
  readonly before: Header
  /** Null where there is no packet any more. */
  readonly after: Header | null
  readonly by: Decider
  readonly tell: () => Said
}

/** Where an end of the packet is: what holds it, in which network of which site. */
export interface Place {
  readonly address: Address
  readonly site: ReadySite | null
  readonly network: string | null
  readonly cluster: ReadyCluster | null
  readonly node: NodeEnd | null
  /** A pod with an address of its own. */
  readonly pod: PodEnd | null
}

export interface Walk {
  readonly delivered: boolean
  readonly hops: readonly Hop[]
  readonly from: Place
  /** Where the packet ended up, if it got as far as that. */
  readonly to: Place | null
  readonly peer: ReadyPeer | null
  /** Where the source’s policies judged it to go: behind a service, the endpoint that will be chosen. */
  readonly judged: { readonly destination: Address; readonly port: number } | null
  /** The site it entered, or would have entered, from outside it. */
  readonly entering: string | null
  /** Ready endpoints there were to choose from; 1 where nothing was chosen. */
  readonly choices: number
  /** Largest packet that passes whole, by the links that are known, and what the overlay takes of it; bytes. */
  readonly mtu: { readonly smallest: number; readonly at: string; readonly overhead: number } | null
}

export type WalkRead =
  | { readonly ok: true; readonly walk: Walk }
  | { readonly ok: false; readonly path: string; readonly says: string }

export interface WalkQuery {
  readonly from: WalkFrom
  readonly to: WalkTo
  readonly port: number
  readonly protocol: Protocol
}

/** Bytes that a VXLAN overlay adds to each packet. Source: RFC 7348, section 5. */
const overlayBytes = { 4: 50, 6: 70 } as const

const ofDefault = 'default'

class Refused extends Error {
  readonly path: string
  constructor(path: string, says: string) {
    super(says)
    this.path = path
  }
}

const shown = (text: string): string => text.slice(0, 80)
const written = (at: Address | string): string => (typeof at === 'string' ? at : formatAddress(at))

function clusterNamed(world: ReadyWorld, name: string, path: string): ReadyCluster {
  const cluster = world.clusters.get(name)
  if (!cluster) throw new Refused(path, `There is no cluster ${shown(name)} in this world.`)
  return cluster
}

function podNamed(cluster: ReadyCluster, name: string, path: string): PodEnd {
  const pod = cluster.policies.pods.get(name.includes('/') ? name : `default/${name}`)
  if (!pod)
    throw new Refused(
      path,
      `${cluster.name} has no pod ${shown(name)}. Write it as namespace/name.`,
    )
  return pod
}

const nodeOfPod = (cluster: ReadyCluster, pod: PodEnd): NodeEnd | null =>
  (pod.node === null ? undefined : cluster.nodes.get(pod.node)) ??
  (pod.hostAddress
    ? cluster.nodeList.find(
        (node) => addressKey(node.address) === addressKey(pod.hostAddress as Address),
      )
    : undefined) ??
  null

function addressOfPod(cluster: ReadyCluster, pod: PodEnd, path: string): Address {
  const address = pod.onHostNetwork
    ? (nodeOfPod(cluster, pod)?.address ?? pod.hostAddress)
    : pod.addresses[0]
  if (!address) throw new Refused(path, `${pod.key} has no address yet: it is on no node.`)
  return address
}

function nodePlace(world: ReadyWorld, cluster: ReadyCluster, node: NodeEnd): Place {
  return {
    address: node.address,
    site: world.sites.get(cluster.site) ?? null,
    network: node.network,
    cluster,
    node,
    pod: null,
  }
}

function podPlace(world: ReadyWorld, cluster: ReadyCluster, pod: PodEnd, address: Address): Place {
  const node = nodeOfPod(cluster, pod)
  return {
    address,
    site: world.sites.get(cluster.site) ?? null,
    network: node?.network ?? null,
    cluster,
    node,
    pod: pod.onHostNetwork ? null : pod,
  }
}

/** What is at an address, seen from a place: pods and nodes of the own cluster first, then of the site that holds it. */
function placeAt(
  world: ReadyWorld,
  address: Address,
  site: ReadySite | null,
  own: ReadyCluster | null,
): Place {
  const key = addressKey(address)
  const pods = world.podAt.get(key) ?? []
  const pod =
    pods.find((one) => one.cluster === own) ??
    pods.find((one) => one.cluster.site === site?.name) ??
    (site === null ? pods[0] : undefined)
  if (pod) return podPlace(world, pod.cluster, pod.pod, address)
  const nodes = world.nodeAt.get(key) ?? []
  const node =
    nodes.find((one) => one.cluster === own) ??
    nodes.find((one) => one.cluster.site === site?.name) ??
    (site === null ? nodes[0] : undefined)
  if (node) return nodePlace(world, node.cluster, node.node)
  return {
    address,
    site,
    network: site ? networkOf(site, address) : null,
    cluster: null,
    node: null,
    pod: null,
  }
}

function sourceOf(world: ReadyWorld, from: WalkFrom): Place {
  if ('pod' in from) {
    const cluster = clusterNamed(world, from.cluster, 'from.cluster')
    const pod = podNamed(cluster, from.pod, 'from.pod')
    return podPlace(world, cluster, pod, addressOfPod(cluster, pod, 'from.pod'))
  }
  if ('node' in from) {
    const cluster = clusterNamed(world, from.cluster, 'from.cluster')
    const node = cluster.nodes.get(from.node)
    if (!node) throw new Refused('from.node', `${cluster.name} has no node ${shown(from.node)}.`)
    return nodePlace(world, cluster, node)
  }
  const address = parseAddress(from.address)
  if (!address.ok) throw new Refused('from.address', address.says)
  const found = placeAt(world, address.value, null, null)
  return found.cluster
    ? found
    : placeAt(world, address.value, siteOfAddress(world, address.value, null, null), null)
}

interface Answer {
  readonly addresses: readonly { readonly address: Address; readonly endpoint: Endpoint | null }[]
  readonly by: string
}

const mostNames = 8

/** A full name as a place would have it answered: by its cluster’s name service, then by its site’s records. */
export function resolveName(
  world: ReadyWorld,
  name: string,
  from: Place,
  depth = 0,
): Answer | null {
  const asked = name.toLowerCase().replace(/\.$/, '')
  const { cluster, site } = from
  const suffix = cluster ? `.svc.${cluster.dnsDomain}` : ''
  if (cluster && from.pod && asked.endsWith(suffix)) {
    const labels = asked.slice(0, -suffix.length).split('.')
    const [service, namespace] = labels.slice(-2)
    const found = cluster.services.get(`${namespace ?? ''}/${service ?? ''}`)
    if (found && labels.length <= 3) {
      const answer = serviceAnswer(
        world,
        found,
        from,
        depth,
        labels.length === 3 ? labels[0] : undefined,
      )
      if (answer) return answer
    }
  }
  const record = site?.records.get(asked)
  return record
    ? { addresses: [{ address: record.address, endpoint: null }], by: record.name }
    : null
}

function serviceAnswer(
  world: ReadyWorld,
  service: Service,
  from: Place,
  depth: number,
  host?: string,
): Answer | null {
  if (service.kind === 'external-name')
    return depth >= mostNames ? null : resolveName(world, service.externalName, from, depth + 1)
  if (service.kind === 'cluster')
    return host === undefined
      ? {
          addresses: service.addresses.slice(0, 1).map((address) => ({ address, endpoint: null })),
          by: service.key,
        }
      : null
  const ready = service.ready.filter(
    (endpoint) => host === undefined || endpoint.pod?.name === host,
  )
  return ready.length === 0
    ? null
    : {
        addresses: ready.map((endpoint) => ({ address: endpoint.address, endpoint })),
        by: service.key,
      }
}

/** The longest route from a network to an address; the first in the list where two are as long. */
export function routeTo(
  site: ReadySite,
  network: string | null,
  to: Address,
): ReadySite['routes'][number] | null {
  let best: ReadySite['routes'][number] | null = null
  if (network === null) return null
  for (const route of site.routes)
    if (
      route.network === network &&
      isIn(route.to, to) &&
      (best === null || route.size < best.size)
    )
      best = route
  return best
}

const nobody = spansOf([])

const inSite = (world: ReadyWorld, site: ReadySite, address: Address): boolean =>
  within(world.inside.get(site.name) ?? nobody, address)

/** One walk under way. */
class Walker {
  readonly hops: Hop[] = []
  private readonly world: ReadyWorld
  private readonly query: WalkQuery
  private readonly nth: number
  readonly from: Place
  private header: Header
  choices = 1
  private to: Place | null = null
  private peer: ReadyPeer | null = null
  private begun: Header
  private overlay = 0
  private entering: string | null = null
  private judged: Walk['judged'] = null
  private readonly links: { readonly mtu: number; readonly at: string }[] = []

  constructor(world: ReadyWorld, query: WalkQuery, nth: number) {
    this.world = world
    this.query = query
    this.nth = nth
    this.from = sourceOf(world, query.from)
    this.header = {
      source: this.from.address,
      destination: this.firstDestination(),
      port: query.port,
    }
    this.begun = this.header
  }

  private firstDestination(): Address | string {
    const { to } = this.query
    if ('name' in to) return to.name
    if ('address' in to) {
      const address = parseAddress(to.address)
      if (!address.ok) throw new Refused('to.address', address.says)
      return address.value
    }
    const cluster = clusterNamed(this.world, to.cluster, 'to.cluster')
    if ('pod' in to) return addressOfPod(cluster, podNamed(cluster, to.pod, 'to.pod'), 'to.pod')
    const service = cluster.services.get(
      to.service.includes('/') ? to.service : `default/${to.service}`,
    )
    if (!service)
      throw new Refused(
        'to.service',
        `${cluster.name} has no service ${shown(to.service)}. Write it as namespace/name.`,
      )
    const [namespace, name] = service.key.split('/')
    return service.kind === 'cluster' && service.addresses[0]
      ? service.addresses[0]
      : `${name ?? ''}.${namespace ?? ''}.svc.${cluster.dnsDomain}`
  }

  /** The hop lets the packet on, changed or not. */
  private pass(hop: HopName, by: Decider, tell: () => Said, change: Partial<Header> = {}): void {
    const before = this.header
    this.header = Object.keys(change).length === 0 ? before : { ...before, ...change }
    this.hops.push({ hop, before, after: this.header, by, tell })
  }

  private drop(hop: HopName, by: Decider, tell: () => Said): Walk {
    this.hops.push({ hop, before: this.header, after: null, by, tell })
    return this.end(false)
  }

  private end(delivered: boolean): Walk {
    const [first, ...rest] = this.links
    const smallest = rest.reduce(
      (least, link) => (link.mtu < least.mtu ? link : least),
      first ?? { mtu: 0, at: '' },
    )
    return {
      delivered,
      hops: this.hops,
      from: this.from,
      to: this.to,
      peer: this.peer,
      judged: this.judged,
      entering: this.entering,
      choices: this.choices,
      mtu: first ? { smallest: smallest.mtu, at: smallest.at, overhead: this.overlay } : null,
    }
  }

  private link(site: ReadySite | null, network: string | null): void {
    const mtu = site?.networks.find((one) => one.name === network)?.mtu ?? site?.given.mtu ?? null
    if (mtu !== null && site) this.links.push({ mtu, at: network ?? site.name })
  }

  run(): Walk {
    const { world, from } = this
    const { protocol } = this.query
    this.link(from.site, from.network)

    // 1 name
    let named: Endpoint | null = null
    if (typeof this.header.destination === 'string') {
      const name = this.header.destination
      const answer = resolveName(world, name, from)
      if (!answer)
        return this.drop('name', ofDefault, () =>
          from.site
            ? said('nobody-answers', {
                name,
                cluster: from.pod ? (from.cluster?.name ?? '') : null,
                site: from.site.name,
              })
            : said('no-site-whose', { address: written(this.from.address), name }),
        )
      this.choices = answer.addresses.length
      const chosen = answer.addresses[this.nth % answer.addresses.length]
      if (!chosen) throw new Error('an answer has an address')
      named = chosen.endpoint
      this.pass(
        'name',
        answer.by,
        () =>
          said('name-answers', {
            name,
            address: written(chosen.address),
            addressesCount: answer.addresses.length,
          }),
        { destination: chosen.address },
      )
      this.begun = this.header
    }
    const asked = this.header.destination as Address

    // 3 service, chosen before it is reported: the source’s policies look at what it will become
    const own = from.cluster
    const service = own?.serviceAt.get(addressKey(asked)) ?? null
    let endpoint: Endpoint | null = null
    let target: number | null = null
    if (service && own) {
      const port = service.ports.find(
        (one) => one.port === this.header.port && one.protocol === protocol,
      )
      const here = service.internalLocal
        ? service.ready.filter((one) => one.node !== null && one.node === from.node?.name)
        : service.ready
      this.choices = Math.max(1, here.length)
      endpoint = here.length === 0 ? null : (here[this.nth % here.length] ?? null)
      target =
        port && endpoint ? endpoint.portOf(port.name, protocol, port.port, port.targetPort) : null
    }

    // 2 policy out
    if (from.pod && own) {
      const behind = endpoint && target !== null ? { endpoint, port: target } : null
      this.judged = {
        destination: behind?.endpoint.address ?? asked,
        port: behind?.port ?? this.header.port,
      }
      const pod = behind ? behind.endpoint.pod : (named?.pod ?? null)
      const other: PolicyEnd = pod ? { pod } : asEnd(own.policies, this.judged.destination)
      const dropped = this.policy(
        'policy-out',
        policyOut(own.policies, { pod: from.pod }, other, this.judged.port, protocol),
        from.pod,
      )
      if (dropped) return dropped
    }

    if (service) {
      if (!endpoint)
        return this.drop('service', service.key, () => {
          if (service.endpoints === 0) return said('no-endpoint', { service: service.key })
          if (service.internalLocal && service.ready.length > 0)
            return said('no-endpoint-on-node', {
              service: service.key,
              ready: service.ready.length,
              node: from.node?.name ?? 'it',
            })
          return said('no-endpoint-ready', { service: service.key, endpoints: service.endpoints })
        })
      if (target === null)
        return this.drop('service', service.key, () =>
          said('no-port', {
            service: service.key,
            port: this.header.port,
            protocol,
            ports: service.ports.map((one) => `${one.port}/${one.protocol}`).join(', ') || 'none',
          }),
        )
      const chosen = endpoint
      this.pass(
        'service',
        service.key,
        () =>
          said('sends-one-ready', {
            service: service.key,
            endpoint: chosen.pod?.key ?? written(chosen.address),
            choices: this.choices,
          }),
        { destination: endpoint.address, port: target },
      )
    } else {
      const other = this.otherCluster(asked)
      if (other)
        return this.drop('service', ofDefault, () =>
          other === own
            ? said('no-service-address', { cluster: other.name, address: written(asked) })
            : said('service-address-means', { address: written(asked), cluster: other.name }),
        )
    }

    // 4 masquerade
    const destination = this.header.destination as Address
    if (from.pod && own && !own.policies.byAddress.has(addressKey(destination))) {
      const kept =
        own.given.keepSource?.[own.keepSource.findIndex((range) => isIn(range, destination))]
      if (kept !== undefined)
        this.pass('masquerade', kept, () => said('keeps-pod-address', { cluster: own.name, kept }))
      else if (from.node) {
        const { node } = from
        this.pass(
          'masquerade',
          ofDefault,
          () => said('pod-address-hidden', { node: node.name, address: written(node.address) }),
          { source: node.address },
        )
      } else
        return this.drop('masquerade', ofDefault, () =>
          said('node-not-world', { pod: from.pod?.key ?? '' }),
        )
    }
    return this.across(destination)
  }

  /** A cluster whose service addresses hold this one, of the own cluster first; none if a network or pod range of the own routing domain holds it. */
  private otherCluster(address: Address): ReadyCluster | null {
    const { site, cluster } = this.from
    if (cluster && isIn(cluster.serviceRange, address)) return cluster
    if (site && within(this.world.domain.get(site.domain) ?? nobody, address)) return null
    for (const other of this.world.clusters.values())
      if (isIn(other.serviceRange, address)) return other
    return null
  }

  private policy(hop: 'policy-out' | 'policy-in', verdict: Verdict, pod: PodEnd): Walk | null {
    const by: Decider = verdict.by.length > 0 ? verdict.by : ofDefault
    const way = hop === 'policy-out' ? 'out of' : 'into'
    if (!verdict.allowed)
      return this.drop(hop, by, () => said('no-rule-lets', { by: verdict.by, pod: pod.key, way }))
    this.pass(hop, by, () => {
      if (!verdict.isolated) return said('no-policy-isolates', { pod: pod.key })
      if (verdict.by.length === 0) return said('itself-and-its-node')
      return said('policy-lets', { by: verdict.by, way, pod: pod.key })
    })
    return null
  }

  /** From the network that holds the packet to the destination’s site: hops 5 to 8. */
  private across(destination: Address): Walk {
    const { world, from } = this
    const { protocol } = this.query
    const source = from.site
    const fronting = world.frontAt.get(addressKey(destination)) ?? []
    const front =
      fronting.find((site) => site === source) ??
      fronting.find((site) => site.domain === source?.domain) ??
      fronting[0] ??
      null
    const peer = world.peerAt.get(addressKey(destination)) ?? null
    const goal =
      siteOfAddress(world, destination, source?.domain ?? null, source?.name ?? null) ??
      front ??
      (peer?.site ? (world.sites.get(peer.site) ?? null) : null)
    const leaves = source !== null && !inSite(world, source, destination)
    if (source && leaves) {
      const route = routeTo(source, from.network, destination)
      if (!route)
        return this.drop('route', ofDefault, () =>
          said('no-route', {
            network: from.network ?? written(from.address),
            address: written(destination),
          }),
        )
      this.pass('route', route.text, () =>
        said('sends-towards', { network: route.network, route: route.text, via: route.via }),
      )
      if (source.given.mtu) this.links.push({ mtu: source.given.mtu, at: source.name })
      const out = source.out.find(this.header.source, destination, protocol, this.header.port, [
        from.node?.address ?? from.address,
      ])
      if (out?.rule.action === 'deny')
        return this.drop('firewall-out', out.rule.name, () =>
          said('denies-way-out', { rule: out.rule.name, site: source.name }),
        )
      this.pass('firewall-out', out?.rule.name ?? ofDefault, () =>
        out
          ? said('lets-out', { rule: out.rule.name, site: source.name })
          : said('no-rule-speaks', { site: source.name }),
      )
      const translation = source.translations.find(
        this.header.source,
        destination,
        protocol,
        this.header.port,
        [this.header.source],
      )
      const becomes = translation?.rule.kind === 'translate' ? translation.rule.address : null
      this.pass(
        'translation',
        translation?.rule.name ?? ofDefault,
        () => {
          if (becomes)
            return said('source-becomes', {
              rule: translation?.rule.name ?? '',
              site: source.name,
              becomes: written(becomes),
            })
          if (translation)
            return said('source-kept', { rule: translation.rule.name, site: source.name })
          return said('no-translation', { site: source.name })
        },
        becomes ? { source: becomes } : {},
      )
    }
    if (goal && (leaves || source === null)) {
      this.entering = goal.name
      const at =
        front === goal
          ? goal.fronts.find((one) => addressKey(one.address) === addressKey(destination))
          : undefined
      const held = placeAt(world, destination, goal, from.cluster)
      const members = at
        ? (world.clusters.get(at.cluster)?.nodeList.map((node) => node.address) ?? [])
        : [held.node?.address ?? destination]
      if (goal !== source && goal.given.mtu) this.links.push({ mtu: goal.given.mtu, at: goal.name })
      const rule = goal.in.find(
        this.header.source,
        destination,
        protocol,
        this.header.port,
        members.length > 0 ? members : [destination],
      )
      const near = within(world.domain.get(goal.domain) ?? nobody, this.header.source)
      if (rule?.rule.action === 'deny')
        return this.drop('firewall-in', rule.rule.name, () =>
          said('denies-way-in', { rule: rule.rule.name, site: goal.name }),
        )
      if (!rule && !near)
        return this.drop('firewall-in', ofDefault, () =>
          said('outside-no-rule', {
            address: written(this.header.source),
            domain: goal.domain,
            site: goal.name,
          }),
        )
      this.pass('firewall-in', rule?.rule.name ?? ofDefault, () =>
        rule
          ? said('lets-in', { rule: rule.rule.name, site: goal.name })
          : said('comes-from-inside', { domain: goal.domain, site: goal.name }),
      )
    }
    return front && front === (goal ?? front)
      ? this.behindFront(front, destination)
      : this.arrive(placeAt(world, destination, goal, from.cluster), peer)
  }

  /** A virtual address: to a node’s port, then to the pod. */
  private behindFront(site: ReadySite, destination: Address): Walk {
    const { world } = this
    const { protocol } = this.query
    const front = site.fronts.find(
      (one) =>
        addressKey(one.address) === addressKey(destination) &&
        one.port === this.header.port &&
        one.protocol === protocol,
    )
    if (!front)
      return this.drop('front', ofDefault, () =>
        said('serves-no-port', { address: written(destination), port: this.header.port, protocol }),
      )
    const cluster = world.clusters.get(front.cluster)
    const service = cluster?.services.get(front.service)
    if (!cluster || !service)
      return this.drop('front', front.service, () =>
        said('no-service', { cluster: front.cluster, service: front.service }),
      )
    const port =
      service.ports.find((one) => one.nodePort === front.nodePort && one.protocol === protocol) ??
      service.ports.find((one) => one.port === front.port && one.protocol === protocol)
    const ready = service.ready
    this.choices = Math.max(1, ready.length)
    const endpoint = ready.length === 0 ? undefined : ready[this.nth % ready.length]
    let node: NodeEnd | null
    if (service.externalLocal) {
      if (endpoint?.node) node = cluster.nodes.get(endpoint.node) ?? null
      else node = null
    } else node = cluster.nodeList[0] ?? null
    const target =
      port && endpoint ? endpoint.portOf(port.name, protocol, port.port, port.targetPort) : null
    if (!endpoint || !node)
      return this.drop('front', service.key, () =>
        service.ready.length === 0
          ? said('no-ready-endpoint', { service: service.key, cluster: cluster.name })
          : said('no-node-takes', { cluster: cluster.name }),
      )
    if (target === null)
      return this.drop('front', service.key, () =>
        said('no-port-behind', { service: service.key, nodePort: front.nodePort }),
      )
    this.pass(
      'front',
      service.key,
      () =>
        said('front-hands-on', {
          address: written(destination),
          service: service.key,
          externalLocal: service.externalLocal,
          node: node.name,
        }),
      { destination: node.address, port: front.nodePort },
    )
    this.pass(
      'front',
      service.key,
      () =>
        service.externalLocal
          ? said('hands-own-source', { node: node.name, service: endpoint.pod?.key ?? 'endpoint' })
          : said('sends-under-own', {
              node: node.name,
              service: endpoint.pod?.key ?? written(endpoint.address),
            }),
      {
        destination: endpoint.address,
        port: target,
        ...(service.externalLocal ? {} : { source: node.address }),
      },
    )
    const place = endpoint.pod
      ? podPlace(world, cluster, endpoint.pod, endpoint.address)
      : placeAt(world, endpoint.address, site, cluster)
    return this.arrive(place, null)
  }

  /** At the destination: hops 10 to 12. */
  private arrive(place: Place, peer: ReadyPeer | null): Walk {
    const { protocol } = this.query
    this.to = place
    this.peer = peer
    this.link(place.site, place.network)
    if (
      place.pod &&
      place.cluster &&
      this.from.cluster === place.cluster &&
      this.from.node !== place.node &&
      this.header.source === this.from.address &&
      this.from.pod
    )
      this.overlay = overlayBytes[place.node?.address.family ?? 4]
    if (place.pod && place.cluster) {
      const dropped = this.policy(
        'policy-in',
        policyIn(
          place.cluster.policies,
          asEnd(place.cluster.policies, this.header.source),
          { pod: place.pod },
          this.header.port,
          protocol,
        ),
        place.pod,
      )
      if (dropped) return dropped
    }
    if (peer) {
      if (peer.protocol !== protocol || !peer.given.ports.includes(this.header.port))
        return this.drop('acceptance', peer.name, () =>
          said('does-not-listen', { peer: peer.name, port: this.header.port, protocol }),
        )
      if (!within(peer.accepts, this.header.source))
        return this.drop('acceptance', peer.name, () =>
          said('accepts-arrives', {
            peer: peer.name,
            accepts: peer.given.accepts?.join(', ') || 'nobody',
            address: written(this.header.source),
          }),
        )
      this.pass('acceptance', peer.name, () =>
        said('accepts-from', { peer: peer.name, address: written(this.header.source) }),
      )
    }
    return this.wayBack(place, peer)
  }

  private wayBack(place: Place, peer: ReadyPeer | null): Walk {
    const source = this.header.source
    const reply = {
      source: this.begun.destination as Address,
      destination: this.begun.source,
      port: this.begun.port,
    }
    if (peer) {
      if (!within(peer.routes, source))
        return this.drop('way-back', peer.name, () =>
          said('no-way-back', {
            peer: peer.name,
            address: written(source),
            routes: peer.given.routes?.join(', ') || 'nobody',
          }),
        )
      this.pass(
        'way-back',
        peer.name,
        () => said('answers', { peer: peer.name, address: written(source) }),
        reply,
      )
      return this.end(true)
    }
    const { site, network } = place
    const answers = site !== null && (place.pod !== null || place.node !== null || network !== null)
    if (!answers) return this.end(true)
    if (inSite(this.world, site, source))
      this.pass(
        'way-back',
        ofDefault,
        () => said('answer-stays-inside', { site: site.name }),
        reply,
      )
    else {
      const route = routeTo(site, network, source)
      if (!route)
        return this.drop('way-back', ofDefault, () =>
          said('no-route-back', {
            network: network ?? written(place.address),
            address: written(source),
          }),
        )
      this.pass(
        'way-back',
        route.text,
        () => said('answer-goes-route', { route: route.text }),
        reply,
      )
    }
    return this.end(true)
  }
}

/** Walks one packet. `nth` chooses among ready endpoints, in their order; 0 is the first. */
export function walk(world: ReadyWorld, query: WalkQuery, nth = 0): WalkRead {
  try {
    return { ok: true, walk: new Walker(world, query, nth).run() }
  } catch (error) {
    if (error instanceof Refused) return { ok: false, path: error.path, says: error.message }
    throw error
  }
}

export interface HopAnswer extends Said {
  readonly hop: HopName
  readonly before: { readonly source: string; readonly destination: string; readonly port: number }
  readonly after: {
    readonly source: string
    readonly destination: string
    readonly port: number
  } | null
  readonly by: Decider
}

export interface WalkAnswer {
  readonly verdict: 'delivered' | 'dropped'
  readonly hops: readonly HopAnswer[]
  readonly decided: { readonly hop: HopName | null; readonly by: Decider }
  readonly mtu: Walk['mtu']
}

const headerText = ({ source, destination, port }: Header) => ({
  source: formatAddress(source),
  destination: written(destination),
  port,
})

/** A walk as it is told: headers as text, every hop with its sentence. */
export function walkAnswer(walked: Walk): WalkAnswer {
  const last = walked.hops.at(-1)
  return {
    verdict: walked.delivered ? 'delivered' : 'dropped',
    hops: walked.hops.map(({ hop, before, after, by, tell }) => ({
      hop,
      before: headerText(before),
      after: after === null ? null : headerText(after),
      by,
      ...tell(),
    })),
    decided: { hop: last?.hop ?? null, by: last?.by ?? ofDefault },
    mtu: walked.mtu,
  }
}
