/** Sites themselves: added, edited, removed. Zones, hosts and machine sizes are parts of a site. */
import { dnsLabel } from '../objects/dns-label'
import { unreadableRange } from '../changes'
import { command } from '../contract'
import { z } from 'zod'
import type { ChangeKind, RawFinding } from '../changes'
import { longestPath, ref, stop } from '../changes'
import type { FleetView, HostView, SiteView } from '../fleet'
import { bareSite, siteOf } from '../fleet'
import { intersection, parseCidr } from '../addresses'
import { siteSpend } from '../spend'
import { countText, GiB } from '../units'
import { step } from '../provisioning/steps'
import { put } from './one-step'
import { said } from './says'

export const name = z.string().max(253)

export const host = z.strictObject({
  name,
  zone: name,
  cores: z.int().min(1).max(4096),
  memoryGiB: z.number().min(1).max(65_536),
  diskGb: z.number().min(0).max(10_000_000),
  idleWatts: z.number().min(0).max(20_000).default(0),
  fullWatts: z.number().min(0).max(20_000).default(0),
})

export const size = z.strictObject({
  name,
  cores: z.int().min(1).max(4096),
  memoryGiB: z.number().min(0.5).max(65_536),
  diskGb: z.number().min(0).max(1_000_000).default(0),
  hourly: z.number().min(0).max(100_000).nullable().default(null),
  zones: z.array(name).max(50).optional(),
})

const network = z.strictObject({
  name,
  range: z.string().max(100),
  role: z.enum(['management', 'nodes', 'frontage', 'storage', 'private']),
  zone: name.exactOptional(),
  vlan: z.int().min(1).max(4094).exactOptional(),
  gateway: z.string().max(60).exactOptional(),
  dhcp: z.string().max(100).exactOptional(),
  pool: z.string().max(100).exactOptional(),
  mtu: z.int().min(576).max(9216).exactOptional(),
})

type HostWish = z.infer<typeof host>
type SizeWish = z.infer<typeof size>

export const hostView = ({ memoryGiB, ...rest }: HostWish): HostView => ({
  ...rest,
  memoryBytes: memoryGiB * GiB,
})

export const sizeView = (
  { memoryGiB, zones, ...rest }: SizeWish,
  all: readonly string[],
): SiteView['sizes'][number] => ({
  ...rest,
  memoryBytes: memoryGiB * GiB,
  zones: zones ?? all,
  soldOut: [],
})

export function checkHosts(
  hosts: readonly HostWish[],
  zones: readonly string[],
  path: string,
  taken: readonly string[],
): readonly RawFinding[] {
  return hosts.flatMap((eachHost, i) => [
    ...(dnsLabel.test(eachHost.name)
      ? []
      : [stop('host.name', `${path}[${i}].name`, said('host.name', { name: eachHost.name }))]),
    ...(taken.includes(eachHost.name) ||
    hosts.findIndex((otherHost) => otherHost.name === eachHost.name) < i
      ? [
          stop(
            'host.twice',
            `${path}[${i}].name`,
            said('host.twice', { name: eachHost.name }),
            [],
            [
              {
                says: `Call it ${eachHost.name}-2`,
                change: put(`/${path}/${i}/name`, `${eachHost.name}-2`),
              },
            ],
          ),
        ]
      : []),
    ...(zones.includes(eachHost.zone)
      ? []
      : [
          stop(
            'zone.known',
            `${path}[${i}].zone`,
            said('zone.known.there-no-zone', { zone: eachHost.zone || '(none given)', zones }),
            [],
            zones
              .slice(0, 2)
              .map((zone) => ({ says: `Use ${zone}`, change: put(`/${path}/${i}/zone`, zone) })),
          ),
        ]),
    ...(eachHost.fullWatts < eachHost.idleWatts
      ? [
          stop(
            'host.power',
            `${path}[${i}].fullWatts`,
            said('host.power', {
              name: eachHost.name,
              fullWatts: eachHost.fullWatts,
              idleWatts: eachHost.idleWatts,
            }),
            [],
            [
              {
                says: 'Turn them round',
                change: {
                  patchDraft: [
                    { op: 'replace', path: `/${path}/${i}/fullWatts`, value: eachHost.idleWatts },
                    { op: 'replace', path: `/${path}/${i}/idleWatts`, value: eachHost.fullWatts },
                  ],
                },
              },
            ],
          ),
        ]
      : []),
  ])
}

