/** Networks of a site and the routes between them. */
import { unreadableRange } from '../changes'
import { command } from '../contract'
import { z } from 'zod'
import { type RawFinding, ref, stop } from '../changes'
import {
  contains,
  formatRange,
  intersection,
  parseAddress,
  parseCidr,
  parseRange,
  type Range,
  sizeOf,
} from '../addresses'
import type { FleetView, NetworkView, SiteView } from '../fleet'
import { oneStep, put, seen } from './one-step'
import { said } from './says'
import { quoted } from '../contract'

const name = z.string().max(253)
const range = z.string().max(100)

export const siteNetworkIntent = z.strictObject({
  site: name,
  network: name,
  range: range.optional(),
  role: z.enum(['management', 'nodes', 'frontage', 'storage', 'private']).optional(),
  zone: name.optional(),
  vlan: z.int().min(1).max(4094).optional(),
  gateway: range.optional(),
  dhcp: range.optional(),
  pool: range.optional(),
  mtu: z.int().min(576).max(9216).optional(),
  nameServer: range.optional(),
  remove: z.boolean().default(false),
})

export type SiteNetworkIntent = z.infer<typeof siteNetworkIntent>

/** The network as the draft would leave it. */
function wanted(intent: SiteNetworkIntent, site: SiteView): NetworkView | null {
  const was = site.networks.find((network) => network.name === intent.network)
  const { site: _site, network, remove: _remove, range: given, role, ...rest } = intent
  const parts = Object.fromEntries(
    Object.entries(rest).filter(([, value]) => value !== undefined && value !== ''),
  )
  const text = given ?? was?.range
  if (text === undefined) return null
  return { ...was, ...parts, name: network, range: text, role: role ?? was?.role ?? 'private' }
}

type Because = RawFinding['because']

/** What stands against removing a network: it is not there, or something holds an address in it. */
function checkRemoved(name: string, site: SiteView, because: Because): readonly RawFinding[] {
  if (!site.networks.some((network) => network.name === name))
    return [
      stop(
        'network.known',
        'network',
        said('network.known.no-network', { site: site.name, network: name }),
        because,
      ),
    ]
  const held = site.addresses.filter((address) => address.network === name)
  if (held.length === 0) return []
  return [
    stop(
      'network.used',
      'network',
      said('network.used', {
        network: name,
        held: held.map((address) => `${address.address} for ${address.for}`),
      }),
      because,
    ),
  ]
}

/** What else holds a part of the range in the same routing domain. */
function checkOverlap(
  network: NetworkView,
  block: Range,
  site: SiteView,
  view: FleetView,
): readonly RawFinding[] {
  const clash = view.ledger.filter((entry) => {
    const isItself = entry.holder === site.name && entry.name === network.name
    if (entry.domain !== site.domain || isItself) return false
    const candidate = parseRange(entry.range)
    if (!candidate.ok || !intersection(candidate.value, block)) return false
    // A block entered by hand that holds the whole network is what it was cut from.
    return !(entry.kind === 'peer' && contains(candidate.value, block))
  })
  if (clash.length === 0) return []
  return [
    stop(
      'range.overlap',
      'range',
      said('range.overlap', {
        range: network.range,
        clash: clash.map((entry) => `${entry.name} (${entry.range})`),
      }),
      [{ ...said('domain', { domain: site.domain }), source: 'address ledger' }],
    ),
  ]
}

/** Gateway, DHCP range and pool are ranges within the network. */
function checkParts(network: NetworkView, block: Range, because: Because): readonly RawFinding[] {
  return (['gateway', 'dhcp', 'pool'] as const).flatMap((field) => {
    const text = network[field]
    if (text === undefined) return []
    const parsed = parseRange(text)
    if (!parsed.ok) return [stop('range.readable', field, quoted('range.unreadable', parsed.says))]
    if (contains(block, parsed.value)) return []
    const { name, range } = network
    return [
      stop('range.inside', field, said('range.inside', { text, network: name, range }), because),
    ]
  })
}

/** The name server that is handed out answers, somewhere in the routing domain. */
function checkNameServer(
  nameServer: string | undefined,
  site: SiteView,
  view: FleetView,
): readonly RawFinding[] {
  if (nameServer === undefined) return []
  if (!parseAddress(nameServer).ok)
    return [
      stop('name-server.readable', 'nameServer', said('name-server.readable', { nameServer })),
    ]
  const answers = view.sites.some(
    (candidate) =>
      candidate.domain === site.domain &&
      candidate.nameServers.some((server) => server.address === nameServer && server.answers),
  )
  if (answers) return []
  const good = site.nameServers.filter((server) => server.answers)
  return [
    stop(
      'name-server.answers',
      'nameServer',
      said('name-server.answers', { nameServer }),
      [seen(site, said('name-servers-answer', { good: good.map((server) => server.address) }))],
      good.slice(0, 1).map((server) => ({
        says: `Hand out ${server.address}`,
        change: put('/nameServer', server.address),
      })),
    ),
  ]
}

const rangeOf = (text: string | undefined): Range | null => {
  const parsed = text === undefined ? null : parseRange(text)
  return parsed?.ok ? parsed.value : null
}

