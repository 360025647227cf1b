/** Leases that a raise takes from the DHCP servers of a site. */

import { parseRange, intersection, sizeOf } from '../../addresses'
import type { Fact, RawFinding } from '../../changes'
import type { Network as NetworkView } from '../../contract'
import type { SiteView } from '../../fleet'
import { widerDhcp } from '../../ground'
import type { Check, Planned, PlannedMachine } from '../planned'
import { at } from './surroundings'
import { said } from './says'

const field = 'networks.nodes'

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
    if (site.kind === 'cloud')
      network = site.networks.find((otherNetwork) => otherNetwork.zone === machine.zone)
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
      const entry = parseRange(address.address)
      return entry.ok && intersection(entry.value, range.value) ? [address.address] : []
    }),
  )
  return Number(sizeOf(range.value)) - held.size - (network.dhcp === undefined ? 4 : 0)
}

/** A DHCP server that gave no offer when it was last asked. */
function silentServer(
  site: SiteView,
  network: NetworkView,
  machines: readonly PlannedMachine[],
): RawFinding {
  const restart = {
    says: `Restart the DHCP server of ${network.name}`,
    change: {
      kind: 'site.service',
      intent: { site: site.name, service: 'dhcp', network: network.name },
    },
  }
  return {
    level: 'stop',
    rule: 'network.dhcp',
    field,
    about: `network/${site.name}/${network.name}`,
    ...said('network.dhcp', { network: network.name, machinesCount: machines.length }),
    because: [{ ...said('no-offer-when'), ...at(site) }],
    offers: site.kind === 'cloud' ? [] : [restart],
  }
}

/** Leases of things that are gone, given back. */
const giveBack = (site: SiteView, stale: readonly SiteView['addresses'][number][]) => ({
  says: `Give back ${stale.length} leases that nothing holds any more`,
  change: {
    kind: 'orphans.remove',
    intent: {
      site: site.name,
      items: stale.slice(0, 4096).map((address) => ({ kind: 'address', name: address.address })),
    },
  },
})

const widen = (site: SiteView, network: NetworkView, dhcp: string) => ({
  says: `Widen the DHCP range to ${dhcp}`,
  change: { kind: 'site.network', intent: { site: site.name, network: network.name, dhcp } },
})

/** A network whose server has fewer addresses left than the draft’s machines would ask for. */
function tooFewLeases(
  site: SiteView,
  network: NetworkView,
  machines: readonly PlannedMachine[],
  free: number,
): RawFinding {
  const stale = site.addresses.filter(
    (address) =>
      address.network === network.name && address.how === 'dhcp' && address.cluster === null,
  )
  const first = stale[0]
  const wider = widerDhcp(network, site)
  const because: Fact[] = [
    { ...said('dhcp-range', { dhcp: network.dhcp ?? network.range }), source: 'address ledger' },
  ]
  if (first)
    because.push({
      ...said('leases-belong-no', {
        staleCount: stale.length,
        address: first.address,
        for: first.for,
      }),
      source: 'address ledger',
    })
  return {
    level: 'stop',
    rule: 'network.leases',
    field,
    ...said('network.leases', {
      network: network.name,
      left: Math.max(0, free),
      machinesCount: machines.length,
    }),
    because,
    offers: [
      ...(stale.length > 0 ? [giveBack(site, stale)] : []),
      ...(wider === null ? [] : [widen(site, network, wider)]),
    ],
  }
}

export const checkLeases: Check = (planned) => {
  const { site } = planned
  if (!site || planned.intent.networks.addressing === 'static') return []
  return [...leasesWanted(planned)].flatMap(([network, machines]): RawFinding[] => {
    const findings: RawFinding[] = []
    if (network.dhcpAnswers === false) findings.push(silentServer(site, network, machines))
    const free = freeLeases(site, network)
    if (free < machines.length) findings.push(tooFewLeases(site, network, machines, free))
    return findings
  })
}
