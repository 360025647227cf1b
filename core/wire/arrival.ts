/** The end of a packet’s way: through a node’s port, to a pod past its policies, to a peer that accepts it, and back. */
import { type Address } from '../addresses'
import { asEnd, type PodEnd, policyIn, type Verdict } from './policy'
import { type NodeEnd, type ReadyPeer, type ReadySite, type Service } from './prepared'
import { isIn, within } from './spans'
import { said } from './says'
import type { Decider } from './hops'
import { ofDefault, type Place, type Walk, written } from './hops'
import { inSite, placeAt, podPlace } from './places'
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

export class Arrival extends Trail {
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
