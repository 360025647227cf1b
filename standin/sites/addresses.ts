/** Addresses at a site: held statically, leased by DHCP, given back. An address given out is gone. */
import type { Said } from '../../core/contract'
import { formatAddress, parseRange, type Range } from '../../core/addresses'
import { permanent } from '../failures'
import type { Behaviour } from '../engine/sim'
import type { Sim } from '../engine/sim'
import type { HeldAddress, Network, OperationFailure, Site } from '../world'
import { said } from './says'

/** The addresses of a list as a set, handed on from each list to the one that replaces it. */
const takenIn = new WeakMap<readonly HeldAddress[], Set<string>>()

function takenAt(site: Site): Set<string> {
  let taken = takenIn.get(site.addresses)
  if (!taken) {
    taken = new Set()
    for (const held of site.addresses) taken.add(held.address)
    takenIn.set(site.addresses, taken)
  }
  return taken
}

/** Replaces the list of addresses; `taken` is what was taken before, brought up to date by whoever calls. */
function replace(site: Site, addresses: HeldAddress[], taken: Set<string>): void {
  takenIn.delete(site.addresses)
  takenIn.set(addresses, taken)
  site.addresses = addresses
}

/** Enters an address as held. */
export function enterAddress(site: Site, address: HeldAddress): void {
  const taken = takenAt(site)
  taken.add(address.address)
  replace(site, [...site.addresses, address], taken)
}

export const hold = (sim: Sim, site: Site, address: HeldAddress): void => {
  enterAddress(site, address)
  sim.touchSite(site.name)
}

/** Where the search for a free lease begins, for each network: below it all are taken until one is given back. */
const searchedTo = new WeakMap<ReadonlySet<string>, Map<Network, bigint>>()

export const release = (sim: Sim, site: Site, gone: (address: HeldAddress) => boolean): void => {
  const taken = takenAt(site)
  searchedTo.delete(taken)
  const kept: HeldAddress[] = []
  for (const held of site.addresses) {
    if (gone(held)) taken.delete(held.address)
    else kept.push(held)
  }
  replace(site, kept, taken)
  sim.touchSite(site.name)
}

interface LeaseRange {
  readonly range: Range
  readonly first: bigint
  readonly last: bigint
}

const leaseRanges = new WeakMap<Network, LeaseRange | null>()

const rangeOf = (text: string | undefined): Range | null => {
  const range = text === undefined ? null : parseRange(text)
  return range?.ok ? range.value : null
}

/** What a network’s DHCP server gives out: its DHCP range, or the whole network past the gateway. Read once for each network. */
function leaseRangeOf(network: Network): LeaseRange | null {
  const read = leaseRanges.get(network)
  if (read !== undefined) return read
  const range = rangeOf(network.dhcp) ?? rangeOf(network.range)
  const isWhole = network.dhcp === undefined
  const leases = range && {
    range,
    first: isWhole ? range.first + 4n : range.first,
    last: isWhole ? range.last - 1n : range.last,
  }
  leaseRanges.set(network, leases)
  return leases
}

/** The lowest address of a network that its DHCP server still has. O(addresses taken since one was given back). */
export function leaseFrom(site: Site, network: Network): string | null {
  const leases = leaseRangeOf(network)
  if (!leases) return null
  const taken = takenAt(site)
  let searched = searchedTo.get(taken)
  if (!searched) searchedTo.set(taken, (searched = new Map<Network, bigint>()))
  for (let value = searched.get(network) ?? leases.first; value <= leases.last; value++) {
    const address = formatAddress({ family: leases.range.family, value })
    if (address === network.gateway || taken.has(address)) continue
    searched.set(network, value)
    return address
  }
  return null
}

export const addressHold: Behaviour<'address.hold'> = {
  stages: [
    {
      seconds: 4,
      then: (sim, op): OperationFailure | Said => {
        const site = sim.site(op.args.site)
        if (!site) return permanent('no-site', said('no-site', { site: op.args.site }))
        const wanted = op.args.addresses.map((item) => ({
          address: String(item['address']),
          network: String(item['network']),
          for: String(item['for']),
        }))
        for (const { address, network } of wanted) {
          const holder = site.addresses.find((held) => held.address === address)
          if (holder && holder.cluster !== op.args.cluster) {
            return permanent('address-taken', said('address-taken', { address, for: holder.for }), {
              about: `address/${site.name}/${address}`,
              ...said('held', { for: holder.for }),
            })
          }
          if (!site.networks.some((otherNetwork) => otherNetwork.name === network))
            return permanent('no-network', said('no-network', { site: site.name, network }), {
              about: `network/${site.name}/${network}`,
              ...said('does-not-exist'),
            })
        }
        for (const { address, network, for: purpose } of wanted) {
          if (!site.addresses.some((held) => held.address === address))
            hold(sim, site, {
              address,
              network,
              for: purpose,
              cluster: op.args.cluster,
              how: op.args.how === 'virtual' ? 'virtual' : 'static',
            })
        }
        return wanted.length === 1
          ? said('address', { address: wanted[0]?.address ?? '' })
          : said('wanted', { wanted: wanted.map((item) => item.address) })
      },
    },
  ],
  result: (_sim, op) => ({ addresses: op.args.addresses.map((item) => item['address']) }),
}

export const addressRelease: Behaviour<'address.release'> = {
  stages: [
    {
      seconds: 3,
      then: (sim, op) => {
        const site = sim.site(op.args.site)
        const gone = new Set(op.args.addresses)
        if (!site) return said('nothing-release')
        release(sim, site, (held) => gone.has(held.address) && held.how !== 'dhcp')
        return said('released', { count: gone.size, gone: [...gone] })
      },
    },
  ],
}
