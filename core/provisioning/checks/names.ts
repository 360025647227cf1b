/** Name and time servers, and the names a cluster is to have. */

import { parseRange, parseAddress } from '../../addresses'
import { type Fact, note, type Offer, type RawFinding, stop } from '../../changes'
import type { RecordView, SiteView } from '../../fleet'
import { listText } from '../../units'
import type { Check, Planned } from '../planned'
import { at, patch } from './surroundings'
import { leasesWanted } from './leases'
import { said } from './says'

/** A name of the draft and the address it must lead to; null where that is not known before the run. */
interface Wanted {
  readonly field: string
  readonly name: string | undefined
  readonly address: string | null
}

function wantedNames({ intent, statics }: Planned): readonly Wanted[] {
  const { api, ingress } = intent.names ?? {}
  const pool = intent.networks.virtualAddresses
  const isPool = pool !== undefined && parseRange(pool).ok
  const firstBox = intent.machines[0]?.address?.split('/')[0]
  return [
    { field: 'names.api', name: api, address: statics?.addresses[0] ?? firstBox ?? null },
    {
      field: 'names.ingress',
      name: ingress,
      address: isPool ? (pool.split(/[-/]/)[0]?.trim() ?? null) : null,
    },
  ]
}

/** The record that leads a name to an address in place of what it led to. */
const recordOffer = (
  short: string,
  address: string,
  values: readonly string[],
  site: SiteView,
): Offer => ({
  says: `Add the record ${short} → ${address}`,
  change: {
    kind: 'wire.record',
    intent: {
      site: site.name,
      set: [
        {
          name: short,
          type: parseAddress(address).ok && address.includes(':') ? 'AAAA' : 'A',
          ttl: 3600,
          value: address,
        },
      ],
      remove: values.map((value) => ({ name: short, type: 'A', value })),
    },
  },
})

function checkName(
  { field, name, address }: Wanted,
  site: SiteView,
  records: readonly RecordView[],
): readonly RawFinding[] {
  if (!name) return []
  if (address === null) return [note('names.later', field, said('names.later', { name }))]
  const domain = site.nameDomain
  const short = name.endsWith(`.${domain}`) ? name.slice(0, -domain.length - 1) : name
  const values = records
    .filter((record) => record.name === short && (record.type === 'A' || record.type === 'AAAA'))
    .map((record) => record.value)
  if (values.includes(address)) return []
  const isNone = values.length === 0
  return [
    stop(
      'names.resolve',
      field,
      isNone
        ? said('names.resolve.does-not-resolve', { name, address })
        : said('names.resolve.resolves-not', { name, values, address }),
      [
        {
          ...(isNone
            ? said('no-record', { short, domain })
            : said('name-record', { short, values })),
          source: `name server of ${site.name}`,
          at: site.observedAt,
        },
      ],
      [
        recordOffer(short, address, values, site),
        {
          says: 'Give it no name',
          change: { patchDraft: [{ op: 'remove', path: `/${field.replace('.', '/')}` }] },
        },
      ],
    ),
  ]
}

/** Names that are given must resolve to the addresses that will be used. */
export const checkNames: Check = (planned) => {
  const { site, intent, view } = planned
  if (!site || !intent.names) return []
  const records = view.sites
    .filter((candidate) => candidate.domain === site.domain)
    .flatMap((candidate) => candidate.records)
  return wantedNames(planned).flatMap((wanted) => checkName(wanted, site, records))
}

export const checkNameServer: Check = (planned) => {
  const { site, intent, view } = planned
  if (!site) return []
  const answering = view.sites
    .filter((otherSite) => otherSite.domain === site.domain)
    .flatMap((otherSite) =>
      otherSite.nameServers.filter((server) => server.answers).map((server) => server.address),
    )
  const existing = view.sites
    .filter((otherSite) => otherSite.domain === site.domain)
    .flatMap((otherSite) => otherSite.nameServers)
  if (existing.length === 0) return []
  const own = site.nameServers.find((server) => server.answers)?.address
  const because: Fact[] = [
    {
      ...said('name-servers-answer', { answering: [...new Set(answering)] }),
      ...at(site),
    },
  ]
  const request = intent.services?.nameServers
  if (request && request.length > 0) {
    const wrong = request.filter((address) => !answering.includes(address))
    if (wrong.length < request.length) return []
    return [
      {
        level: 'stop',
        rule: 'names.server',
        field: 'services.nameServers',
        ...said('names.server.no-name-server', { wrong }),
        because,
        offers:
          own === undefined
            ? []
            : [{ says: `Use ${own}`, change: patch('/services/nameServers', [own]) }],
      },
    ]
  }
  return [...leasesWanted(planned).keys()].flatMap((network): RawFinding[] => {
    const given = network.nameServer ?? own
    if (given === undefined || answering.includes(given)) return []
    return [
      {
        level: 'stop',
        rule: 'names.server',
        field: 'networks.nodes',
        about: `network/${site.name}/${network.name}`,
        ...said('names.server.hands-out-name', { network: network.name, given }),
        because: [
          { ...said('dhcp-option-name', { network: network.name, given }), ...at(site) },
          ...because,
        ],
        offers:
          own === undefined
            ? []
            : [
                {
                  says: `Have ${network.name} hand out ${own}`,
                  change: {
                    kind: 'site.network',
                    intent: { site: site.name, network: network.name, nameServer: own },
                  },
                },
                {
                  says: `Give the machines ${own} themselves`,
                  change: {
                    patchDraft: [
                      {
                        op: 'add',
                        path: '/services',
                        value: { ...intent.services, nameServers: [own] },
                      },
                    ],
                  },
                },
              ],
      },
    ]
  })
}

export const checkTime: Check = ({ site, intent, view }) => {
  if (!site) return []
  const all = view.sites
    .filter((otherSite) => otherSite.domain === site.domain)
    .flatMap((otherSite) =>
      otherSite.timeServers.map((server) => ({ ...server, site: otherSite.name })),
    )
  const request = intent.services?.timeServers
  const sources =
    request && request.length > 0
      ? request.map(
          (name) =>
            all.find((server) => server.name === name) ?? { name, answers: false, site: '' },
        )
      : site.timeServers
  if (sources.length === 0 || sources.some((server) => server.answers)) return []
  const others = all.filter((server) => server.answers && server.site !== site.name).slice(0, 2)
  return [
    {
      level: 'stop',
      rule: 'time.reachable',
      field: 'services.timeServers',
      ...said('time.reachable', { sources: sources.map((server) => server.name) }),
      because: [
        { ...said('no-answer', { sources: sources.map((server) => server.name) }), ...at(site) },
      ],
      offers: [
        ...(site.kind !== 'cloud' && site.timeServers.some((server) => !server.answers)
          ? [
              {
                says: `Restart the time servers of ${site.name}`,
                change: { kind: 'site.service', intent: { site: site.name, service: 'time' } },
              },
            ]
          : []),
        ...(others.length > 0
          ? [
              {
                says: `Use ${listText(others.map((server) => server.name))}`,
                change: {
                  patchDraft: [
                    {
                      op: 'add',
                      path: '/services',
                      value: {
                        ...intent.services,
                        timeServers: others.map((server) => server.name),
                      },
                    } as const,
                  ],
                },
              },
            ]
          : []),
      ],
    },
  ]
}
