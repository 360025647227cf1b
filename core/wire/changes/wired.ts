/** Everything on the way from outside to a pod and back, as it is set up now: what it is, how full, and who made it. */
import { clusterRanges, parseCidr } from '../../addresses'
import { type Ref, ref } from '../../contract'
import {
  type ClusterView,
  type FirewallRuleView,
  type FleetView,
  type NetworkView,
  nodesOf,
  siteOf,
  type SiteView,
  listedObjects,
} from '../../fleet'
import { countText, listText } from '../../units'
import { frontMembers, networkHolding } from '..'
import { frontage, poolFill } from './pool'

export interface Wired {
  readonly what:
    | 'network'
    | 'virtual address'
    | 'load balancer'
    | 'address'
    | 'lease'
    | 'pod range'
    | 'service range'
    | 'route'
    | 'firewall rule'
    | 'translation'
    | 'kept source'
    | 'name record'
    | 'egress'
  readonly name: string
  readonly value: string
  /** What it is for, or serves. */
  readonly says: string
  readonly fill: { readonly used: number; readonly size: number } | null
  /** Of a network: the nodes of the cluster in it. */
  readonly nodes: number
  readonly maker: string
  /** The run that made it, where one did. */
  readonly change: string | null
}

/** A part of the way, and the references under which a run may be recorded as its maker. */
export interface WiredPart extends Omit<Wired, 'maker' | 'change' | 'nodes'> {
  readonly nodes?: number
  readonly about: readonly Ref[]
  /** Who made it where no run did. */
  readonly otherwise: string
}

/** What was recorded of the run that made something. */
export interface Maker {
  /** `c-12` */
  readonly change: string
  readonly label: string
  /** What asked for the run where no person did. */
  readonly title: string | null
}

/** The parts with their makers. */
export const withMakers = (
  parts: readonly WiredPart[],
  makers: ReadonlyMap<Ref, Maker>,
): readonly Wired[] =>
  parts.map(({ about, otherwise, ...part }) => {
    const maker = about.map((name) => makers.get(name)).find((maker) => maker !== undefined)
    if (!maker) return { nodes: 0, ...part, maker: otherwise, change: null }
    const request = maker.title === null ? '' : `, by ${maker.title}`
    return { nodes: 0, ...part, maker: `${maker.label}${request}`, change: maker.change }
  })

interface Around {
  readonly view: FleetView
  readonly cluster: ClusterView
  readonly site: SiteView
  readonly platform: string
  /** How many nodes of the cluster each network holds. */
  readonly nodesIn: ReadonlyMap<string, number>
}

/** The whole way of a cluster, from its networks to its names. Empty where its site is not known. */
export function wiredParts(view: FleetView, cluster: ClusterView): readonly WiredPart[] {
  const site = siteOf(view, cluster.site)
  if (!site) return []
  const nodesIn = new Map<string, number>()
  for (const node of nodesOf(cluster)) {
    const network = networkHolding(site, node.address)
    if (network !== null) nodesIn.set(network, (nodesIn.get(network) ?? 0) + 1)
  }
  const around: Around = { view, cluster, site, platform: `${site.name} itself`, nodesIn }
  return [
    ...networkParts(around),
    ...addressParts(around),
    ...balancerParts(around),
    ...rangeParts(around),
    ...routeParts(around),
    ...firewallParts(around),
    ...translationParts(around),
    ...sourceParts(around),
    ...recordParts(around),
  ]
}

const isBalanced = ({ site, cluster }: Around): boolean =>
  site.balancers.some((balancer) => balancer.cluster === cluster.name)

function networkFill(site: SiteView, network: NetworkView): WiredPart['fill'] {
  if (network === frontage(site)) {
    const fill = poolFill(site)
    if (fill) return { used: fill.used, size: fill.size }
  }
  const block = parseCidr(network.range)
  if (!block.ok) return null
  return {
    used: site.addresses.filter((address) => address.network === network.name).length,
    size: Number(block.value.last - block.value.first) - 1,
  }
}

const sentence = (...parts: readonly string[]): string =>
  parts.filter((part) => part !== '').join(', ')

const networkParts = ({ site, cluster, platform, nodesIn }: Around): readonly WiredPart[] =>
  site.networks.flatMap((network): readonly WiredPart[] => {
    const isFront = network === frontage(site)
    const nodes = nodesIn.get(network.name) ?? 0
    const held = site.addresses.filter(
      (address) => address.cluster === cluster.name && address.network === network.name,
    ).length
    if (nodes === 0 && held === 0 && !isFront) return []
    return [
      {
        what: 'network',
        name: network.name,
        value: network.range,
        says: sentence(
          isFront ? `virtual addresses ${network.pool ?? network.range}` : '',
          nodes > 0 ? countText(nodes, 'node') : '',
          held > 0 ? `${countText(held, 'address', 'addresses')} held` : '',
          network.mtu === undefined ? '' : `MTU ${network.mtu}`,
        ),
        fill: networkFill(site, network),
        nodes,
        about: [ref('network', site.name, network.name), ref('site', site.name)],
        otherwise: platform,
      },
    ]
  })

