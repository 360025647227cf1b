/**
 * Addresses of an own control plane: one floating address for the API, one for each machine and one spare for a
 * rolling step. They lie in the subnet, clear of gateway, network and broadcast address, DHCP range and holders.
 */
import { quoted, type Said } from '../contract'
import { said } from './says'
import {
  contains,
  formatAddress,
  parseAddress,
  parseCidr,
  parseRange,
  type Range,
} from '../addresses'
import type { NetworkView, Reservation, SiteView } from '../fleet'

export interface StaticAddresses {
  /** Floating address first, then one for each machine, then the spare. Given ones, filled up by proposed ones. */
  readonly addresses: readonly string[]
  readonly wanted: number
  /** What is wrong with the given ones, by position. */
  readonly wrong: readonly (Said & { readonly index: number })[]
  /** A full set of free addresses: the lowest. */
  readonly proposed: readonly string[]
}

interface Taken extends Said {
  readonly range: Range
}

/** Everything in a network that a static address must keep clear of. */
/** Names of one’s own may lead there already. */
export function takenIn(
  network: NetworkView,
  site: SiteView,
  reservations: readonly Reservation[],
  ownNames: readonly string[] = [],
): readonly Taken[] {
  const block = parseCidr(network.range)
  if (!block.ok) return []
  const { family, first, last } = block.value
  const entry = (text: string | undefined, use: Said): readonly Taken[] => {
    const range = text === undefined ? null : parseRange(text)
    return range?.ok ? [{ range: range.value, ...use }] : []
  }
  return [
    { range: { family, first, last: first }, ...said('taken.network-address') },
    ...(family === 4
      ? [{ range: { family, first: last, last }, ...said('taken.broadcast-address') }]
      : []),
    ...entry(network.gateway, said('taken.gateway')),
    ...entry(network.dhcp, said('taken.dhcp', { range: network.dhcp ?? '' })),
    ...entry(network.pool, said('taken.pool', { range: network.pool ?? '' })),
    ...site.addresses.flatMap((held) => entry(held.address, said('taken.held', { for: held.for }))),
    ...site.nameServers.flatMap((server) => entry(server.address, said('taken.name-server'))),
    ...site.records
      .filter(
        (record) =>
          (record.type === 'A' || record.type === 'AAAA') &&
          !ownNames.some(
            (name) => name === record.name || name === `${record.name}.${site.nameDomain}`,
          ),
      )
      .flatMap((record) =>
        site.addresses.some((held) => held.address === record.value)
          ? []
          : entry(record.value, said('taken.record', { record: record.name })),
      ),
    ...reservations
      .filter((taken) => taken.kind === 'address')
      .flatMap((taken) => entry(taken.what, said('taken.reserved'))),
  ]
}

/** Why an address cannot be held statically in a network, or null. */
export function addressObjection(
  text: string,
  network: NetworkView,
  taken: readonly Taken[],
): Said | null {
  const parsed = parseAddress(text)
  if (!parsed.ok) return quoted('address.unreadable', parsed.says)
  const range: Range = {
    family: parsed.value.family,
    first: parsed.value.value,
    last: parsed.value.value,
  }
  const block = parseCidr(network.range)
  if (block.ok && !contains(block.value, range))
    return said('address.outside', { address: text, network: network.name, range: network.range })
  const clash = taken.find((reservation) => contains(reservation.range, range))
  return clash ? said('address.taken', { address: text, use: clash.code, clash: clash.says }) : null
}

/** The `count` lowest addresses of a network that nothing takes; fewer if it is nearly full. */
export function lowestFree(
  network: NetworkView,
  taken: readonly Taken[],
  count: number,
): readonly string[] {
  const block = parseCidr(network.range)
  if (!block.ok) return []
  const matches: string[] = []
  const ranges = taken
    .map((reservation) => reservation.range)
    .filter((range) => range.family === block.value.family)
  let at = block.value.first
  while (at <= block.value.last && matches.length < count) {
    const hit = ranges.find((range) => range.first <= at && at <= range.last)
    if (hit) at = hit.last + 1n
    else matches.push(formatAddress({ family: block.value.family, value: at++ }))
  }
  return matches
}

/** Checks the given addresses and proposes a full set. `given` may hold fewer or more than needed. */
export function findAddresses(
  given: readonly string[] | undefined,
  members: number,
  network: NetworkView,
  site: SiteView,
  reservations: readonly Reservation[],
  ownNames: readonly string[] = [],
): StaticAddresses {
  const wanted = members + 2
  const taken = takenIn(network, site, reservations, ownNames)
  const proposed = lowestFree(network, taken, wanted)
  const wrong: (Said & { index: number })[] = []
  given?.forEach((text, index) => {
    const objection =
      given.indexOf(text) < index
        ? said('address.twice', { address: text })
        : addressObjection(text, network, taken)
    if (objection !== null) wrong.push({ index, ...objection })
  })
  return { addresses: given?.length ? given : proposed, wanted, wrong, proposed }
}
