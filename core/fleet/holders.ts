/** Who holds an address: the question of everybody who finds one in a log. */
import {
  contains,
  formatAddress,
  parseAddress,
  parseCidr,
  parseRange,
  perNodePrefix,
  sizeOf,
} from '../addresses'
import type { ClusterView, FleetView, SiteView } from './view'

export interface AddressHolder {
  readonly domain: string
  readonly range: string
  readonly says: string
  /** What holds it, as a ref, where that has a page. */
  readonly about: string | null
}

/** How large a range is, for putting the closest holder first. Ranges that cannot be read come last. */
function widthOf(text: string): bigint {
  const range = parseRange(text)
  return range.ok ? sizeOf(range.value) : 1n << 200n
}

type Covers = (range: string | undefined) => boolean

/** What of a site holds the address: what is held by hand or lease, and its networks with their parts. */
function heldAtSite(site: SiteView, covers: Covers): readonly AddressHolder[] {
  const { domain } = site
  const about = `site/${site.name}`
  const held = site.addresses
    .filter((address) => covers(address.address))
    .map((address) => ({
      domain,
      range: address.address,
      says: `held for ${address.for} (${address.how}) in ${address.network}`,
      about: address.cluster === null ? about : `cluster/${address.cluster}`,
    }))
  const networks = site.networks.filter((network) => covers(network.range))
  const parts = networks.flatMap((network) =>
    (
      [
        [network.gateway, `gateway of ${network.name}`],
        [network.dhcp, `DHCP range of ${network.name}`],
        [network.pool, `virtual address pool of ${network.name}`],
        [network.range, `network ${network.name}`],
      ] as const
    ).flatMap(([range, says]) =>
      range !== undefined && covers(range) ? [{ domain, range, says, about }] : [],
    ),
  )
  return [...held, ...parts]
}

/** What of a cluster holds the address: its pods, with the block of a node in which it lies, and its services. */
function heldByCluster(
  cluster: ClusterView,
  domain: string,
  covers: Covers,
  value: bigint,
): readonly AddressHolder[] {
  const about = `cluster/${cluster.name}`
  const holders: AddressHolder[] = []
  const pods = parseCidr(cluster.pods)
  if (covers(cluster.pods) && pods.ok) {
    const { family, first } = pods.value
    const bits = BigInt((family === 4 ? 32 : 128) - perNodePrefix(family, cluster.maxPodsPerNode))
    const block = ((value - first) >> bits) + 1n
    holders.push({
      domain,
      range: cluster.pods,
      says: `pods of ${cluster.name}, node block ${block}`,
      about,
    })
  }
  if (covers(cluster.services))
    holders.push({ domain, range: cluster.services, says: `services of ${cluster.name}`, about })
  return holders
}

function byWidth(a: AddressHolder, b: AddressHolder): number {
  const [left, right] = [widthOf(a.range), widthOf(b.range)]
  if (left === right) return 0
  return left < right ? -1 : 1
}

/**
 * Everything that holds `text` (an address), the closest first, over all routing domains: the same address can be held
 * once in each. An address that cannot be read, or nobody holds, gives an empty list with the reason.
 */
export function whoHolds(
  view: FleetView,
  text: string,
): {
  readonly address: string | null
  readonly says: string | null
  readonly holders: readonly AddressHolder[]
} {
  const parsed = parseAddress(text)
  if (!parsed.ok) return { address: null, says: parsed.says, holders: [] }
  const { family, value } = parsed.value
  const point = { family, first: value, last: value }
  const covers: Covers = (range) => {
    const read = range === undefined ? null : parseRange(range)
    return read?.ok === true && contains(read.value, point)
  }
  const domainOf = new Map(view.sites.map((site) => [site.name, site.domain]))
  const peers = view.ledger.filter((entry) => entry.kind === 'peer' && covers(entry.range))
  const holders = [
    ...view.sites.flatMap((site) => heldAtSite(site, covers)),
    ...view.clusters.flatMap((cluster) =>
      heldByCluster(cluster, domainOf.get(cluster.site) ?? '', covers, value),
    ),
    ...peers.map(({ domain, range, name }) => ({ domain, range, says: name, about: null })),
  ].sort(byWidth)
  const address = formatAddress(parsed.value)
  return {
    address,
    says:
      holders.length === 0
        ? `Nobody holds ${address}: it lies in no network, pool or cluster range that is known.`
        : null,
    holders,
  }
}