export function checkSizes(
  sizes: readonly SizeWish[],
  zones: readonly string[],
  path: string,
): readonly RawFinding[] {
  return sizes.flatMap((eachSize, i) => [
    ...(dnsLabel.test(eachSize.name)
      ? []
      : [stop('size.name', `${path}[${i}].name`, said('size.name', { name: eachSize.name }))]),
    ...(sizes.findIndex((otherSize) => otherSize.name === eachSize.name) < i
      ? [stop('size.twice', `${path}[${i}].name`, said('size.twice', { name: eachSize.name }))]
      : []),
    ...(eachSize.zones ?? [])
      .filter((zone) => !zones.includes(zone))
      .map((zone) =>
        stop(
          'zone.known',
          `${path}[${i}].zones`,
          said('zone.known.there-no-zone', { zone, zones }),
        ),
      ),
  ])
}

// Add

const addIntent = z.strictObject({
  name,
  title: z.string().max(120).default(''),
  kind: z.enum(['hall', 'cloud', 'edge']),
  arch: z.enum(['x86-64', 'arm64']).default('x86-64'),
  domain: name,
  nameDomain: name.default(''),
  connected: z.boolean().default(true),
  zones: z.array(name).max(50).default([]),
  overcommit: z.number().min(1).max(16).default(1),
  reservePerZone: z.int().min(0).max(100).default(0),
  quotaCores: z.int().min(0).max(1_000_000).nullable().default(null),
  hosts: z.array(host).max(2000).default([]),
  sizes: z.array(size).max(200).default([]),
  networks: z.array(network).max(200).default([]),
  nameServers: z.array(z.string().max(60)).max(10).default([]),
  timeServers: z.array(name).max(10).default([]),
})

type AddIntent = z.infer<typeof addIntent>

/** What costs are reckoned by: those of a site of the same kind, else of any. */
const pricesLike = (view: FleetView, kind: SiteView['kind']): SiteView['prices'] =>
  (view.sites.find((site) => site.kind === kind) ?? view.sites[0])?.prices ??
  bareSite('', kind, '').prices

const siteOfIntent = (intent: AddIntent, view: FleetView): SiteView => ({
  ...bareSite(intent.name, intent.kind, intent.domain),
  title: intent.title || intent.name,
  arch: intent.arch,
  connected: intent.connected,
  nameDomain: intent.nameDomain,
  zones: intent.zones,
  overcommit: intent.overcommit,
  reservePerZone: intent.reservePerZone,
  quotaCores: intent.quotaCores,
  hosts: intent.hosts.map(hostView),
  sizes: intent.sizes.map((eachSize) => sizeView(eachSize, intent.zones)),
  networks: intent.networks,
  nameServers: intent.nameServers.map((address) => ({ address, answers: true })),
  timeServers: intent.timeServers.map((server) => ({ name: server, answers: true })),
  managedTiers: intent.kind === 'cloud' ? [{ tier: 'plain', hourly: 0, availability: null }] : [],
  prices: pricesLike(view, intent.kind),
  observedAt: view.now,
})

function checkSiteName(name: string, view: FleetView): readonly RawFinding[] {
  const findings: RawFinding[] = []
  if (!dnsLabel.test(name))
    findings.push(
      stop(
        'site.name',
        'name',
        name === '' ? said('site.name.site-no-name') : said('site.name.no-site-name', { name }),
      ),
    )
  if (view.sites.some((site) => site.name === name))
    findings.push(
      stop(
        'site.taken',
        'name',
        said('site.taken', { name }),
        [{ ...said('sites', { sites: view.sites.map((site) => site.name) }), source: 'fleet' }],
        [{ says: `Call it ${name}-2`, change: put('/name', `${name}-2`) }],
      ),
    )
  return findings
}

function checkDomain(domain: string, view: FleetView): readonly RawFinding[] {
  if (domain !== '') return []
  const existing = [...new Set(view.sites.map((site) => site.domain))]
  return [
    stop(
      'domain.named',
      'domain',
      said('domain.named'),
      [],
      existing
        .slice(0, 2)
        .map((candidate) => ({ says: `Use ${candidate}`, change: put('/domain', candidate) })),
    ),
  ]
}

