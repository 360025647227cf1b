/** The load balancer: gives services of its kind an address of the pool their site offers, and stands before their nodes. */
import { formatAddress, parseAddress, parseRange } from '../../core/addresses'
import type { Sim } from '../engine/sim'
import { list, record as fields, text } from '../cluster/manifests'
import { record } from '../cluster/pod-events'
import type { Balancer, Cluster, Manifest, Network, Site } from '../world'
import { said } from './says'

const nameOf = (cluster: Cluster, service: Manifest): string =>
  `${cluster.name}-${service.metadata.namespace ?? 'default'}-${service.metadata.name}`

/** The network whose addresses a site gives to services: its frontage. */
export const poolNetwork = (site: Site): Network | undefined =>
  site.networks.find((network) => network.role === 'frontage')

function freeAddress(
  site: Site,
  cluster: Cluster,
  request: string,
): string | { readonly says: string } {
  const network = poolNetwork(site)
  const range = network ? parseRange(network.pool ?? network.range) : null
  if (!network || !range?.ok) return { ...said('offers-no-virtual', { site: site.name }) }
  const own = new Set(
    site.addresses
      .filter(
        (held) =>
          held.how === 'virtual' &&
          held.cluster === cluster.name &&
          !site.balancers.some((balancer) => balancer.address === held.address),
      )
      .map((held) => held.address),
  )
  const taken = new Set([
    ...site.addresses.filter((held) => !own.has(held.address)).map((held) => held.address),
    ...site.balancers.map((balancer) => balancer.address),
    network.gateway ?? '',
  ])
  const wanted = request === '' ? null : parseAddress(request)
  if (wanted) {
    if (
      !wanted.ok ||
      wanted.value.family !== range.value.family ||
      wanted.value.value < range.value.first ||
      wanted.value.value > range.value.last
    )
      return { ...said('not-pool', { asked: request, pool: network.pool ?? network.range }) }
    return taken.has(formatAddress(wanted.value))
      ? { ...said('taken', { asked: request }) }
      : formatAddress(wanted.value)
  }
  // The network’s own first and last address are nobody’s where the whole network is the pool.
  const [first, last] =
    network.pool === undefined
      ? [range.value.first + 1n, range.value.last - 1n]
      : [range.value.first, range.value.last]
  for (let value = first; value <= last; value++) {
    const address = formatAddress({ family: range.value.family, value })
    if (!taken.has(address)) return address
  }
  return { ...said('pool-full', { pool: network.pool ?? network.range }) }
}

/** Brings the balancers of a cluster in line with its services: new ones get an address or wait, those of gone services go. */
export function settleFronts(sim: Sim, cluster: Cluster): void {
  const site = sim.site(cluster.site)
  if (!site) return
  const wanted = (cluster.objects ?? []).filter(
    (object) => object.kind === 'Service' && fields(object['spec'])['type'] === 'LoadBalancer',
  )
  const names = new Set(wanted.map((service) => nameOf(cluster, service)))
  const gone = site.balancers.filter(
    (balancer) =>
      balancer.cluster === cluster.name && balancer.made === true && !names.has(balancer.name),
  )
  if (gone.length > 0) {
    site.balancers = site.balancers.filter((balancer) => !gone.includes(balancer))
    sim.touchSite(site.name)
  }
  const waiting: Record<string, string> = {}
  for (const service of wanted) {
    const name = nameOf(cluster, service)
    const key = `${service.metadata.namespace ?? 'default'}/${service.metadata.name}`
    const ports = list(fields(service['spec'])['ports'])
      .map((port) => Number(fields(port)['port']))
      .filter((port) => port > 0)
    const [port = 443, ...more] = ports
    const balancer = site.balancers.find((candidate) => candidate.name === name)
    if (balancer) {
      const next: Balancer = { ...balancer, port, ...(more.length > 0 ? { ports: more } : {}) }
      if (JSON.stringify([balancer.port, balancer.ports ?? []]) !== JSON.stringify([port, more]))
        site.balancers = site.balancers.map((eachBalancer) =>
          eachBalancer === balancer ? next : eachBalancer,
        )
      continue
    }
    // A raise may have put a balancer before the same service already.
    if (
      site.balancers.some(
        (candidate) => candidate.cluster === cluster.name && candidate.service === key,
      )
    )
      continue
    const full = site.quotaBalancers !== null && site.balancers.length >= site.quotaBalancers
    const address = full
      ? {
          ...said('allows-load-balancers', {
            site: site.name,
            quotaBalancers: site.quotaBalancers ?? 0,
          }),
        }
      : freeAddress(site, cluster, text(fields(service['spec'])['loadBalancerIP']))
    if (typeof address !== 'string') {
      const { says: message } = address
      waiting[key] = message
      // An event with the message of the one before it is not repeated.
      if (cluster.frontsWaiting?.[key] !== message)
        record(sim, cluster, 'Warning', 'NoAddress', `service/${key}`, message)
      continue
    }
    site.balancers = [
      ...site.balancers,
      {
        name,
        address,
        port,
        cluster: cluster.name,
        service: key,
        made: true,
        ...(more.length > 0 ? { ports: more } : {}),
      },
    ]
    record(sim, cluster, 'Normal', 'AddressGiven', `service/${key}`, `answers at ${address}`)
    sim.touchSite(site.name)
  }
  if (JSON.stringify(waiting) !== JSON.stringify(cluster.frontsWaiting ?? {})) {
    cluster.frontsWaiting = waiting
    sim.touchCluster(cluster.name)
  }
}
