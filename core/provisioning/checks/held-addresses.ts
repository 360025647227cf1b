/** Addresses that a draft holds: static ones of its control plane, virtual ones in front of it. */
import { contains, intersection, parseRange } from '../../addresses'
import { type Fact, type RawFinding, unreadableRange } from '../../changes'
import type { SiteView } from '../../fleet'
import type { StaticAddresses } from '../static-addresses'
import type { Check } from '../planned'
import { patch } from './surroundings'
import { said } from './says'
import { type Said, saidOf } from '../../contract'

/** A network that the draft names, or needs, and that is not there. */
function noManagementNetwork(site: SiteView, management: string | undefined): RawFinding {
  const existing = site.networks.find((network) => network.role === 'management')
  return {
    level: 'stop',
    rule: 'network.known',
    field: 'networks.management',
    ...said('network.known', { site: site.name, management: management ?? 'for management' }),
    because: [
      {
        ...said('networks-all', { networks: site.networks.map((network) => network.name) }),
        source: site.name,
        at: site.observedAt,
      },
    ],
    offers: existing
      ? [{ says: `Use ${existing.name}`, change: patch('/networks/management', existing.name) }]
      : [],
  }
}

/** A full set of free addresses in place of those given, where there is one. */
const holdProposed = ({ proposed, wanted }: StaticAddresses): NonNullable<RawFinding['offers']> =>
  proposed.length === wanted
    ? [
        {
          says: `Hold ${proposed[0] ?? ''} and ${wanted - 1} more`,
          change: patch('/networks/staticAddresses', [...proposed]),
        },
      ]
    : []

/** What is wrong with the addresses given: each by itself, and their number. */
function objectionsTo(statics: StaticAddresses): readonly Said[] {
  const { addresses, wanted, wrong } = statics
  return addresses.length === wanted
    ? wrong
    : [said('addresses.static.count', { given: addresses.length, wanted }), ...wrong]
}

export const checkStaticAddresses: Check = ({ intent, site, statics, managementNetwork }) => {
  if (
    !site ||
    site.kind !== 'hall' ||
    intent.controlPlane.kind !== 'own' ||
    intent.machines.length > 0
  )
    return []
  if (!managementNetwork || !statics) return [noManagementNetwork(site, intent.networks.management)]
  const { proposed, wanted } = statics
  const plan: Fact = {
    ...said('one-floating-address', { count: intent.controlPlane.count }),
    source: 'address plan',
  }
  const shared = { rule: 'addresses.static', field: 'networks.staticAddresses' }
  const network = managementNetwork.name
  if (!intent.networks.staticAddresses?.length) {
    if (proposed.length < wanted)
      return [
        {
          ...shared,
          level: 'stop',
          ...said('addresses.static.too-few', { network, free: proposed.length, wanted }),
          because: [plan],
        },
      ]
    return [
      {
        ...shared,
        level: 'note',
        ...said('addresses.static.proposed', { network, proposed }),
        because: [plan],
        offers: holdProposed(statics),
      },
    ]
  }
  const wrong = objectionsTo(statics)
  if (wrong.length === 0) return []
  return [
    {
      ...shared,
      level: 'stop',
      ...said('addresses.static.wrong', { wrong: wrong.map((objection) => objection.says) }),
      because: [
        plan,
        ...wrong.slice(3, 8).map((item) => ({ ...saidOf(item), source: 'address ledger' })),
      ],
      offers: holdProposed(statics),
    },
  ]
}

export const checkVirtualAddresses: Check = ({ intent, site }) => {
  const request = intent.networks.virtualAddresses
  if (!site || request === undefined || request === '') return []
  const field = 'networks.virtualAddresses'
  const range = parseRange(request)
  if (!range.ok) return [unreadableRange('virtual.readable', field, range)]
  const network = site.networks.find((network) =>
    intent.networks.frontage === undefined
      ? network.role === 'frontage'
      : network.name === intent.networks.frontage,
  )
  const pool = network?.pool === undefined ? null : parseRange(network.pool)
  if (!network || !pool?.ok) {
    return [
      {
        level: 'stop',
        rule: 'virtual.network',
        field,
        ...said('virtual.network', {
          site: site.name,
          frontage: intent.networks.frontage ?? 'for virtual addresses',
        }),
        because: [
          {
            ...said('networks-all', {
              networks: site.networks.map((otherNetwork) => otherNetwork.name),
            }),
            source: site.name,
          },
        ],
      },
    ]
  }
  if (!contains(pool.value, range.value)) {
    return [
      {
        level: 'stop',
        rule: 'virtual.pool',
        field,
        ...said('virtual.pool', {
          wanted: request,
          pool: network.pool ?? '',
          network: network.name,
        }),
        because: [{ ...said('pool', { pool: network.pool ?? '' }), source: site.name }],
        offers: [
          {
            says: 'Leave it to the site’s pool',
            change: { patchDraft: [{ op: 'remove', path: '/networks/virtualAddresses' }] },
          },
        ],
      },
    ]
  }
  const held = site.addresses.filter((address) => {
    const entry = parseRange(address.address)
    return entry.ok && intersection(entry.value, range.value)
  })
  if (held.length === 0) return []
  return [
    {
      level: 'stop',
      rule: 'virtual.held',
      field,
      ...said('virtual.held', {
        held: held.map((address) => `${address.address} (${address.for})`),
        wanted: request,
      }),
      because: held.slice(0, 4).map((address) => ({
        ...said('address-for', { address: address.address, for: address.for }),
        source: 'address ledger',
      })),
    },
  ]
}
