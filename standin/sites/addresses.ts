/** Addresses at a site: held statically, leased by DHCP, given back. An address given out is gone. */
import { formatAddress, parseRange, type Range } from '../../core/addresses'
import { permanent, recordsArg, textArg, textsArg } from '../args'
import type { Behaviour } from '../engine/sim'
import type { Sim } from '../engine/sim'
import type { HeldAddress, Network, OperationFailure, Site } from '../world'

export const hold = (sim: Sim, site: Site, address: HeldAddress): void => {
  site.addresses = [...site.addresses, address]
  sim.touch(`site:${site.name}`)
}

export const release = (sim: Sim, site: Site, gone: (address: HeldAddress) => boolean): void => {
  site.addresses = site.addresses.filter((address) => !gone(address))
  sim.touch(`site:${site.name}`)
}

const rangeOf = (text: string | undefined): Range | null => {
  const range = text === undefined ? null : parseRange(text)
  return range?.ok ? range.value : null
}

/** The lowest address of a network that its DHCP server still has: its DHCP range, or the whole network past the gateway. */
export function leaseFrom(site: Site, network: Network): string | null {
  const range = rangeOf(network.dhcp) ?? rangeOf(network.range)
  if (!range) return null
  const taken = new Set(site.addresses.map((held) => held.address))
  if (network.gateway !== undefined) taken.add(network.gateway)
  const [first, last] =
    network.dhcp === undefined ? [range.first + 4n, range.last - 1n] : [range.first, range.last]
  for (let value = first; value <= last; value++) {
    const address = formatAddress({ family: range.family, value })
    if (!taken.has(address)) return address
  }
  return null
}

export const addressHold: Behaviour = {
  stages: [
    {
      seconds: 4,
      then: (sim, op): OperationFailure | string => {
        const site = sim.site(op.args['site'])
        if (!site) return permanent('no-site', `There is no site ${textArg(op, 'site')}.`)
        const wanted = recordsArg(op, 'addresses').map((item) => ({
          address: String(item['address']),
          network: String(item['network']),
          for: String(item['for']),
        }))
        for (const { address, network } of wanted) {
          const holder = site.addresses.find((held) => held.address === address)
          if (holder && holder.cluster !== textArg(op, 'cluster')) {
            return permanent('address-taken', `${address} is held for ${holder.for}.`, {
              about: `address/${site.name}/${address}`,
              says: `held for ${holder.for}`,
            })
          }
          if (!site.networks.some((other) => other.name === network))
            return permanent('no-network', `${site.name} has no network ${network}.`, {
              about: `network/${site.name}/${network}`,
              says: 'does not exist',
            })
        }
        for (const { address, network, for: purpose } of wanted) {
          if (!site.addresses.some((held) => held.address === address))
            hold(sim, site, {
              address,
              network,
              for: purpose,
              cluster: textArg(op, 'cluster'),
              how: op.args['how'] === 'virtual' ? 'virtual' : 'static',
            })
        }
        return wanted.length === 1
          ? `${wanted[0]?.address ?? ''} held`
          : `${wanted.map((item) => item.address).join(', ')} held`
      },
    },
  ],
  result: (_sim, op) => ({ addresses: recordsArg(op, 'addresses').map((item) => item['address']) }),
}

export const addressRelease: Behaviour = {
  stages: [
    {
      seconds: 3,
      then: (sim, op) => {
        const site = sim.site(op.args['site'])
        const gone = new Set(textsArg(op, 'addresses'))
        if (!site) return 'nothing to release'
        release(sim, site, (held) => gone.has(held.address) && held.how !== 'dhcp')
        return `${gone.size === 1 ? [...gone].join('') : `${gone.size} addresses`} released`
      },
    },
  ],
}
