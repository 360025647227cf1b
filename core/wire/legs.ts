/** The way of a packet past its own cluster: out of its site, into another, through a front. */
import { type Address } from '../addresses'
import { Arrival, routeTo } from './arrival'
import { type NodeEnd, type ReadySite, siteOfAddress } from './prepared'
import { addressKey, within } from './spans'
import { said } from './says'
import { ofDefault, type Walk, written } from './hops'
import { inSite, nobody, placeAt, podPlace } from './places'

export class Legs extends Arrival {
  /** From the network that holds the packet to the destination’s site: hops 5 to 8. */
  protected across(destination: Address): Walk {
    const { world, from } = this
    const source = from.site
    const peer = world.peerAt.get(addressKey(destination)) ?? null
    const front = this.frontingSite(destination)
    const goal =
      siteOfAddress(world, destination, source?.domain ?? null, source?.name ?? null) ??
      front ??
      (peer?.site ? (world.sites.get(peer.site) ?? null) : null)
    const leaves = source !== null && !inSite(world, source, destination)
    const stoppedOut = source && leaves ? this.leave(source, destination) : null
    if (stoppedOut) return stoppedOut
    const stoppedIn =
      goal && (leaves || source === null) ? this.enter(goal, destination, front === goal) : null
    if (stoppedIn) return stoppedIn
    return front && front === (goal ?? front)
      ? this.behindFront(front, destination)
      : this.arrive(placeAt(world, destination, goal, from.cluster), peer)
  }

  /** The site with a virtual address, of several that have it: its own, one of its routing domain, the first. */
  private frontingSite(destination: Address): ReadySite | null {
    const source = this.from.site
    const fronting = this.world.frontAt.get(addressKey(destination)) ?? []
    return (
      fronting.find((site) => site === source) ??
      fronting.find((site) => site.domain === source?.domain) ??
      fronting[0] ??
      null
    )
  }

  /** Route, firewall and translation on the way out of a site; the walk’s end where one of them ends it. */
  private leave(source: ReadySite, destination: Address): Walk | null {
    const { from } = this
    const { protocol } = this.query
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
    this.translate(source, destination)
    return null
  }

  /** The source as it leaves its site: hidden behind another address, or kept. */
  private translate(source: ReadySite, destination: Address): void {
    const translation = source.translations.find(
      this.header.source,
      destination,
      this.query.protocol,
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

  /** The firewall on the way into a site; the walk’s end where it lets nothing in. */
  private enter(goal: ReadySite, destination: Address, isFront: boolean): Walk | null {
    const { world, from } = this
    const { protocol } = this.query
    this.entering = goal.name
    const front = isFront
      ? goal.fronts.find(({ address }) => addressKey(address) === addressKey(destination))
      : undefined
    const held = placeAt(world, destination, goal, from.cluster)
    const members = front
      ? this.membersOf(front).map((node) => node.address)
      : [held.node?.address ?? destination]
    if (goal !== from.site && goal.given.mtu)
      this.links.push({ mtu: goal.given.mtu, at: goal.name })
    const rule = goal.in.find(
      this.header.source,
      destination,
      protocol,
      this.header.port,
      members.length > 0 ? members : [destination],
    )
    if (rule?.rule.action === 'deny')
      return this.drop('firewall-in', rule.rule.name, () =>
        said('denies-way-in', { rule: rule.rule.name, site: goal.name }),
      )
    const isNear = within(world.domain.get(goal.domain) ?? nobody, this.header.source)
    if (!rule && !isNear)
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
    return null
  }

  /** The nodes behind a virtual address, in the order of their names. */
  private membersOf(front: ReadySite['fronts'][number]): readonly NodeEnd[] {
    const all = this.world.clusters.get(front.cluster)?.nodeList ?? []
    const { members } = front
    return members === null ? all : all.filter((node) => members.has(node.name))
  }

  /** A virtual address: to a node’s port, then to the pod. */
  protected behindFront(site: ReadySite, destination: Address): Walk {
    const { world } = this
    const { protocol } = this.query
    const front = site.fronts.find(
      (front) =>
        addressKey(front.address) === addressKey(destination) &&
        front.port === this.header.port &&
        front.protocol === protocol,
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
      service.ports.find(
        (port) => port.nodePort === front.nodePort && port.protocol === protocol,
      ) ?? service.ports.find((port) => port.port === front.port && port.protocol === protocol)
    const ready = service.ready
    this.choices = Math.max(1, ready.length)
    const endpoint = ready.length === 0 ? undefined : ready[this.nth % ready.length]
    let node: NodeEnd | null
    if (service.externalLocal) {
      node = this.membersOf(front).find((member) => member.name === endpoint?.node) ?? null
    } else node = this.membersOf(front)[0] ?? null
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
}
