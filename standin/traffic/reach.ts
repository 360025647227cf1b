/**
 * Whether what somebody needs is reached: an API, a registry, a name or a time server. Everything asks here, so that a
 * rule, a route or a translation stops them all as it stops any packet.
 */
import { parseAddress } from '../../core/addresses'
import type { Said } from '../../core/contract'
import type { Sim } from '../engine/sim'
import type { Cluster, Site, World } from '../world'
import { peersOf } from './holders'
import { type Fare, send } from './path'
import { said } from './says'

/** What stopped a packet, and which thing did. */
export interface Obstacle {
  readonly about: string
  readonly stopped: Said
}

const obstacleOf = (site: Site, fare: Fare): Obstacle => ({
  about:
    fare.at === 'firewall-out' || fare.at === 'firewall-in'
      ? `firewall/${site.name}/${fare.by || 'default'}`
      : `network/${site.name}/${fare.by || fare.at}`,
  stopped: said('stopped', { at: fare.at, by: fare.by, destination: fare.packet.destination }),
})

/** What decides ways between sites: while each part is the same object, a packet fares as it did. */
interface Ways {
  readonly peers: World['peers']
  readonly sites: World['sites']
  readonly each: readonly Decided[]
  readonly obstacles: Obstacles
}

/** What packets met: by where they were sent, from which address, to which address, and by port and protocol. */
type Obstacles = Map<Site, Map<string, Map<string, Map<number, Obstacle | null>>>>

/** The map under a key, made where there is none yet. */
function under<K, K2, V>(map: Map<K, Map<K2, V>>, key: K): Map<K2, V> {
  let inner = map.get(key)
  if (!inner) map.set(key, (inner = new Map<K2, V>()))
  return inner
}

/** A site, and what decided its ways when they were looked at. */
interface Decided {
  readonly site: Site
  readonly firewall: Site['firewall']
  readonly routes: Site['routes']
  readonly translations: Site['translations']
  readonly networks: Site['networks']
  readonly controlPlanes: Site['controlPlanes']
  readonly egress: Site['egress']
}

const ways = new WeakMap<World, Ways>()

const decided = (site: Site): Decided => {
  const { firewall, routes, translations, networks, controlPlanes, egress } = site
  return { site, firewall, routes, translations, networks, controlPlanes, egress }
}

const isSiteAsItWas = (kept: Decided): boolean => {
  const { site } = kept
  return (
    kept.firewall === site.firewall &&
    kept.routes === site.routes &&
    kept.translations === site.translations &&
    kept.networks === site.networks &&
    kept.controlPlanes === site.controlPlanes &&
    kept.egress === site.egress
  )
}

/** Whether everything that decides ways is what it was: asked for every packet, so nothing is made for it. */
const isAsItWas = ({ peers, sites, each }: Ways, world: World): boolean =>
  peers === world.peers && sites === world.sites && each.every(isSiteAsItWas)

/** Answers of packets from addresses to addresses outside clusters, kept while nothing about the ways has changed. */
function keptObstacles(world: World): Obstacles {
  const kept = ways.get(world)
  if (kept && isAsItWas(kept, world)) return kept.obstacles
  const { peers, sites } = world
  const each = Object.values(sites).map(decided)
  const fresh: Ways = { peers, sites, each, obstacles: new Map() }
  ways.set(world, fresh)
  return fresh.obstacles
}

/** A site without an uplink: what it needs was carried into it. One whose routes were taken away is none. */
const isIsland = ({ connected, routes, egress }: Site): boolean =>
  !connected || (routes.length === 0 && egress === undefined)

/** What keeps a packet of a node or a machine at `site` from an address, or null where it arrives. */
export function obstacleTo(
  sim: Sim,
  site: Site,
  from: string,
  address: string,
  port: number,
  protocol: 'TCP' | 'UDP' = 'TCP',
): Obstacle | null {
  if (isIsland(site)) return null
  const kept = under(under(under(keptObstacles(sim.world), site), from), address)
  const key = protocol === 'TCP' ? port : -port
  const before = kept.get(key)
  if (before !== undefined) return before
  const fare = send(sim.world, { address: from }, address, port, protocol)
  const obstacle = fare.arrived ? null : obstacleOf(site, fare)
  kept.set(key, obstacle)
  return obstacle
}

/** Where the API of a cluster is asked for. */
export function apiAt(
  sim: Sim,
  cluster: Cluster,
): { readonly address: string; readonly port: number } | null {
  if (cluster.managed) {
    const peer = peersOf(sim.world).find((peer) => peer.name === `${cluster.name}-api`)
    return peer ? { address: peer.address, port: peer.ports[0] ?? 443 } : null
  }
  const url = /^https:\/\/(\[[^\]]+\]|[^:/]+):(\d+)/.exec(cluster.endpoint)
  const address = parseAddress(url?.[1] ?? '')
  return url?.[1] !== undefined && address.ok ? { address: url[1], port: Number(url[2]) } : null
}

/** The address that a full name has at a site, or at one of its routing domain. */
export function addressNamed(sim: Sim, site: Site, name: string): string | null {
  const sites = [
    site,
    ...Object.values(sim.world.sites).filter((candidate) => candidate.domain === site.domain),
  ]
  for (const { records, nameDomain } of sites) {
    const record = records.find(
      (record) => record.type === 'A' && `${record.name}.${nameDomain}` === name,
    )
    if (record) return record.value
  }
  return null
}
