/** Pod, service and node ranges; static and virtual addresses. */
import type { RawFinding } from '../../changes'
import {
  clusterRanges,
  type Cidr,
  contains,
  formatRange,
  intersection,
  lowestFreeBlock,
  parseCidr,
  parseRange,
  type Range,
} from '../../addresses'
import { listText, numberText } from '../../units'
import type { Check, Planned } from '../planned'

const ends = ['pods', 'services'] as const

const replaceRange = (end: 'pods' | 'services', range: string) => ({
  says: `Use ${range}`,
  change: { patchDraft: [{ op: 'replace', path: `/ranges/${end}`, value: range } as const] },
})

interface Holder {
  readonly name: string
  readonly range: Range
}

/** Everything that holds addresses in the site's routing domain, this draft's own ranges left out. */
function holders({ view, site, intent }: Planned): readonly Holder[] {
  if (!site) return []
  const read = (name: string, text: string): readonly Holder[] => {
    const range = parseRange(text)
    return range.ok ? [{ name, range: range.value }] : []
  }
  const entered = view.ledger.filter(
    (entry) => entry.domain === site.domain && entry.holder !== intent.name,
  )
  // A running change’s ranges are reserved, and soon after in the ledger too: named once.
  const reserved = view.reservations.filter(
    (taken) =>
      taken.kind === 'range' &&
      taken.domain === site.domain &&
      !entered.some((entry) => entry.range === taken.what),
  )
  return [
    ...entered.flatMap((entry) => read(entry.name, entry.range)),
    ...reserved.flatMap((taken) => read('a running change', taken.what)),
  ]
}

/** Where ranges for clusters are looked for, in this order. */
const nurseries = ['10.128.0.0/10', '10.112.0.0/12', '10.0.0.0/8', '172.16.0.0/12', 'fd00::/8']

function freeLike(wish: Cidr, taken: readonly Range[]): string | null {
  for (const text of nurseries) {
    const nursery = parseCidr(text)
    if (!nursery.ok || nursery.value.family !== wish.family || nursery.value.prefix > wish.prefix)
      continue
    const block = lowestFreeBlock(nursery.value, taken, wish.prefix)
    if (block) return formatRange(block)
  }
  return null
}