/** What is leased lies apart from virtual addresses and from what is held for good. */
function checkLeases(network: NetworkView, site: SiteView): readonly RawFinding[] {
  const findings: RawFinding[] = []
  const dhcp = rangeOf(network.dhcp)
  const pool = rangeOf(network.pool)
  if (!dhcp) return findings
  if (pool && intersection(dhcp, pool))
    findings.push(
      stop(
        'range.dhcp-pool',
        'pool',
        said('range.dhcp-pool', { pool: network.pool ?? '', dhcp: network.dhcp ?? '' }),
      ),
    )
  const held = site.addresses.filter((address) => {
    const own = rangeOf(address.address)
    return (
      address.how !== 'dhcp' &&
      address.network === network.name &&
      own !== null &&
      contains(dhcp, own)
    )
  })
  if (held.length > 0)
    findings.push(
      stop(
        'range.dhcp-held',
        'dhcp',
        said('range.dhcp-held', {
          held: held.map((address) => `${address.address} (${address.for})`),
        }),
        [
          {
            ...said('static-holdings', { heldCount: held.length, dhcp: network.dhcp ?? '' }),
            source: 'address ledger',
          },
        ],
      ),
    )
  return findings
}

function checkNetwork(
  intent: SiteNetworkIntent,
  site: SiteView,
  view: FleetView,
): readonly RawFinding[] {
  const because = [
    seen(
      site,
      said('networks', {
        networks: site.networks.map((network) => `${network.name} ${network.range}`),
      }),
    ),
  ]
  if (intent.network.trim() === '')
    return [stop('network.name', 'network', said('network.name'), because)]
  if (intent.remove) return checkRemoved(intent.network, site, because)
  const network = wanted(intent, site)
  if (!network)
    return [
      stop(
        'network.range',
        'range',
        said('network.range', { network: intent.network, site: site.name }),
        because,
      ),
    ]
  const block = parseCidr(network.range)
  if (!block.ok)
    return [
      unreadableRange('range.readable', 'range', block, [
        { ...said('range-address-prefix'), source: 'RFC 4632' },
      ]),
    ]
  return [
    ...checkOverlap(network, block.value, site, view),
    ...checkParts(network, block.value, because),
    ...checkNameServer(network.nameServer, site, view),
    ...checkLeases(network, site),
  ]
}

export const siteNetwork = oneStep({
  name: 'site.network',
  title: 'Add, alter or remove a network',
  intent: siteNetworkIntent,
  label: (intent) =>
    `${intent.remove ? 'remove' : 'set'} network ${intent.network} at ${intent.site}`,
  site: (intent) => intent.site,
  subject: (intent) => ref('network', intent.site, intent.network),
  check: checkNetwork,
  says: (intent, site) => {
    const network = wanted(intent, site)
    return intent.remove
      ? `remove ${intent.network}`
      : `set ${intent.network}: ${[network?.range, network?.dhcp && `DHCP ${network.dhcp}`, network?.pool && `pool ${network.pool}`, network?.nameServer && `name server ${network.nameServer}`].filter(Boolean).join(', ')}`
  },
  command: (intent, site) => {
    const network = wanted(intent, site)
    return intent.remove || !network
      ? command('network.remove', { site: site.name, name: intent.network })
      : command('network.set', { site: site.name, network })
  },
  undo: (intent, site) => {
    const was = site.networks.find((network) => network.name === intent.network)
    return was
      ? command('network.set', { site: site.name, network: was })
      : command('network.remove', { site: site.name, name: intent.network })
  },
  seconds: { likely: 12, worst: 40 },
  after: (intent, site) => {
    const network = wanted(intent, site)
    const others = site.networks.filter((otherNetwork) => otherNetwork.name !== intent.network)
    return { ...site, networks: intent.remove || !network ? others : [...others, network] }
  },
  prove: (intent, site) => {
    const network = site?.networks.find((network) => network.name === intent.network)
    return intent.remove
      ? [
          {
            says: `${intent.network} is gone`,
            holds: network === undefined,
            observed: network ? network.range : 'not listed',
          },
        ]
      : [
          {
            says: `${intent.network} is as drafted`,
            holds:
              network !== undefined &&
              (intent.dhcp === undefined || network.dhcp === intent.dhcp) &&
              (intent.nameServer === undefined || network.nameServer === intent.nameServer) &&
              (intent.range === undefined || network.range === intent.range),
            observed: network
              ? [network.range, network.dhcp, network.nameServer].filter(Boolean).join(', ')
              : 'not listed',
          },
        ]
  },
})

/** A wider DHCP range of a network: as many more free addresses as it has now in all, as far as nothing static stands in the way; null if there is none. */
export function widerDhcp(network: NetworkView, site: SiteView): string | null {
  const block = parseCidr(network.range)
  const now = network.dhcp === undefined ? null : parseRange(network.dhcp)
  if (!block.ok || !now?.ok) return null
  const fixed = site.addresses
    .filter((address) => address.network === network.name && address.how !== 'dhcp')
    .flatMap((address) => {
      const entry = parseRange(address.address)
      return entry.ok ? [entry.value.first] : []
    })
  const pool = network.pool === undefined ? null : parseRange(network.pool)
  const gateway = network.gateway === undefined ? null : parseRange(network.gateway)
  const taken = (value: bigint): boolean =>
    fixed.includes(value) ||
    (pool?.ok === true && pool.value.first <= value && value <= pool.value.last) ||
    (gateway?.ok === true && gateway.value.first === value)
  const leased = new Set(
    site.addresses
      .filter((address) => address.network === network.name && address.how === 'dhcp')
      .flatMap((address) => {
        const entry = parseRange(address.address)
        return entry.ok ? [entry.value.first] : []
      }),
  )
  const size = sizeOf(now.value)
  let gained = 0n
  let { first, last } = now.value
  const gain = (value: bigint): void => {
    if (!leased.has(value)) gained++
  }
  while (last + 1n < block.value.last && gained < size && !taken(last + 1n)) gain(++last)
  while (first - 1n > block.value.first && gained < size && !taken(first - 1n)) gain(--first)
  return gained > 0n ? formatRange({ family: block.value.family, first, last }) : null
}
