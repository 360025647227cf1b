/** Makes a world ready to walk: every range, rule and service read once. */

import { compareText } from '../units'
import type { Range } from '../addresses'
import { type Address, formatAddress, parseAddress, parseRange } from '../addresses'
import type {
  Endpoint,
  NodeEnd,
  ReadyCluster,
  ReadyPeer,
  ReadySite,
  Service,
  WorldRead,
} from './prepared'
import { type EndpointSliceObject, isOfKind } from '../objects'
import { readObjects, type ServiceObject } from '../objects'
import type { BadText } from './spans'
import { addressKey, readRanges, readAddress, readSpans, spansOf, type Spans } from './spans'
import type { PodEnd, PolicyWorld } from './policy'
import { readPolicyWorld } from './policy-reading'
import type { FirewallRule, WalkCluster, WalkPeer, WalkSite, WalkWorld } from './world'
import { FirstMatch } from './first-match'
import { kept, preparedParts } from './prepared-parts'

export const nowhere: Range = { family: 4, first: 1n, last: 0n }
export function readRange(text: string, path: string, bad: BadText[]): Range {
  const parsed = parseRange(text)
  if (parsed.ok) return parsed.value
  bad.push({ path, says: parsed.says })
  return nowhere
}

/** `80` or `8000-8100` to its first and last port. */
export function readPorts(
  texts: readonly string[] | null | undefined,
  path: string,
  bad: BadText[],
): readonly (readonly [number, number])[] | null {
  if (texts === null || texts === undefined) return null
  if (texts.length === 0)
    bad.push({
      path,
      says: 'An empty list would match nothing. Leave it out for all ports, or name at least one.',
    })
  return texts.flatMap((text, i): readonly (readonly [number, number])[] => {
    const parts = /^\s*(\d{1,5})\s*(?:-\s*(\d{1,5})\s*)?$/.exec(text)
    const first = Number(parts?.[1])
    const last = parts?.[2] === undefined ? first : Number(parts[2])
    if (!parts || first > 65_535 || last > 65_535)
      bad.push({
        path: `${path}[${i}]`,
        says: `“${text.slice(0, 40)}” is no port. Write one from 0 to 65535, or a range like 8000-8100.`,
      })
    else if (last < first)
      bad.push({
        path: `${path}[${i}]`,
        says: `The range ${first}-${last} runs backwards. Write ${last}-${first}.`,
      })
    else return [[first, last]]
    return []
  })
}

export function readService(service: ServiceObject): Omit<Service, 'ready' | 'endpoints'> {
  const spec = service.spec ?? {}
  const texts = [...new Set([spec.clusterIP, ...(spec.clusterIPs ?? [])])].filter(
    (name): name is string => typeof name === 'string' && name !== '' && name !== 'None',
  )
  const addresses = texts.flatMap((text) => {
    const parsed = parseAddress(text)
    return parsed.ok ? [parsed.value] : []
  })
  let kind: 'cluster' | 'external-name' | 'headless'
  if (spec.type === 'ExternalName') kind = 'external-name'
  else if (addresses.length === 0) kind = 'headless'
  else kind = 'cluster'
  return {
    key: `${service.metadata.namespace ?? 'default'}/${service.metadata.name}`,
    kind,
    addresses,
    externalName: spec.externalName ?? '',
    externalLocal: spec.externalTrafficPolicy === 'Local',
    internalLocal: spec.internalTrafficPolicy === 'Local',
    ports: (spec.ports ?? []).map((port) => ({
      name: port.name ?? '',
      port: port.port,
      protocol: (port.protocol ?? 'TCP').toUpperCase(),
      targetPort: port.targetPort,
      nodePort: port.nodePort ?? null,
    })),
  }
}

export function endpointsOf(
  slice: EndpointSliceObject,
  policies: PolicyWorld,
): readonly { readonly ready: boolean; readonly endpoint: Endpoint; readonly order: string }[] {
  const namespace = slice.metadata.namespace ?? 'default'
  const ports = slice.ports ?? []
  return (slice.endpoints ?? []).flatMap((endpoint) => {
    const parsed = parseAddress(endpoint.addresses?.[0] ?? '')
    if (!parsed.ok) return []
    const target = endpoint.targetRef
    const named =
      target?.kind === 'Pod' && target.name
        ? policies.pods.get(`${target.namespace ?? namespace}/${target.name}`)
        : undefined
    const pod =
      named ?? (target ? undefined : policies.byAddress.get(addressKey(parsed.value))) ?? null
    const portOf: Endpoint['portOf'] = (portName, protocol, servicePort, targetPort) => {
      const listed = ports.find(
        (port) =>
          (port.name ?? '') === portName && (port.protocol ?? 'TCP').toUpperCase() === protocol,
      )
      if (listed) return listed.port ?? servicePort
      if (ports.length > 0) return null
      if (typeof targetPort === 'number') return targetPort
      return typeof targetPort === 'string'
        ? (pod?.ports.get(`${targetPort}/${protocol}`) ?? null)
        : servicePort
    }
    return [
      {
        ready: endpoint.conditions?.ready !== false,
        order: pod?.key ?? `\uffff${formatAddress(parsed.value)}`,
        endpoint: {
          pod,
          address: parsed.value,
          node: endpoint.nodeName ?? pod?.node ?? null,
          portOf,
        },
      },
    ]
  })
}

