/** What a cluster needs towards the outside: quota, subnets, routes, packet sizes. */

import type { RawFinding } from '../../changes'
import { listText } from '../../units'
import type { Said } from '../../contract'
import type { SiteView } from '../../fleet'
import type { Check, Planned } from '../planned'
import { at, patch } from './surroundings'
import { said } from './says'

/** Load balancers, where a cloud counts them. */
function checkBalancers({ intent, site }: Planned & { readonly site: SiteView }): RawFinding[] {
  const { frontage, virtualAddresses } = intent.networks
  const used = site.balancers.length
  if (frontage === undefined && virtualAddresses === undefined) return []
  if (site.quotaBalancers === null || used + 1 <= site.quotaBalancers) return []
  const without = ['frontage', 'virtualAddresses'] as const
  return [
    {
      level: 'stop',
      rule: 'quota.balancers',
      field: 'networks.frontage',
      ...said('quota.balancers', { site: site.name, quotaBalancers: site.quotaBalancers, used }),
      because: [
        { ...said('balancers-in-use', { used, quotaBalancers: site.quotaBalancers }), ...at(site) },
      ],
      offers: [
        {
          says: 'Raise it without a load balancer',
          change: {
            patchDraft: without
              .filter((name) => intent.networks[name] !== undefined)
              .map((name) => ({ op: 'remove' as const, path: `/networks/${name}` })),
          },
        },
      ],
    },
  ]
}

/** Addresses outside for every node, where a cloud counts them. */
function checkPublicNodes({
  intent,
  site,
  machines,
}: Planned & { readonly site: SiteView }): RawFinding[] {
  if (intent.networks.nodeAddresses !== 'public') return []
  const finding = (
    level: RawFinding['level'],
    rule: string,
    what: Said,
    because: readonly Said[],
  ): RawFinding => ({
    level,
    rule,
    field: 'networks.nodeAddresses',
    ...what,
    because: because.map((fact) => ({ ...fact, ...at(site) })),
    offers: [{ says: 'Keep nodes private', change: patch('/networks/nodeAddresses', 'private') }],
  })
  if (site.kind !== 'cloud')
    return [finding('stop', 'public.site', said('public.site', { site: site.name }), [])]
  const front = site.networks.find((network) => network.role === 'frontage')
  const held = site.addresses.filter((address) => address.network === front?.name).length
  const limit = site.quotaAddresses ?? 0
  const machinesCount = machines.length
  if (held + machinesCount > limit)
    return [
      finding(
        'stop',
        'quota.addresses',
        said('quota.addresses', { site: site.name, limit, held, machinesCount }),
        [said('quota-addresses', { limit })],
      ),
    ]
  return [
    finding('caution', 'public.nodes', said('public.nodes'), [
      said('addresses-wanted', { machinesCount, front: front?.name ?? site.name }),
    ]),
  ]
}

/** Load balancers and addresses outside, where a cloud counts them. */
export const checkOutsideQuota: Check = (planned) => {
  const { site } = planned
  return site
    ? [...checkBalancers({ ...planned, site }), ...checkPublicNodes({ ...planned, site })]
    : []
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
      ...said('zone.subnet', { zones, site: site.name }),
      because: [
        {
          ...said('subnets', {
            networks: site.networks
              .filter((network) => network.zone !== undefined)
              .map((network) => `${network.zone ?? ''} ${network.range}`),
          }),
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
      ...said('mtu.link', { mtu, nodesNetwork: nodesNetwork?.name ?? 'the node network', link }),
      because: [{ ...said('mtu', { link }), ...at(site) }],
      offers: [{ says: `Use ${link}`, change: patch('/services/mtu', link) }],
    },
  ]
}

/** A virtual address network and the node network must be joined by a route. */
export const checkRoute: Check = ({ intent, site, nodesNetwork }) => {
  if (!site || site.kind !== 'hall' || !intent.networks.virtualAddresses || !nodesNetwork) return []
  const front = site.networks.find((network) =>
    intent.networks.frontage === undefined
      ? network.role === 'frontage'
      : network.name === intent.networks.frontage,
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
      ...said('route.missing', {
        front: front.name,
        nodesNetwork: nodesNetwork.name,
        range: nodesNetwork.range,
      }),
      because: [
        {
          ...said('routes', {
            front: front.name,
            routes: site.routes
              .filter((route) => route.network === front.name)
              .map((route) => `${route.to} by ${route.via}`),
          }),
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
