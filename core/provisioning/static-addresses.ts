/**
 * Addresses of an own control plane: one floating address for the API, one for each machine and one spare for a
 * rolling step. They lie in the subnet, clear of gateway, network and broadcast address, DHCP range and holders.
 */
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
  readonly wrong: readonly { readonly index: number; readonly says: string }[]
  /** A full set of free addresses: the lowest. */
  readonly proposed: readonly string[]
}

interface Taken {
  readonly range: Range
  readonly says: string
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
  const entry = (text: string | undefined, says: string): readonly Taken[] => {
    const range = text === undefined ? null : parseRange(text)
    return range?.ok ? [{ range: range.value, says }] : []
  }
  return [
    { range: { family, first, last: first }, says: 'is the network address' },
    ...(family === 4
      ? [{ range: { family, first: last, last }, says: 'is the broadcast address' }]
      : []),
    ...entry(network.gateway, 'is the gateway'),
    ...entry(network.dhcp, `lies in the DHCP range ${network.dhcp ?? ''}`),
    ...entry(network.pool, `lies in the pool ${network.pool ?? ''}`),
    ...site.addresses.flatMap((held) => entry(held.address, `is held for ${held.for}`)),
    ...site.nameServers.flatMap((server) => entry(server.address, 'is the name server')),
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
          : entry(record.value, `is what ${record.name} leads to`),
      ),
    ...reservations
      .filter((taken) => taken.kind === 'address')
      .flatMap((taken) => entry(taken.what, 'is reserved by a running change')),
  ]
}

/** Why an address cannot be held statically in a network, or null. */
export function addressObjection(
  text: string,
  network: NetworkView,
  taken: readonly Taken[],
): string | null {
  const parsed = parseAddress(text)
  if (!parsed.ok) return parsed.says
  const range: Range = {
    family: parsed.value.family,
    first: parsed.value.value,
    last: parsed.value.value,
  }
  const block = parseCidr(network.range)
  if (block.ok && !contains(block.value, range))
    return `${text} lies outside ${network.name} (${network.range}).`
  const clash = taken.find((other) => contains(other.range, range))
  return clash ? `${text} ${clash.says}.` : null
}

/** The `count` lowest addresses of a network that nothing takes; fewer if it is nearly full. */
export function lowestFree(
  network: NetworkView,
  taken: readonly Taken[],
  count: number,
): readonly string[] {
  const block = parseCidr(network.range)
  if (!block.ok) return []
  const found: string[] = []
  const ranges = taken
    .map((other) => other.range)
    .filter((range) => range.family === block.value.family)
  let at = block.value.first
  while (at <= block.value.last && found.length < count) {
    const hit = ranges.find((range) => range.first <= at && at <= range.last)
    if (hit) at = hit.last + 1n
    else found.push(formatAddress({ family: block.value.family, value: at++ }))
  }
  return found
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
  const wrong: { index: number; says: string }[] = []
  given?.forEach((text, index) => {
    const says =
      given.indexOf(text) < index
        ? `${text} is given twice.`
        : addressObjection(text, network, taken)
    if (says !== null) wrong.push({ index, says })
  })
  return { addresses: given?.length ? given : proposed, wanted, wrong, proposed }
}
