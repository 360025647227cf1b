/** The way of a packet past its own cluster: out of its site, into another, through a front, and back. */
import { type Address } from '../addresses'
import { asEnd, type PodEnd, policyIn, type Verdict } from './policy'
import {
  type NodeEnd,
  type ReadyPeer,
  type ReadySite,
  type Service,
  siteOfAddress,
} from './prepared'
import { addressKey, isIn, within } from './spans'
import { said } from './says'
import type { Decider } from './hops'
import { ofDefault, type Place, type Walk, written } from './hops'
import { inSite, nobody, placeAt, podPlace } from './places'

import { Trail } from './trail'

/** Bytes that a VXLAN overlay adds to each packet. Source: RFC 7348, section 5. */
const overlayBytes = { 4: 50, 6: 70 } as const

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

export class Legs extends Trail {
  protected policy(hop: 'policy-out' | 'policy-in', verdict: Verdict, pod: PodEnd): Walk | null {
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
  protected across(destination: Address): Walk {
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
          ? goal.fronts.find(
              (candidate) => addressKey(candidate.address) === addressKey(destination),
            )
          : undefined
      const held = placeAt(world, destination, goal, from.cluster)
      const members = at
        ? this.membersOf(at).map((node) => node.address)
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

  /** The service of a cluster that has a port of its nodes. */
  private behindNodePort(place: Place): Service | null {
    if (!place.node || place.pod || !place.cluster) return null
    for (const service of place.cluster.services.values())
      if (
        service.ports.some(
          (port) => port.nodePort === this.header.port && port.protocol === this.query.protocol,
        )
      )
        return service
    return null
  }

  /** A port of a node that is a service’s: handed on to a pod, as behind a virtual address. */
  private throughNodePort(place: Place, node: NodeEnd, service: Service): Walk {
    const { protocol } = this.query
    const nodePort = this.header.port
    const port = service.ports.find(
      (candidate) => candidate.nodePort === nodePort && candidate.protocol === protocol,
    )
    const ready = service.externalLocal
      ? service.ready.filter((endpoint) => endpoint.node === node.name)
      : service.ready
    this.choices = Math.max(1, ready.length)
    const endpoint = ready.length === 0 ? undefined : ready[this.nth % ready.length]
    if (!endpoint)
      return this.drop('front', service.key, () =>
        said('no-endpoint-behind-node', {
          service: service.key,
          node: node.name,
          ready: service.ready.length,
        }),
      )
    const target = port ? endpoint.portOf(port.name, protocol, port.port, port.targetPort) : null
    if (target === null)
      return this.drop('front', service.key, () =>
        said('no-port-behind', { service: service.key, nodePort }),
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
    const { cluster } = place
    return this.arrive(
      endpoint.pod && cluster
        ? podPlace(this.world, cluster, endpoint.pod, endpoint.address)
        : placeAt(this.world, endpoint.address, place.site, cluster),
      null,
    )
  }

  /** At the destination: hops 9, where a node’s port is a service’s, to 12. */
  protected arrive(place: Place, peer: ReadyPeer | null): Walk {
    const { protocol } = this.query
    const service = peer ? null : this.behindNodePort(place)
    if (service && place.node) return this.throughNodePort(place, place.node, service)
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
    if (!peer && place.node?.listens && !place.pod) {
      const { name, listens } = place.node
      if (!listens.has(`${this.header.port}/${protocol}`))
        return this.drop('acceptance', name, () =>
          said('does-not-listen', { peer: name, port: this.header.port, protocol }),
        )
      this.pass('acceptance', name, () =>
        said('accepts-from', { peer: name, address: written(this.header.source) }),
      )
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

  protected wayBack(place: Place, peer: ReadyPeer | null): Walk {
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
