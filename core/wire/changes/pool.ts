/** The addresses that a site gives to services: `wire.pool`. */
import { unreadableRange } from '../../changes'
import { command } from '../../contract'
import { z } from 'zod'
import {
  contains,
  enclosingBlock,
  formatAddress,
  formatRange,
  intersection,
  lowestFreeBlock,
  parseCidr,
  parseRange,
  type Range,
  sizeOf,
} from '../../addresses'
import { type Offer, type RawFinding, ref, stop } from '../../changes'
import type { FleetView, NetworkView, SiteView } from '../../fleet'
import { oneStep, seen } from '../../ground/one-step'
import { said } from './says'

export const poolIntent = z.strictObject({ site: z.string().max(253), pool: z.string().max(100) })
export type PoolIntent = z.infer<typeof poolIntent>

export const frontage = (site: SiteView): NetworkView | undefined =>
  site.networks.find((network) => network.role === 'frontage')

/** Where blocks for a frontage are looked for. */
const nurseries = ['10.0.0.0/8', '172.16.0.0/12', '192.168.0.0/16']
const frontagePrefix = 25

/** What is taken in the routing domain of a site. */
const takenAt = (site: SiteView, view: FleetView): readonly Range[] =>
  view.ledger
    .filter((entry) => entry.domain === site.domain)
    .flatMap((entry) => {
      const range = parseRange(entry.range)
      return range.ok ? [range.value] : []
    })

/** The upper half of the lowest free block that a frontage could have; null where there is none. */
function freePool(taken: readonly Range[]): string | null {
  const block = nurseries
    .map((text) => parseCidr(text))
    .flatMap((cidr) => (cidr.ok ? [lowestFreeBlock(cidr.value, taken, frontagePrefix)] : []))
    .find((free) => free !== null)
  if (!block) return null
  const half = (block.last - block.first + 1n) / 2n
  const [first, last] = [block.first + half, block.last - 1n].map((value) =>
    formatAddress({ family: 4, value }),
  )
  return `${first}-${last}`
}

/**
 * Against a site without a frontage: the block around the pool that is asked for is offered as one, where it is free in
 * the routing domain; else a free pool, around which there is such a block.
 */
function withoutFrontage(
  intent: PoolIntent,
  site: SiteView,
  view: FleetView,
): readonly RawFinding[] {
  const taken = takenAt(site, view)
  const asked = parseRange(intent.pool)
  const around =
    asked.ok && asked.value.family === 4 ? enclosingBlock([asked.value], frontagePrefix) : null
  const clash = around && taken.some((range) => intersection(range, around))
  const free = freePool(taken)
  const useFree: readonly Offer[] =
    free === null
      ? []
      : [
          {
            says: `Use ${free}`,
            change: { patchDraft: [{ op: 'replace', path: '/pool', value: free }] },
          },
        ]
  const because = [
    seen(site, said('networks', { networks: site.networks.map((network) => network.name) })),
  ]
  const network = stop(
    'pool.network',
    'site',
    said('pool.network', { site: site.name }),
    because,
    around === null || clash === true
      ? []
      : [
          {
            says: `Add ${formatRange(around)} to ${site.name} as its frontage`,
            change: {
              kind: 'site.network',
              intent: {
                site: site.name,
                network: `${site.name} frontage`,
                range: formatRange(around),
                role: 'frontage',
                pool: intent.pool,
              },
            },
          },
        ],
  )
  if (!asked.ok)
    return [network, { ...unreadableRange('pool.readable', 'pool', asked), offers: useFree }]
  return clash === true
    ? [
        network,
        stop('pool.taken', 'pool', said('pool.taken', { pool: intent.pool }), because, useFree),
      ]
    : [network]
}

/** The frontage of a site whose draft has passed its check: it has one. */
function existingFrontage(site: SiteView): NetworkView {
  const network = frontage(site)
  if (!network) throw new Error('a plan is made only for a site with a frontage')
  return network
}

export interface PoolFill {
  readonly network: string
  readonly pool: string
  readonly size: number
  readonly used: number
}

/** How full the pool of virtual addresses is; null where a site offers none. */
export function poolFill(site: SiteView): PoolFill | null {
  const network = frontage(site)
  const text = network?.pool ?? network?.range
  const range = text === undefined ? null : parseRange(text)
  if (!network || text === undefined || !range?.ok) return null
  const whole = network.pool === undefined ? 2n : 0n
  const used = new Set(
    [
      ...site.balancers.map((balancer) => balancer.address),
      ...site.addresses.filter((held) => held.how === 'virtual').map((held) => held.address),
    ].filter((address) => within(range.value, address)),
  )
  return {
    network: network.name,
    pool: text,
    size: Number(sizeOf(range.value) - whole),
    used: used.size,
  }
}