export const checkRanges: Check = (planned) => {
  const { intent, machines, site } = planned
  const findings: RawFinding[] = []
  const parsed = {
    pods: parseCidr(intent.ranges.pods),
    services: parseCidr(intent.ranges.services),
  }
  const taken = holders(planned)
  for (const end of ends) {
    const result = parsed[end]
    if (result.ok) continue
    const fallback = freeLike(
      { family: 4, first: 0n, last: 0n, prefix: end === 'pods' ? 18 : 20 },
      [
        ...taken.map((holder) => holder.range),
        ...ends.flatMap((other) => (parsed[other].ok ? [parsed[other].value] : [])),
      ],
    )
    const suggestion = result.suggest ?? fallback
    findings.push({
      level: 'stop',
      rule: 'range.readable',
      field: `ranges.${end}`,
      says: result.says,
      because: [
        { says: 'a range is an address and a prefix length, host bits clear', source: 'RFC 4632' },
      ],
      offers: suggestion === null ? [] : [replaceRange(end, suggestion)],
    })
  }
  const { pods, services } = parsed
  if (pods.ok && services.ok && pods.value.family !== services.value.family) {
    const free = freeLike(
      {
        family: pods.value.family,
        first: 0n,
        last: 0n,
        prefix: pods.value.family === 4 ? 20 : 108,
      },
      [...taken.map((holder) => holder.range), pods.value],
    )
    findings.push({
      level: 'stop',
      rule: 'range.family',
      field: 'ranges.services',
      says: `Pods are IPv${pods.value.family} and services IPv${services.value.family}: neither would reach the other.`,
      because: [
        { says: `pods ${intent.ranges.pods}, services ${intent.ranges.services}`, source: 'draft' },
      ],
      offers: free === null ? [] : [replaceRange('services', free)],
    })
  }
  if (
    pods.ok &&
    pods.value.family === 6 &&
    site &&
    site.networks.length > 0 &&
    site.networks.every((network) => !network.range.includes(':'))
  ) {
    const free = freeLike({ family: 4, first: 0n, last: 0n, prefix: 18 }, [
      ...taken.map((holder) => holder.range),
      ...(services.ok ? [services.value] : []),
    ])
    findings.push({
      level: 'stop',
      rule: 'range.ipv4',
      field: 'ranges.pods',
      says: `${site.name} has IPv4 networks only: packets of IPv6 pods would not leave their nodes.`,
      because: [
        {
          says: `networks: ${listText(
            site.networks.map((network) => network.range),
            4,
          )}`,
          source: site.name,
          at: site.observedAt,
        },
      ],
      offers: free === null ? [] : [replaceRange('pods', free)],
    })
  }
  ends.forEach((end) => {
    const mine = parsed[end]
    if (!mine.ok) return
    const other = end === 'pods' ? parsed.services : parsed.pods
    const clashes = taken.filter((holder) => intersection(holder.range, mine.value))
    const own = other.ok && intersection(other.value, mine.value) !== null
    if (clashes.length === 0 && !(own && end === 'services')) return
    const avoid = [...taken.map((holder) => holder.range), ...(other.ok ? [other.value] : [])]
    const free = freeLike(mine.value, avoid)
    const names = [
      ...clashes.map((holder) => `${holder.name} (${formatRange(holder.range)})`),
      ...(own && end === 'services' ? ['this draft’s pods'] : []),
    ]
    findings.push({
      level: 'stop',
      rule: 'range.overlap',
      field: `ranges.${end}`,
      says: `${end === 'pods' ? 'Pod' : 'Service'} range ${intent.ranges[end]} overlaps ${listText(names, 3)}. Packets for one would go to the other.`,
      because: [
        ...clashes.slice(0, 4).map((holder) => {
          const shared = intersection(holder.range, mine.value)
          return {
            says: `shared with ${holder.name}: ${shared ? formatRange(shared) : ''}`,
            source: `address ledger, domain ${site?.domain ?? ''}`,
          }
        }),
        ...(own && end === 'services'
          ? [{ says: `pods ${intent.ranges.pods}`, source: 'draft' }]
          : []),
      ],
      offers: free === null ? [] : [replaceRange(end, free)],
    })
  })
  if (pods.ok && services.ok) {
    const holds = clusterRanges(pods.value, intent.ranges.maxPodsPerNode, services.value)
    const nodes = machines.length + intent.machines.length
    if (!holds.ok) {
      findings.push({
        level: 'stop',
        rule: 'range.size',
        field: 'ranges.pods',
        says: holds.says,
        because: [{ says: 'a node takes a block of twice its pods', source: 'address plan' }],
      })
    } else if (holds.value.maxNodes < BigInt(nodes)) {
      const prefix = holds.value.perNodePrefix - Math.ceil(Math.log2(nodes))
      const free = freeLike({ ...pods.value, prefix }, [
        ...taken.map((holder) => holder.range),
        services.value,
      ])
      findings.push({
        level: 'stop',
        rule: 'range.size',
        field: 'ranges.pods',
        says: `Pod range ${intent.ranges.pods} holds ${holds.value.maxNodes} nodes of ${intent.ranges.maxPodsPerNode} pods. This draft has ${nodes}.`,
        because: [{ says: `one /${holds.value.perNodePrefix} a node`, source: 'address plan' }],
        offers: free === null ? [] : [replaceRange('pods', free)],
      })
    } else if (holds.value.dnsAddress === null) {
      const free = freeLike({ ...services.value, prefix: 20 }, [
        ...taken.map((holder) => holder.range),
        pods.value,
      ])
      findings.push({
        level: 'stop',
        rule: 'range.services-size',
        field: 'ranges.services',
        says: `Service range ${intent.ranges.services} has room for ${numberText(Number(holds.value.services))} services and none for DNS, which takes its tenth address.`,
        because: [{ says: 'API at network + 1, DNS at network + 10', source: 'address plan' }],
        offers: free === null ? [] : [replaceRange('services', free)],
      })
    }
  }
  return findings
}