export function prepareCluster(
  given: WalkCluster,
  index: number,
  bad: BadText[],
): ReadyCluster | null {
  const path = `world.clusters[${index}]`
  const read = readObjects(given.objects, `${path}.objects`)
  if (read.wrong) {
    bad.push(read.wrong)
    return null
  }
  const policies = readPolicyWorld(read.located, `${path}.objects`, bad)
  const nodes = given.nodes.flatMap((node, i) => {
    const address = readAddress(node.address, `${path}.nodes[${i}].address`, bad)
    const listens = node.listens
      ? new Set(node.listens.map((open) => `${open.port}/${open.protocol.toUpperCase()}`))
      : null
    return address ? [{ name: node.name, address, network: node.network, listens }] : []
  })
  const behind = new Map<string, { ready: boolean; endpoint: Endpoint; order: string }[]>()
  for (const { object } of read.located) {
    if (!isOfKind(object, 'EndpointSlice')) continue
    const service = object.metadata.labels?.['kubernetes.io/service-name']
    if (service === undefined) continue
    const key = `${object.metadata.namespace ?? 'default'}/${service}`
    behind.set(key, [...(behind.get(key) ?? []), ...endpointsOf(object, policies)])
  }
  const services = new Map<string, Service>()
  for (const { object } of read.located) {
    if (!isOfKind(object, 'Service')) continue
    const service = readService(object)
    const all = behind.get(service.key) ?? []
    services.set(service.key, {
      ...service,
      endpoints: all.length,
      ready: all
        .filter((entry) => entry.ready)
        .sort((a, b) => compareText(a.order, b.order))
        .map((entry) => entry.endpoint),
    })
  }
  return {
    given,
    index,
    name: given.name,
    site: given.site,
    podRange: readRange(given.podRange, `${path}.podRange`, bad),
    serviceRange: readRange(given.serviceRange, `${path}.serviceRange`, bad),
    dnsDomain: given.dnsDomain.toLowerCase().replace(/\.$/, ''),
    keepSource: readRanges(given.keepSource ?? [], `${path}.keepSource`, bad),
    nodes: new Map(nodes.map((node) => [node.name, node])),
    nodeList: [...nodes].sort((a, b) => compareText(a.name, b.name)),
    policies,
    services,
    serviceAt: new Map(
      [...services.values()].flatMap((service) =>
        service.addresses.map((address) => [addressKey(address), service] as const),
      ),
    ),
  }
}

/** A rule of a firewall as the first-match index wants it. `path` names it in errors. */
export function readFirewallRule(rule: FirewallRule, index: number, path: string, bad: BadText[]) {
  return {
    rule,
    index,
    priority: rule.priority,
    from: readSpans(rule.from, `${path}.from`, bad),
    to: readSpans(rule.to, `${path}.to`, bad),
    members: readSpans(rule.members, `${path}.members`, bad),
    protocol: rule.protocol.toUpperCase(),
    ports: readPorts(rule.ports, `${path}.ports`, bad),
  }
}

export const recordName = (text: string): string => text.toLowerCase().replace(/\.$/, '')
export function prepareSite(given: WalkSite, index: number, bad: BadText[]): ReadySite {
  const path = `world.sites[${index}]`
  const rules = given.firewall
    .map((rule, i) => readFirewallRule(rule, i, `${path}.firewall[${i}]`, bad))
    .filter(({ rule }) => rule.enabled !== false)
  const translations = given.translations.map((rule, i) => {
    const at = `${path}.translations[${i}]`
    let address: Address | null
    if (rule.kind === 'translate') {
      if (rule.becomes === null || rule.becomes === undefined) address = null
      else address = readAddress(rule.becomes, `${at}.becomes`, bad)
    } else address = null
    if (rule.kind === 'translate' && (rule.becomes === null || rule.becomes === undefined))
      bad.push({
        path: `${at}.becomes`,
        says: 'A translation needs the address that the source becomes. Give one, or make its kind keep.',
      })
    return {
      rule: { ...rule, address },
      index: i,
      priority: rule.priority,
      from: readSpans(rule.from, `${at}.from`, bad),
      to: readSpans(rule.to, `${at}.to`, bad),
      members: readSpans(null, '', bad),
      protocol: rule.protocol.toUpperCase(),
      ports: null,
    }
  })
  const records = new Map<string, { name: string; address: Address }>()
  for (const [i, record] of given.records.entries()) {
    const address = readAddress(record.address, `${path}.records[${i}].address`, bad)
    if (address && !records.has(recordName(record.name)))
      records.set(recordName(record.name), { name: record.name, address })
  }
  return {
    given,
    index,
    name: given.name,
    domain: given.domain,
    networks: given.networks.map((network, i) => ({
      name: network.name,
      range: readRange(network.range, `${path}.networks[${i}].range`, bad),
      mtu: network.mtu ?? null,
    })),
    routes: given.routes.map((route, i) => {
      const to = readRange(route.to, `${path}.routes[${i}].to`, bad)
      return {
        network: route.network,
        to,
        text: route.to,
        size: to.last - to.first,
        via: route.via ?? '',
      }
    }),
    out: new FirstMatch(rules.filter(({ rule }) => rule.direction === 'out')),
    in: new FirstMatch(rules.filter(({ rule }) => rule.direction === 'in')),
    translations: new FirstMatch(translations),
    fronts: given.fronts.flatMap((front, i) => {
      const address = readAddress(front.address, `${path}.fronts[${i}].address`, bad)
      return address
        ? [
            {
              address,
              port: front.port,
              protocol: front.protocol.toUpperCase(),
              cluster: front.cluster,
              service: front.service,
              nodePort: front.nodePort,
              members: front.members ? new Set(front.members) : null,
            },
          ]
        : []
    }),
    records,
  }
}

