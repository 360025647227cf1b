/** Name and time servers, and the names a cluster is to have. */

import { parseRange, parseAddress } from '../../addresses'
import type { Fact, RawFinding } from '../../changes'
import { listText } from '../../units'
import type { Check } from '../planned'
import { at, patch } from './surroundings'
import { leasesWanted } from './leases'
import { said } from './says'

/** Names that are given must resolve to the addresses that will be used. */
export const checkNames: Check = ({ site, intent, statics, view }) => {
  if (!site || !intent.names) return []
  const virtual =
    intent.networks.virtualAddresses === undefined
      ? null
      : parseRange(intent.networks.virtualAddresses)
  const firstBox = intent.machines[0]?.address?.split('/')[0]
  const wants = [
    {
      field: 'names.api',
      name: intent.names.api,
      address: statics?.addresses[0] ?? firstBox ?? null,
    },
    {
      field: 'names.ingress',
      name: intent.names.ingress,
      address: virtual?.ok
        ? (intent.networks.virtualAddresses?.split(/[-/]/)[0]?.trim() ?? null)
        : null,
    },
  ]
  const domain = site.nameDomain
  return wants.flatMap(({ field, name, address }): RawFinding[] => {
    if (!name) return []
    const short = name.endsWith(`.${domain}`) ? name.slice(0, -domain.length - 1) : name
    const records = view.sites
      .filter((otherSite) => otherSite.domain === site.domain)
      .flatMap((otherSite) => otherSite.records)
    const matches = records
      .filter((record) => record.name === short && (record.type === 'A' || record.type === 'AAAA'))
      .map((record) => record.value)
    if (address === null)
      return [
        {
          level: 'note',
          rule: 'names.later',
          field,
          ...said('names.later', { name }),
          because: [],
        },
      ]
    if (matches.includes(address)) return []
    return [
      {
        level: 'stop',
        rule: 'names.resolve',
        field,
        ...(matches.length === 0
          ? said('names.resolve.does-not-resolve', { name, address })
          : said('names.resolve.resolves-not', { name, values: matches, address })),
        because: [
          {
            ...(matches.length === 0
              ? said('no-record', { short, domain })
              : said('name-record', { short, values: matches })),
            source: `name server of ${site.name}`,
            at: site.observedAt,
          },
        ],
        offers: [
          {
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
                remove: matches.map((value) => ({ name: short, type: 'A', value })),
              },
            },
          },
          {
            says: 'Give it no name',
            change: { patchDraft: [{ op: 'remove', path: `/${field.replace('.', '/')}` }] },
          },
        ],
      },
    ]
  })
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