function checkZonesGiven({ name, zones }: AddIntent): readonly RawFinding[] {
  if (zones.length > 0) return []
  const first = `${name}-a`
  return [
    stop(
      'zone.none',
      'zones',
      said('zone.none.site-least-one'),
      [],
      name === '' ? [] : [{ says: `Give it ${first}`, change: put('/zones', [first]) }],
    ),
  ]
}

/** Only a hall has hosts of its own, and a hall without any makes no machine. */
function checkHostKind({ name, kind, hosts }: AddIntent): readonly RawFinding[] {
  if (kind === 'hall')
    return hosts.length > 0
      ? []
      : [{ level: 'note', rule: 'host.none', field: 'hosts', ...said('host.none'), because: [] }]
  if (hosts.length === 0) return []
  return [
    stop(
      'host.site',
      'hosts',
      said('host.site.only-hall-hosts', { name, kind }),
      [],
      [{ says: 'Leave them out', change: put('/hosts', []) }],
    ),
  ]
}

/** The network `networks[index]` has a range that nobody else has in its routing domain. */
function checkNewNetwork(
  { domain, networks }: AddIntent,
  index: number,
  view: FleetView,
): readonly RawFinding[] {
  const network = networks[index]
  if (!network) return []
  const field = `networks[${index}].range`
  const range = parseCidr(network.range)
  if (!range.ok) return [unreadableRange('range.readable', field, range)]
  const taken = [
    ...view.ledger.filter((entry) => entry.domain === domain && entry.kind !== 'peer'),
    ...networks.slice(0, index),
  ]
  const clash = taken.filter((entry) => {
    const candidate = parseCidr(entry.range)
    return candidate.ok && intersection(candidate.value, range.value)
  })
  if (clash.length === 0) return []
  return [
    stop(
      'range.overlap',
      field,
      said('range.overlap', {
        range: network.range,
        clash: clash.map((entry) => `${entry.name} (${entry.range})`),
      }),
      [{ ...said('domain', { domain }), source: 'address ledger' }],
    ),
  ]
}

export const siteAdd: ChangeKind<AddIntent> = {
  name: 'site.add',
  title: 'Add a site',
  intent: addIntent,
  needs: (intent) => ['ledger', 'names', 'prices', `site:${intent.name}`],
  subjects: (intent) => [ref('site', intent.name)],
  guardedBy: () => null,
  label: (intent) => `add site ${intent.name || '(unnamed)'}`,
  check: (intent, view) => [
    ...checkSiteName(intent.name, view),
    ...checkDomain(intent.domain, view),
    ...checkZonesGiven(intent),
    ...checkHosts(intent.hosts, intent.zones, 'hosts', []),
    ...checkSizes(intent.sizes, intent.zones, 'sizes'),
    ...checkHostKind(intent),
    ...intent.networks.flatMap((_, i) => checkNewNetwork(intent, i, view)),
  ],
  plan: (intent, view) => {
    const steps = [
      step({
        id: 'add',
        after: [],
        group: intent.name,
        says: `enter ${intent.name}: ${countText(intent.zones.length, 'zone')}, ${countText(intent.hosts.length, 'host')}, ${intent.networks.length} networks`,
        command: command('site.add', {
          name: intent.name,
          definition: {
            ...siteOfIntent(intent, view),
            sizes: intent.sizes.map((eachSize) => sizeView(eachSize, intent.zones)),
          },
        }),
        undo: command('site.remove', { site: intent.name }),
        seconds: { likely: 15, worst: 40 },
      }),
    ]
    return {
      steps,
      creates: [ref('site', intent.name)],
      alters: [],
      removes: [],
      ...longestPath(steps),
      spend: { before: 0, after: siteSpend(siteOfIntent(intent, view)).perMonth },
      reserves: [{ kind: 'name', site: intent.name, what: intent.name }],
    }
  },
  after: (intent, view) => ({ ...view, sites: [...view.sites, siteOfIntent(intent, view)] }),
  prove: (intent, view) => {
    const site = siteOf(view, intent.name)
    return [
      {
        says: 'The site is there as drafted',
        holds:
          site !== undefined &&
          site.zones.length === intent.zones.length &&
          site.hosts.length === intent.hosts.length,
        observed: site
          ? `${countText(site.zones.length, 'zone')}, ${countText(site.hosts.length, 'host')}, ${site.networks.length} networks`
          : 'not listed',
      },
    ]
  },
}