export function preparePeer(given: WalkPeer, index: number, bad: BadText[]): ReadyPeer | null {
  const path = `world.peers[${index}]`
  const address = readAddress(given.address, `${path}.address`, bad)
  const spans = (texts: readonly string[] | null | undefined, field: string): Spans =>
    texts === null || texts === undefined
      ? readSpans(null, '', bad)
      : spansOf(readRanges(texts, `${path}.${field}`, bad))
  return address
    ? {
        given,
        name: given.name,
        address,
        protocol: given.protocol.toUpperCase(),
        site: given.site ?? null,
        accepts: spans(given.accepts, 'accepts'),
        routes: spans(given.routes, 'routes'),
      }
    : null
}

export function duplicate(names: readonly string[]): number {
  const seen = new Set<string>()
  return names.findIndex((name) => seen.size === seen.add(name).size)
}

/** A cluster as walks take it, with the place in its world that what is wrong with it is told by; read once. */
export const readCluster = (cluster: WalkCluster, i: number, bad: BadText[]): ReadyCluster | null =>
  kept(preparedParts.clusters, cluster, i, bad, () => prepareCluster(cluster, i, bad))

/** Reads a world; the first thing wrong with it is named by its path. */
export function prepareWorld(given: WalkWorld): WorldRead {
  const bad: BadText[] = []
  for (const part of ['clusters', 'sites', 'peers'] as const) {
    const twice = duplicate(given[part].map((entry) => entry.name))
    if (twice >= 0)
      bad.push({
        path: `world.${part}[${twice}].name`,
        says: `“${given[part][twice]?.name ?? ''}” is there twice. Give each a name of its own.`,
      })
  }
  const clusters = given.clusters.flatMap((cluster, i) => readCluster(cluster, i, bad) ?? [])
  const sites = given.sites.flatMap(
    (site, i) => kept(preparedParts.sites, site, i, bad, () => prepareSite(site, i, bad)) ?? [],
  )
  const peers = given.peers.flatMap((peer, i) => preparePeer(peer, i, bad) ?? [])
  const siteNames = new Set(sites.map((site) => site.name))
  for (const [i, cluster] of given.clusters.entries())
    if (!siteNames.has(cluster.site))
      bad.push({
        path: `world.clusters[${i}].site`,
        says: `There is no site ${cluster.site} in this world.`,
      })
  const [first] = bad
  if (first) return { ok: false, ...first }
  const bySite = (name: string): readonly Range[] => [
    ...(sites.find((site) => site.name === name)?.networks.map((network) => network.range) ?? []),
    ...clusters.filter((cluster) => cluster.site === name).map((cluster) => cluster.podRange),
  ]
  const nodeAt = new Map<string, { cluster: ReadyCluster; node: NodeEnd }[]>()
  const podAt = new Map<string, { cluster: ReadyCluster; pod: PodEnd }[]>()
  const push = <V>(map: Map<string, V[]>, key: string, value: V): void => {
    const list = map.get(key)
    if (list) list.push(value)
    else map.set(key, [value])
  }
  for (const cluster of clusters) {
    for (const node of cluster.nodeList) push(nodeAt, addressKey(node.address), { cluster, node })
    for (const [key, pod] of cluster.policies.byAddress) push(podAt, key, { cluster, pod })
  }
  const frontAt = new Map<string, ReadySite[]>()
  for (const site of sites)
    for (const key of new Set(site.fronts.map((front) => addressKey(front.address))))
      push(frontAt, key, site)
  const domains = [...new Set(sites.map((site) => site.domain))]
  return {
    ok: true,
    world: {
      given,
      clusters: new Map(clusters.map((cluster) => [cluster.name, cluster])),
      sites: new Map(sites.map((site) => [site.name, site])),
      peers,
      peerAt: new Map([...peers].reverse().map((peer) => [addressKey(peer.address), peer])),
      nodeAt,
      podAt,
      inside: new Map(sites.map((site) => [site.name, spansOf(bySite(site.name))])),
      domain: new Map(
        domains.map((domain) => [
          domain,
          spansOf(
            sites.filter((site) => site.domain === domain).flatMap((site) => bySite(site.name)),
          ),
        ]),
      ),
      frontAt,
    },
  }
}