function within(range: Range, address: string): boolean {
  const entry = parseRange(address)
  return entry.ok && contains(range, entry.value)
}

export const wirePool = oneStep<PoolIntent>({
  name: 'wire.pool',
  title: 'Set the pool of virtual addresses',
  intent: poolIntent,
  label: (intent) => `pool of ${intent.site || 'a site'}: ${intent.pool || 'nothing yet'}`,
  site: (intent) => intent.site,
  subject: (intent) => ref('network', intent.site, 'virtual-addresses'),
  check: (intent, site, view): readonly RawFinding[] => {
    const network = frontage(site)
    if (!network) return withoutFrontage(intent, site, view)
    const range = parseRange(intent.pool)
    if (!range.ok) return [unreadableRange('pool.readable', 'pool', range)]
    const whole = parseRange(network.range)
    const findings: RawFinding[] = []
    if (whole.ok && !contains(whole.value, range.value))
      findings.push(
        stop(
          'pool.inside',
          'pool',
          said('pool.inside', { pool: intent.pool, network: network.name, range: network.range }),
          [seen(site, said('network', { network: network.name, range: network.range }))],
        ),
      )
    const dhcp = network.dhcp === undefined ? null : parseRange(network.dhcp)
    const shared = dhcp?.ok ? intersection(dhcp.value, range.value) : null
    if (shared)
      findings.push(
        stop(
          'pool.dhcp',
          'pool',
          said('pool.dhcp', {
            network: network.name,
            first: formatAddress({ family: shared.family, value: shared.first }),
            last: formatAddress({ family: shared.family, value: shared.last }),
          }),
          [seen(site, said('dhcp', { dhcp: network.dhcp ?? '' }))],
        ),
      )
    if (network.gateway !== undefined && within(range.value, network.gateway))
      findings.push(
        stop('pool.gateway', 'pool', said('pool.gateway', { gateway: network.gateway }), [
          seen(site, said('gateway', { gateway: network.gateway })),
        ]),
      )
    const statics = site.addresses.filter(
      (held) =>
        held.network === network.name &&
        held.how !== 'virtual' &&
        within(range.value, held.address),
    )
    if (statics.length > 0)
      findings.push(
        stop(
          'pool.held',
          'pool',
          said('pool.held', {
            statics: statics.map((held) => `${held.address} (${held.for})`),
          }),
          [seen(site, said('addresses', { addresses: statics.length }))],
        ),
      )
    const outside = site.balancers.filter(
      (balancer) =>
        whole.ok && within(whole.value, balancer.address) && !within(range.value, balancer.address),
    )
    if (outside.length > 0)
      findings.push({
        level: 'caution',
        rule: 'pool.used',
        field: 'pool',
        ...said('pool.used', {
          outside: outside.map((entry) => `${entry.address} (${entry.service})`),
        }),
        because: [seen(site, said('addresses', { addresses: outside.length }))],
      })
    if (!site.routes.some((route) => route.network === network.name) && site.kind === 'hall')
      findings.push({
        level: 'note',
        rule: 'pool.route',
        field: 'pool',
        ...said('pool.route', { network: network.name }),
        because: [seen(site, said('routes', { routesCount: site.routes.length }))],
      })
    return findings
  },
  says: (intent, site) => `${frontage(site)?.name ?? ''} gives ${intent.pool} to services`,
  command: (intent, site) =>
    command('network.set', {
      site: site.name,
      network: { ...existingFrontage(site), pool: intent.pool },
    }),
  undo: (_intent, site) =>
    command('network.set', { site: site.name, network: existingFrontage(site) }),
  seconds: { likely: 12, worst: 30 },
  after: (intent, site) => ({
    ...site,
    networks: site.networks.map((network) =>
      network === frontage(site) ? { ...network, pool: intent.pool } : network,
    ),
  }),
  prove: (intent, site) => {
    const pool = site ? frontage(site)?.pool : undefined
    return [
      {
        says: 'the pool is as it was to become',
        holds: pool === intent.pool,
        observed: pool ?? 'none',
      },
    ]
  },
})