function addressParts({ site, cluster, platform }: Around): readonly WiredPart[] {
  const own = site.addresses.filter((address) => address.cluster === cluster.name)
  const leases = own.filter((address) => address.how === 'dhcp')
  const held = own
    .filter((address) => address.how !== 'dhcp')
    .map((address): WiredPart => ({
      what: address.how === 'virtual' ? 'virtual address' : 'address',
      name: address.for,
      value: address.address,
      says: address.network,
      fill: null,
      about: [ref('address', site.name, address.address)],
      otherwise: platform,
    }))
  if (leases.length === 0) return held
  const addresses = leases.map((lease) => lease.address)
  const networks = [...new Set(leases.map((lease) => lease.network))]
  return [
    ...held,
    {
      what: 'lease',
      name: countText(leases.length, 'node address', 'node addresses'),
      value: listText(addresses, 1),
      says: `given by DHCP of ${listText(networks, 2)}`,
      fill: null,
      about: [],
      otherwise: `DHCP of ${site.name}`,
    },
  ]
}

const balancerParts = ({ site, cluster, platform }: Around): readonly WiredPart[] =>
  site.balancers
    .filter((balancer) => balancer.cluster === cluster.name)
    .map((balancer): WiredPart => ({
      what: 'load balancer',
      name: balancer.name,
      value: `${balancer.address}:${[balancer.port, ...(balancer.ports ?? [])].join(',')}`,
      says: `${balancer.service}, pool of ${countText(frontMembers(cluster, site).length, 'node')}`,
      fill: null,
      about: balancer.made === true ? [] : [ref('balancer', site.name, balancer.name)],
      otherwise: balancer.made === true ? 'the load balancer, for a service' : platform,
    }))

function rangeParts({ view, cluster }: Around): readonly WiredPart[] {
  const [pods, services] = [parseCidr(cluster.pods), parseCidr(cluster.services)]
  if (!pods.ok || !services.ok) return []
  const ranges = clusterRanges(pods.value, cluster.maxPodsPerNode, services.value)
  if (!ranges.ok) return []
  const objects = listedObjects(view, cluster.name)
  const listed = objects.filter((object) => object.kind === 'Service').length
  const made = { about: [ref('cluster', cluster.name)], otherwise: 'entered with the cluster' }
  return [
    {
      what: 'pod range',
      name: `${cluster.name} pods`,
      value: cluster.pods,
      says: `a /${ranges.value.perNodePrefix} for each node`,
      fill: { used: nodesOf(cluster).length, size: Number(ranges.value.maxNodes) },
      ...made,
    },
    {
      what: 'service range',
      name: `${cluster.name} services`,
      value: cluster.services,
      says: `API ${ranges.value.apiAddress ?? 'nowhere'}, names ${ranges.value.dnsAddress ?? 'nowhere'}`,
      fill: { used: listed, size: Number(ranges.value.services) },
      ...made,
    },
  ]
}

function routeParts(around: Around): readonly WiredPart[] {
  const { site, platform, nodesIn } = around
  const front = frontage(site)
  const networks = new Set(nodesIn.keys())
  if (front && isBalanced(around)) networks.add(front.name)
  return site.routes
    .filter((route) => networks.has(route.network))
    .map((route): WiredPart => ({
      what: 'route',
      name: route.network,
      value: route.to,
      says: `by ${route.via}`,
      fill: null,
      about: [ref('route', site.name, route.network, route.to)],
      otherwise: platform,
    }))
}

const ruleText = (rule: FirewallRuleView): string =>
  sentence(
    rule.from ? `from ${listText(rule.from, 2)}` : '',
    rule.to ? `to ${listText(rule.to, 2)}` : '',
    rule.ports ? `ports ${listText(rule.ports, 4)}` : '',
    rule.enabled === false ? 'off' : '',
  ) || 'everything'

const firewallParts = ({ site, platform }: Around): readonly WiredPart[] =>
  (site.firewall ?? []).map((rule) => ({
    what: 'firewall rule',
    name: rule.name,
    value: `${rule.action} ${rule.direction}`,
    says: ruleText(rule),
    fill: null,
    about: [ref('firewall-rule', site.name, rule.name)],
    otherwise: platform,
  }))

function translationParts({ site, platform }: Around): readonly WiredPart[] {
  const rules = (site.translations ?? []).map((rule): WiredPart => ({
    what: 'translation',
    name: rule.name,
    value: rule.kind === 'keep' ? 'keep' : `becomes ${rule.becomes ?? ''}`,
    says: sentence(
      rule.from ? `from ${listText(rule.from, 2)}` : 'from anybody',
      rule.to ? `to ${listText(rule.to, 2)}` : 'to anywhere',
    ),
    fill: null,
    about: [ref('translation', site.name, rule.name)],
    otherwise: platform,
  }))
  if (site.egress === undefined) return rules
  return [
    ...rules,
    {
      what: 'egress',
      name: site.name,
      value: site.egress,
      says: 'what leaves by the uplink, translated',
      fill: null,
      about: [],
      otherwise: platform,
    },
  ]
}

const sourceParts = ({ cluster }: Around): readonly WiredPart[] =>
  (cluster.keepSource ?? []).map((range) => ({
    what: 'kept source',
    name: cluster.name,
    value: range,
    says: 'pods keep their own addresses towards it',
    fill: null,
    about: [ref('kept-source', cluster.name, range)],
    otherwise: 'entered with the cluster',
  }))

function recordParts({ site, cluster, platform }: Around): readonly WiredPart[] {
  const addresses = new Set(
    [...site.balancers, ...site.addresses]
      .filter((held) => held.cluster === cluster.name)
      .map((held) => held.address),
  )
  return site.records
    .filter((record) => addresses.has(record.value) || record.name === `api.${cluster.name}`)
    .map(({ name, type, value }): WiredPart => ({
      what: 'name record',
      name: `${name}.${site.nameDomain}`,
      value,
      says: type,
      fill: null,
      about: [ref('record', site.name, `${name} ${type} ${value}`)],
      otherwise: platform,
    }))
}
