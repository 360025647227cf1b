/**
 * The packet walk: hop by hop from one end to the other, with the header before and after, and what decided.
 * The order of the hops and what each looks at is the design’s; every hop is decided from the prepared world alone.
 */
import { type Address } from '../addresses'
import { asEnd, type PolicyEnd, policyOut } from './policy'
import { type Endpoint, type ReadyCluster, type ReadyWorld } from './prepared'
import { addressKey, isIn, within } from './spans'
import { said } from './says'
import { ofDefault, type Walk, type WalkQuery, type WalkRead, written } from './hops'
import { nobody, Refused } from './places'
import { resolveName } from './names'

import { Legs } from './legs'

/** One walk under way. */
class Walker extends Legs {
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
    const address = this.header.destination as Address

    // 3 service, chosen before it is reported: the source’s policies look at what it will become
    const own = from.cluster
    const service = own?.serviceAt.get(addressKey(address)) ?? null
    let endpoint: Endpoint | null = null
    let target: number | null = null
    if (service && own) {
      const port = service.ports.find(
        (port) => port.port === this.header.port && port.protocol === protocol,
      )
      const here = service.internalLocal
        ? service.ready.filter(
            (candidate) => candidate.node !== null && candidate.node === from.node?.name,
          )
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
        destination: behind?.endpoint.address ?? address,
        port: behind?.port ?? this.header.port,
      }
      const pod = behind ? behind.endpoint.pod : (named?.pod ?? null)
      const end: PolicyEnd = pod ? { pod } : asEnd(own.policies, this.judged.destination)
      const dropped = this.policy(
        'policy-out',
        policyOut(own.policies, { pod: from.pod }, end, this.judged.port, protocol),
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
            ports:
              service.ports.map((port) => `${port.port}/${port.protocol}`).join(', ') || 'none',
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
      const readyCluster = this.otherCluster(address)
      if (readyCluster)
        return this.drop('service', ofDefault, () =>
          readyCluster === own
            ? said('no-service-address', { cluster: readyCluster.name, address: written(address) })
            : said('service-address-means', {
                address: written(address),
                cluster: readyCluster.name,
              }),
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
    for (const readyCluster of this.world.clusters.values())
      if (isIn(readyCluster.serviceRange, address)) return readyCluster
    return null
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
