/**
 * The packet walk: hop by hop from one end to the other, with the header before and after, and what decided.
 * The order of the hops and what each looks at is the design’s; every hop is decided from the prepared world alone.
 */
import { type Address } from '../addresses'
import { asEnd, type PolicyEnd, policyOut } from './policy'
import { type Endpoint, type ReadyCluster, type ReadyWorld, type Service } from './prepared'
import { addressKey, isIn, within } from './spans'
import { said } from './says'
import { ofDefault, type Walk, type WalkQuery, type WalkRead, written } from './hops'
import { nobody, Refused } from './places'
import { resolveName } from './names'

import { Legs } from './legs'

/** What a service address becomes: the endpoint chosen, and its port; null where there is none. */
interface Chosen {
  readonly service: Service | null
  readonly endpoint: Endpoint | null
  readonly port: number | null
}

/** One walk under way. */
class Walker extends Legs {
  run(): Walk {
    this.link(this.from.site, this.from.network)
    const named = this.resolve()
    if (named.end) return named.end
    const { address } = named
    // 3 service, chosen before it is reported: the source’s policies look at what it will become
    const chosen = this.choose(address)
    const end =
      this.policyOut(address, chosen, named.endpoint) ??
      (chosen.service ? this.serve(chosen.service, chosen) : this.foreignService(address))
    if (end) return end
    const destination = chosen.endpoint?.address ?? address
    return this.masquerade(destination) ?? this.across(destination)
  }

  /** 1 name: the address it stands for, and the endpoint where it is a pod’s own. */
  private resolve():
    | { readonly end: Walk }
    | { readonly end: null; readonly address: Address; readonly endpoint: Endpoint | null } {
    const { destination } = this.header
    if (typeof destination !== 'string') return { end: null, address: destination, endpoint: null }
    const name = destination
    const { site, pod, cluster } = this.from
    const answer = resolveName(this.world, name, this.from)
    if (!answer)
      return {
        end: this.drop('name', ofDefault, () =>
          site
            ? said('nobody-answers', {
                name,
                cluster: pod ? (cluster?.name ?? '') : null,
                site: site.name,
              })
            : said('no-site-whose', { address: written(this.from.address), name }),
        ),
      }
    this.choices = answer.addresses.length
    const { address, endpoint } = this.nthOf(answer.addresses)
    this.pass(
      'name',
      answer.by,
      () =>
        said('name-answers', {
          name,
          address: written(address),
          addressesCount: answer.addresses.length,
        }),
      { destination: address },
    )
    this.begun = this.header
    return { end: null, address, endpoint }
  }

  /** The one of several that this walk takes. There is one at least. */
  private nthOf<T>(list: readonly T[]): T {
    const entry = list[this.nth % list.length]
    if (entry === undefined) throw new Error('an answer has an address')
    return entry
  }

  /** The ready endpoint that a service address is sent to; of a service that keeps calls on their node, one there. */
  private choose(address: Address): Chosen {
    const { cluster, node } = this.from
    const { protocol } = this.query
    const service = cluster?.serviceAt.get(addressKey(address)) ?? null
    if (!service) return { service: null, endpoint: null, port: null }
    const here = service.internalLocal
      ? service.ready.filter(
          (candidate) => candidate.node !== null && candidate.node === node?.name,
        )
      : service.ready
    this.choices = Math.max(1, here.length)
    if (here.length === 0) return { service, endpoint: null, port: null }
    const endpoint = this.nthOf(here)
    const port = service.ports.find(
      (candidate) => candidate.port === this.header.port && candidate.protocol === protocol,
    )
    return {
      service,
      endpoint,
      port: port ? endpoint.portOf(port.name, protocol, port.port, port.targetPort) : null,
    }
  }

  /** 2 policy out: what selects the source looks at the pod behind a service address. */
  private policyOut(
    address: Address,
    { endpoint, port }: Chosen,
    named: Endpoint | null,
  ): Walk | null {
    const { pod: source, cluster } = this.from
    if (!source || !cluster) return null
    const behind = endpoint && port !== null ? { endpoint, port } : null
    const judged = {
      destination: behind?.endpoint.address ?? address,
      port: behind?.port ?? this.header.port,
    }
    this.judged = judged
    const pod = behind ? behind.endpoint.pod : (named?.pod ?? null)
    const end: PolicyEnd = pod ? { pod } : asEnd(cluster.policies, judged.destination)
    return this.policy(
      'policy-out',
      policyOut(cluster.policies, { pod: source }, end, judged.port, this.query.protocol),
      source,
    )
  }

  /** 3 service: its address becomes an endpoint’s. */
  private serve(service: Service, { endpoint, port }: Chosen): Walk | null {
    if (!endpoint)
      return this.drop('service', service.key, () => {
        if (service.endpoints === 0) return said('no-endpoint', { service: service.key })
        if (service.internalLocal && service.ready.length > 0)
          return said('no-endpoint-on-node', {
            service: service.key,
            ready: service.ready.length,
            node: this.from.node?.name ?? 'it',
          })
        return said('no-endpoint-ready', { service: service.key, endpoints: service.endpoints })
      })
    if (port === null)
      return this.drop('service', service.key, () =>
        said('no-port', {
          service: service.key,
          port: this.header.port,
          protocol: this.query.protocol,
          ports: service.ports.map((open) => `${open.port}/${open.protocol}`).join(', ') || 'none',
        }),
      )
    this.pass(
      'service',
      service.key,
      () =>
        said('sends-one-ready', {
          service: service.key,
          endpoint: endpoint.pod?.key ?? written(endpoint.address),
          choices: this.choices,
        }),
      { destination: endpoint.address, port },
    )
    return null
  }

  /** A service address that no service has, or that means something in another cluster only. */
  private foreignService(address: Address): Walk | null {
    const cluster = this.clusterWithServiceAddress(address)
    if (!cluster) return null
    return this.drop('service', ofDefault, () =>
      cluster === this.from.cluster
        ? said('no-service-address', { cluster: cluster.name, address: written(address) })
        : said('service-address-means', { address: written(address), cluster: cluster.name }),
    )
  }

  /** 4 masquerade: outside its cluster a pod is seen under its node’s address, unless the range keeps its own. */
  private masquerade(destination: Address): Walk | null {
    const { pod, node, cluster } = this.from
    if (!pod || !cluster || cluster.policies.byAddress.has(addressKey(destination))) return null
    const index = cluster.keepSource.findIndex((range) => isIn(range, destination))
    const kept = cluster.given.keepSource?.[index]
    if (kept !== undefined) {
      this.pass('masquerade', kept, () =>
        said('keeps-pod-address', { cluster: cluster.name, kept }),
      )
      return null
    }
    if (!node)
      return this.drop('masquerade', ofDefault, () => said('node-not-world', { pod: pod.key }))
    this.pass(
      'masquerade',
      ofDefault,
      () => said('pod-address-hidden', { node: node.name, address: written(node.address) }),
      { source: node.address },
    )
    return null
  }

  /** A cluster whose service addresses hold this one, of the own cluster first; none if a network or pod range of the own routing domain holds it. */
  private clusterWithServiceAddress(address: Address): ReadyCluster | null {
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