export const checkStaticAddresses: Check = ({ intent, site, statics, managementNetwork }) => {
  if (
    !site ||
    site.kind !== 'hall' ||
    intent.controlPlane.kind !== 'own' ||
    intent.machines.length > 0
  )
    return []
  const field = 'networks.staticAddresses'
  if (!managementNetwork || !statics) {
    const known = site.networks.find((network) => network.role === 'management')
    return [
      {
        level: 'stop',
        rule: 'network.known',
        field: 'networks.management',
        says: `${site.name} has no network ${intent.networks.management ?? 'for management'}.`,
        because: [
          {
            says: `networks: ${listText(site.networks.map((network) => network.name))}`,
            source: site.name,
            at: site.observedAt,
          },
        ],
        offers: known
          ? [
              {
                says: `Use ${known.name}`,
                change: {
                  patchDraft: [{ op: 'add', path: '/networks/management', value: known.name }],
                },
              },
            ]
          : [],
      },
    ]
  }
  const offers =
    statics.proposed.length === statics.wanted
      ? [
          {
            says: `Hold ${statics.proposed[0] ?? ''} and ${statics.wanted - 1} more`,
            change: {
              patchDraft: [
                {
                  op: 'add',
                  path: '/networks/staticAddresses',
                  value: [...statics.proposed],
                } as const,
              ],
            },
          },
        ]
      : []
  const because = [
    {
      says: `one floating address for the API, one for each of ${intent.controlPlane.count} machines, one spare for a rolling step`,
      source: 'address plan',
    },
  ]
  if (!intent.networks.staticAddresses?.length) {
    if (statics.proposed.length < statics.wanted) {
      return [
        {
          level: 'stop',
          rule: 'addresses.static',
          field,
          says: `${managementNetwork.name} has ${statics.proposed.length} free static addresses; ${statics.wanted} are needed.`,
          because,
        },
      ]
    }
    return [
      {
        level: 'note',
        rule: 'addresses.static',
        field,
        says: `The lowest free addresses of ${managementNetwork.name} are taken: ${listText(statics.proposed, 5)}.`,
        because,
        offers,
      },
    ]
  }
  const wrong = statics.wrong.map((entry) => entry.says)
  if (statics.addresses.length !== statics.wanted)
    wrong.unshift(
      `${statics.addresses.length} static addresses are given; ${statics.wanted} are needed.`,
    )
  if (wrong.length === 0) return []
  return [
    {
      level: 'stop',
      rule: 'addresses.static',
      field,
      says: wrong.slice(0, 3).join(' '),
      because: [
        ...because,
        ...wrong.slice(3, 8).map((says) => ({ says, source: 'address ledger' })),
      ],
      offers,
    },
  ]
}

export const checkVirtualAddresses: Check = ({ intent, site }) => {
  const wish = intent.networks.virtualAddresses
  if (!site || wish === undefined || wish === '') return []
  const field = 'networks.virtualAddresses'
  const range = parseRange(wish)
  if (!range.ok)
    return [{ level: 'stop', rule: 'virtual.readable', field, says: range.says, because: [] }]
  const network = site.networks.find((other) =>
    intent.networks.frontage === undefined
      ? other.role === 'frontage'
      : other.name === intent.networks.frontage,
  )
  const pool = network?.pool === undefined ? null : parseRange(network.pool)
  if (!network || !pool?.ok) {
    return [
      {
        level: 'stop',
        rule: 'virtual.network',
        field,
        says: `${site.name} has no network ${intent.networks.frontage ?? 'for virtual addresses'} with a pool.`,
        because: [
          {
            says: `networks: ${listText(site.networks.map((other) => other.name))}`,
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
        says: `${wish} lies outside the pool ${network.pool ?? ''} of ${network.name}.`,
        because: [{ says: `pool ${network.pool ?? ''}`, source: site.name }],
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
    const one = parseRange(address.address)
    return one.ok && intersection(one.value, range.value)
  })
  if (held.length === 0) return []
  return [
    {
      level: 'stop',
      rule: 'virtual.held',
      field,
      says: `${listText(
        held.map((address) => `${address.address} (${address.for})`),
        3,
      )} in ${wish} is held already.`,
      because: held.slice(0, 4).map((address) => ({
        says: `${address.address} for ${address.for}`,
        source: 'address ledger',
      })),
    },
  ]
}
