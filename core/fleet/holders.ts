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
import type { FleetView } from './view'

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
  const covers = (range: string | undefined): boolean => {
    const read = range === undefined ? null : parseRange(range)
    return read?.ok === true && contains(read.value, point)
  }
  const address = formatAddress(parsed.value)
  const addressHolders: AddressHolder[] = []
  for (const site of view.sites) {
    const { domain } = site
    for (const held of site.addresses)
      if (covers(held.address))
        addressHolders.push({
          domain,
          range: held.address,
          says: `held for ${held.for} (${held.how}) in ${held.network}`,
          about: held.cluster === null ? `site/${site.name}` : `cluster/${held.cluster}`,
        })
    for (const network of site.networks) {
      if (!covers(network.range)) continue
      if (covers(network.gateway))
        addressHolders.push({
          domain,
          range: network.gateway ?? '',
          says: `gateway of ${network.name}`,
          about: `site/${site.name}`,
        })
      if (covers(network.dhcp))
        addressHolders.push({
          domain,
          range: network.dhcp ?? '',
          says: `DHCP range of ${network.name}`,
          about: `site/${site.name}`,
        })
      if (covers(network.pool))
        addressHolders.push({
          domain,
          range: network.pool ?? '',
          says: `virtual address pool of ${network.name}`,
          about: `site/${site.name}`,
        })
      addressHolders.push({
        domain,
        range: network.range,
        says: `network ${network.name}`,
        about: `site/${site.name}`,
      })
    }
  }
  const domainOf = new Map(view.sites.map((site) => [site.name, site.domain]))
  for (const cluster of view.clusters) {
    const domain = domainOf.get(cluster.site) ?? ''
    const pods = parseCidr(cluster.pods)
    if (covers(cluster.pods) && pods.ok) {
      const prefix = perNodePrefix(pods.value.family, cluster.maxPodsPerNode)
      const block =
        (value - pods.value.first) >> BigInt((pods.value.family === 4 ? 32 : 128) - prefix)
      addressHolders.push({
        domain,
        range: cluster.pods,
        says: `pods of ${cluster.name}, node block ${block + 1n}`,
        about: `cluster/${cluster.name}`,
      })
    }
    if (covers(cluster.services))
      addressHolders.push({
        domain,
        range: cluster.services,
        says: `services of ${cluster.name}`,
        about: `cluster/${cluster.name}`,
      })
  }
  for (const entry of view.ledger)
    if (entry.kind === 'peer' && covers(entry.range))
      addressHolders.push({
        domain: entry.domain,
        range: entry.range,
        says: entry.name,
        about: null,
      })
  addressHolders.sort((a, b) => {
    const [left, right] = [widthOf(a.range), widthOf(b.range)]
    if (left < right) return -1
    if (left > right) return 1
    return 0
  })
  return {
    address,
    says:
      addressHolders.length === 0
        ? `Nobody holds ${address}: it lies in no network, pool or cluster range that is known.`
        : null,
    holders: addressHolders,
  }
}
