/** Whose an address is: a site’s, somebody’s outside who listens, or a front’s. */
import type { Cluster, Peer, Site, World } from '../world'
import { same } from './packet'
import { covers } from './ranges'

/** Whether an address is one of a site’s: in a network, or a pod range of a cluster there. Asked for every packet. */
export function isOf(world: World, site: Site, address: string): boolean {
  for (const network of site.networks) if (covers(network.range, address)) return true
  for (const name in world.clusters) {
    const cluster = world.clusters[name]
    if (cluster?.site === site.name && covers(cluster.pods, address)) return true
  }
  return false
}

export function siteHolding(
  world: World,
  address: string,
  near: Site | undefined,
): Site | undefined {
  if (near && isOf(world, near, address)) return near
  let elsewhere: Site | undefined
  for (const name in world.sites) {
    const site = world.sites[name]
    if (!site || (elsewhere && site.domain !== near?.domain) || !isOf(world, site, address))
      continue
    if (!near || site.domain === near.domain) return site
    elsewhere ??= site
  }
  return elsewhere
}

/** A managed control plane as it is seen from outside: it takes its own site alone. */
const planePeer = (site: Site, { cluster, address }: Site['controlPlanes'][number]): Peer => ({
  name: `${cluster}-api`,
  address,
  ports: [443],
  protocol: 'tcp',
  ...(site.egress === undefined ? {} : { accepts: [`${site.egress}/32`] }),
})

/** Everybody outside who listens: partners, and the managed control planes. */
export const peersOf = (world: World): readonly Peer[] => [
  ...(world.peers ?? []),
  ...Object.values(world.sites).flatMap((site) =>
    site.controlPlanes.map((plane) => planePeer(site, plane)),
  ),
]

/** Who outside listens at an address. */
export function peerAt(world: World, address: string): Peer | undefined {
  for (const peer of world.peers ?? []) if (same(peer.address, address)) return peer
  for (const name in world.sites) {
    const site = world.sites[name]
    const plane = site?.controlPlanes.find((each) => same(each.address, address))
    if (site && plane) return planePeer(site, plane)
  }
  return undefined
}

export interface Front {
  readonly site: Site
  readonly cluster: Cluster | undefined
  readonly ports: readonly number[]
  /** `namespace/name` */
  readonly service: string
}

/** What stands at a virtual address, where one does. */
export function frontOf(world: World, address: string): Front | undefined {
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
