/** A world made ready for many walks: texts read, holders of addresses found, rules indexed. Parts that did not change are kept. */
import { type Address, type Range } from '../addresses'
import type { FirstMatch } from './first-match'
import { type PodEnd, type PolicyWorld } from './policy'
import { isIn, type Spans, spansOf, within } from './spans'
import type { FirewallRule, Translation, WalkCluster, WalkPeer, WalkSite, WalkWorld } from './world'

export interface Endpoint {
  readonly pod: PodEnd | null
  readonly address: Address
  readonly node: string | null
  /** The port it listens on for each of the service’s ports, by the port’s name. */
  readonly portOf: (
    portName: string,
    protocol: string,
    servicePort: number,
    targetPort: number | string | null | undefined,
  ) => number | null
}

export interface Service {
  readonly key: string
  readonly kind: 'cluster' | 'headless' | 'external-name'
  readonly addresses: readonly Address[]
  readonly externalName: string
  readonly externalLocal: boolean
  readonly internalLocal: boolean
  readonly ports: readonly {
    readonly name: string
    readonly port: number
    readonly protocol: string
    readonly targetPort: number | string | null | undefined
    readonly nodePort: number | null
  }[]
  /** Those that are ready, in the order of namespace and name. */
  readonly ready: readonly Endpoint[]
  readonly endpoints: number
}

export interface NodeEnd {
  readonly name: string
  readonly address: Address
  readonly network: string
  /** Ports as `6443/TCP`; null where nobody knows, so that it takes all. */
  readonly listens: ReadonlySet<string> | null
}

export interface ReadyCluster {
  readonly given: WalkCluster
  readonly index: number
  readonly name: string
  readonly site: string
  readonly podRange: Range
  readonly serviceRange: Range
  readonly dnsDomain: string
  readonly keepSource: readonly Range[]
  readonly nodes: ReadonlyMap<string, NodeEnd>
  /** In the order of their names. */
  readonly nodeList: readonly NodeEnd[]
  readonly policies: PolicyWorld
  readonly services: ReadonlyMap<string, Service>
  readonly serviceAt: ReadonlyMap<string, Service>
}

export interface ReadySite {
  readonly given: WalkSite
  readonly index: number
  readonly name: string
  readonly domain: string
  readonly networks: readonly {
    readonly name: string
    readonly range: Range
    readonly mtu: number | null
  }[]
  readonly routes: readonly {
    readonly network: string
    readonly to: Range
    readonly text: string
    readonly size: bigint
    readonly via: string
  }[]
  readonly out: FirstMatch<FirewallRule>
  readonly in: FirstMatch<FirewallRule>
  readonly translations: FirstMatch<Translation & { readonly address: Address | null }>
  readonly fronts: readonly {
    readonly address: Address
    readonly port: number
    readonly protocol: string
    readonly cluster: string
    readonly service: string
    readonly nodePort: number
    /** Null are all nodes of the cluster. */
    readonly members: ReadonlySet<string> | null
  }[]
  readonly records: ReadonlyMap<string, { readonly name: string; readonly address: Address }>
}

export interface ReadyPeer {
  readonly given: WalkPeer
  readonly name: string
  readonly address: Address
  readonly protocol: string
  readonly site: string | null
  readonly accepts: Spans
  readonly routes: Spans
}

export interface ReadyWorld {
  readonly given: WalkWorld
  readonly clusters: ReadonlyMap<string, ReadyCluster>
  readonly sites: ReadonlyMap<string, ReadySite>
  readonly peers: readonly ReadyPeer[]
  readonly peerAt: ReadonlyMap<string, ReadyPeer>
  readonly nodeAt: ReadonlyMap<
    string,
    readonly { readonly cluster: ReadyCluster; readonly node: NodeEnd }[]
  >
  readonly podAt: ReadonlyMap<
    string,
    readonly { readonly cluster: ReadyCluster; readonly pod: PodEnd }[]
  >
  /** Networks and pod ranges of a site: what its addresses are. */
  readonly inside: ReadonlyMap<string, Spans>
  /** The same over all sites of a routing domain. */
  readonly domain: ReadonlyMap<string, Spans>
  readonly frontAt: ReadonlyMap<string, readonly ReadySite[]>
}

export type WorldRead =
  | { readonly ok: true; readonly world: ReadyWorld }
  | { readonly ok: false; readonly path: string; readonly says: string }

/** The network of a site that holds an address, by name; the smallest where they lie in each other. */
export function networkOf(site: ReadySite, address: Address): string | null {
  let result: ReadySite['networks'][number] | null = null
  for (const network of site.networks)
    if (
      isIn(network.range, address) &&
      (!result || network.range.last - network.range.first < result.range.last - result.range.first)
    )
      result = network
  return result?.name ?? null
}

/** The site that holds an address in a network or pod range: of the routing domain asked for first, then of any. */
export function siteOfAddress(
  world: ReadyWorld,
  address: Address,
  domain: string | null,
  prefer: string | null,
): ReadySite | null {
  const own = prefer === null ? undefined : world.sites.get(prefer)
  const holds = (site: ReadySite): boolean =>
    within(world.inside.get(site.name) ?? spansOf([]), address)
  if (own && holds(own)) return own
  let readySite: ReadySite | null = null
  for (const site of world.sites.values()) {
    if (!holds(site)) continue
    if (domain === null || site.domain === domain) return site
    readySite ??= site
  }
  return readySite
}
