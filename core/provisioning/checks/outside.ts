/** What a cluster needs towards the outside: quota, subnets, routes, packet sizes. */

import type { RawFinding } from '../../changes'
import { countText, listText } from '../../units'
import type { Check } from '../planned'
import { at, patch } from './surroundings'

/** Load balancers and addresses outside, where a cloud counts them. */
export const checkOutsideQuota: Check = (planned) => {
  const { site, intent, machines } = planned
  if (!site) return []
  const findings: RawFinding[] = []
  if (intent.networks.frontage !== undefined || intent.networks.virtualAddresses !== undefined) {
    const used = site.balancers.length
    if (site.quotaBalancers !== null && used + 1 > site.quotaBalancers) {
      findings.push({
        level: 'stop',
        rule: 'quota.balancers',
        field: 'networks.frontage',
        says: `${site.name} allows ${countText(site.quotaBalancers, 'load balancer')}; ${used} are in use.`,
        because: [{ says: `${used} of ${site.quotaBalancers} in use`, ...at(site) }],
        offers: [
          {
            says: 'Raise it without a load balancer',
            change: {
              patchDraft: [
                ...(intent.networks.frontage === undefined
                  ? []
                  : [{ op: 'remove' as const, path: '/networks/frontage' }]),
                ...(intent.networks.virtualAddresses === undefined
                  ? []
                  : [{ op: 'remove' as const, path: '/networks/virtualAddresses' }]),
              ],
            },
          },
        ],
      })
    }
  }
  if (intent.networks.nodeAddresses === 'public') {
    const front = site.networks.find((network) => network.role === 'frontage')
    const held = site.addresses.filter((address) => address.network === front?.name).length
    const most = site.quotaAddresses ?? 0
    if (site.kind !== 'cloud')
      findings.push({
        level: 'stop',
        rule: 'public.site',
        field: 'networks.nodeAddresses',
        says: `${site.name} has no addresses outside to give to nodes.`,
        because: [],
        offers: [
          { says: 'Keep nodes private', change: patch('/networks/nodeAddresses', 'private') },
        ],
      })
    else if (held + machines.length > most)
      findings.push({
        level: 'stop',
        rule: 'quota.addresses',
        field: 'networks.nodeAddresses',
        says: `${site.name} allows ${most} addresses outside; ${held} are held and this draft needs ${machines.length}.`,
        because: [{ says: `quota ${most} addresses`, ...at(site) }],
        offers: [
          { says: 'Keep nodes private', change: patch('/networks/nodeAddresses', 'private') },
        ],
      })
    else
      findings.push({
        level: 'caution',
        rule: 'public.nodes',
        field: 'networks.nodeAddresses',
        says: 'Every node can be reached from outside, as far as the firewall lets it.',
        because: [
          {
            says: `${countText(machines.length, 'address')} of ${front?.name ?? site.name}`,
            ...at(site),
          },
        ],
        offers: [
          { says: 'Keep nodes private', change: patch('/networks/nodeAddresses', 'private') },
        ],
      })
  }
  return findings
}

/** In a cloud a machine stands in a subnet of its zone. */
export const checkSubnets: Check = ({ site, machines }) => {
  if (!site || site.kind !== 'cloud') return []
  const without = [...new Set(machines.map((machine) => machine.zone))].filter(
    (zone) => site.zones.includes(zone) && !site.networks.some((network) => network.zone === zone),
  )
  const fields = [
    ...new Set(
      machines.filter((machine) => without.includes(machine.zone)).map((machine) => machine.field),
    ),
  ]
  const others = site.zones.filter((zone) => site.networks.some((network) => network.zone === zone))
  return fields.map((field): RawFinding => {
    const zones = [
      ...new Set(
        machines
          .filter((machine) => machine.field === field && without.includes(machine.zone))
          .map((machine) => machine.zone),
      ),
    ]
    return {
      level: 'stop',
      rule: 'zone.subnet',
      field: `${field}.zones`,
      says: `${listText(zones)} ${zones.length === 1 ? 'has' : 'have'} no subnet at ${site.name}. A machine there would get no address.`,
      because: [
        {
          says: `subnets: ${listText(site.networks.filter((network) => network.zone !== undefined).map((network) => `${network.zone ?? ''} ${network.range}`)) || 'none'}`,
          ...at(site),
        },
      ],
      offers:
        others.length === 0
          ? []
          : [
              {
                says: `Use ${listText(others)}`,
                change: patch(`/${field.replace(/\[(\d+)\]/g, '/$1')}/zones`, others),
              },
            ],
    }
  })
}

/** MTU: what the draft asks for must pass on the network it is asked for. */
export const checkMtu: Check = ({ site, intent, nodesNetwork }) => {
  const mtu = intent.services?.mtu
  const link = nodesNetwork?.mtu ?? 1500
  if (!site || mtu === undefined || mtu <= link) return []
  return [
    {
      level: 'stop',
      rule: 'mtu.link',
      field: 'services.mtu',
      says: `An MTU of ${mtu} does not pass ${nodesNetwork?.name ?? 'the node network'}, whose links take ${link}. Large packets would vanish.`,
      because: [{ says: `MTU ${link}`, ...at(site) }],
      offers: [{ says: `Use ${link}`, change: patch('/services/mtu', link) }],
    },
  ]
}

/** A virtual address network and the node network must be joined by a route. */
export const checkRoute: Check = ({ intent, site, nodesNetwork }) => {
  if (!site || site.kind !== 'hall' || !intent.networks.virtualAddresses || !nodesNetwork) return []
  const front = site.networks.find((other) =>
    intent.networks.frontage === undefined
      ? other.role === 'frontage'
      : other.name === intent.networks.frontage,
  )
  if (!front || front.name === nodesNetwork.name) return []
  if (
    site.routes.some(
      (route) =>
        route.network === front.name &&
        (route.to === nodesNetwork.range || route.to === '0.0.0.0/0'),
    )
  )
    return []
  const via = front.gateway ?? ''
  return [
    {
      level: 'stop',
      rule: 'route.missing',
      field: 'networks.frontage',
      about: `network/${site.name}/${front.name}`,
      says: `${front.name} has no route to ${nodesNetwork.name} (${nodesNetwork.range}). What arrives at a virtual address would not reach a node.`,
      because: [
        {
          says: `routes of ${front.name}: ${listText(site.routes.filter((route) => route.network === front.name).map((route) => `${route.to} by ${route.via}`)) || 'none'}`,
          ...at(site),
        },
      ],
      offers:
        via === ''
          ? []
          : [
              {
                says: `Add the route to ${nodesNetwork.range} by ${via}`,
                change: {
                  kind: 'wire.route',
                  intent: { site: site.name, network: front.name, to: nodesNetwork.range, via },
                },
              },
            ],
    },
  ]
}
