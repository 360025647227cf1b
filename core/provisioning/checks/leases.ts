/** Leases that a raise takes from the DHCP servers of a site. */

import { parseRange, intersection, sizeOf } from '../../addresses'
import type { RawFinding } from '../../changes'
import type { Network as NetworkView } from '../../contract'
import type { SiteView } from '../../fleet'
import { countText } from '../../units'
import { widerDhcp } from '../../ground'
import type { Check, Planned, PlannedMachine } from '../planned'
import { at } from './surroundings'

/** Networks on which the draft’s machines ask for an address, with how many do. */
export function leasesWanted({
  site,
  machines,
  nodesNetwork,
  managementNetwork,
  statics,
}: Planned): ReadonlyMap<NetworkView, readonly PlannedMachine[]> {
  const wanted = new Map<NetworkView, PlannedMachine[]>()
  if (!site || site.kind === 'edge') return wanted
  for (const machine of machines) {
    const member = machine.role === 'control-plane'
    if (site.kind === 'hall' && member && statics) continue
    let network: NetworkView | undefined
    if (site.kind === 'cloud') network = site.networks.find((other) => other.zone === machine.zone)
    else if (member) network = managementNetwork
    else network = nodesNetwork
    if (network) wanted.set(network, [...(wanted.get(network) ?? []), machine])
  }
  return wanted
}

/** Addresses a network’s DHCP server can still give out. */
export function freeLeases(site: SiteView, network: NetworkView): number {
  const range = parseRange(network.dhcp ?? network.range)
  if (!range.ok) return 0
  const held = new Set(
    site.addresses.flatMap((address) => {
      const one = parseRange(address.address)
      return one.ok && intersection(one.value, range.value) ? [address.address] : []
    }),
  )
  return Number(sizeOf(range.value)) - held.size - (network.dhcp === undefined ? 4 : 0)
}

export const checkLeases: Check = (planned) => {
  const { site } = planned
  if (!site || planned.intent.networks.addressing === 'static') return []
  return [...leasesWanted(planned)].flatMap(([network, machines]): RawFinding[] => {
    const field = 'networks.nodes'
    const findings: RawFinding[] = []
    const restart = {
      says: `Restart the DHCP server of ${network.name}`,
      change: {
        kind: 'site.service',
        intent: { site: site.name, service: 'dhcp', network: network.name },
      },
    }
    if (network.dhcpAnswers === false) {
      findings.push({
        level: 'stop',
        rule: 'network.dhcp',
        field,
        about: `network/${site.name}/${network.name}`,
        says: `The DHCP server of ${network.name} does not answer. ${countText(machines.length, 'machine')} would get no address.`,
        because: [{ says: 'no offer when last asked', ...at(site) }],
        offers: site.kind === 'cloud' ? [] : [restart],
      })
    }
    const free = freeLeases(site, network)
    if (free < machines.length) {
      const stale = site.addresses.filter(
        (address) =>
          address.network === network.name && address.how === 'dhcp' && address.cluster === null,
      )
      const wider = widerDhcp(network, site)
      findings.push({
        level: 'stop',
        rule: 'network.leases',
        field,
        says: `${network.name} has ${Math.max(0, free)} addresses left to give out; this draft needs ${machines.length}.`,
        because: [
          { says: `DHCP range ${network.dhcp ?? network.range}`, source: 'address ledger' },
          ...(stale.length > 0
            ? [
                {
                  says: `${stale.length} leases belong to no cluster, the first ${stale[0]?.address ?? ''} for ${stale[0]?.for ?? ''}`,
                  source: 'address ledger',
                },
              ]
            : []),
        ],
        offers: [
          ...(stale.length > 0
            ? [
                {
                  says: `Give back ${stale.length} leases that nothing holds any more`,
                  change: {
                    kind: 'orphans.remove',
                    intent: {
                      site: site.name,
                      items: stale
                        .slice(0, 4096)
                        .map((address) => ({ kind: 'address', name: address.address })),
                    },
                  },
                },
              ]
            : []),
          ...(wider === null
            ? []
            : [
                {
                  says: `Widen the DHCP range to ${wider}`,
                  change: {
                    kind: 'site.network',
                    intent: { site: site.name, network: network.name, dhcp: wider },
                  },
                },
              ]),
        ],
      })
    }
    return findings
  })
}
