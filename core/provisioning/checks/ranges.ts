/** Pod, service and node ranges; static and virtual addresses. */
import type { RawFinding } from '../../changes'
import {
  clusterRanges,
  type Cidr,
  formatRange,
  intersection,
  lowestFreeBlock,
  parseCidr,
  parseRange,
  type Range,
} from '../../addresses'
import type { Check, Planned } from '../planned'
import { said } from './says'
import { quoted } from '../../contract'

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

function freeLike(cidr: Cidr, taken: readonly Range[]): string | null {
  for (const text of nurseries) {
    const nursery = parseCidr(text)
    if (!nursery.ok || nursery.value.family !== cidr.family || nursery.value.prefix > cidr.prefix)
      continue
    const block = lowestFreeBlock(nursery.value, taken, cidr.prefix)
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
  // Two ranges that are offered at once may be taken at once: the second keeps clear of the first.
  const offered: { readonly end: (typeof ends)[number]; readonly range: Range }[] = []
  const offer = (
    end: (typeof ends)[number],
    text: string | null,
  ): NonNullable<RawFinding['offers']> => {
    const range = text === null ? null : parseRange(text)
    if (text === null || range?.ok !== true) return []
    offered.push({ end, range: range.value })
    return [replaceRange(end, text)]
  }
  /** What a range for that end keeps clear of, beside what the check itself names. */
  const avoided = (end: (typeof ends)[number]): readonly Range[] => [
    ...taken.map((holder) => holder.range),
    ...offered.flatMap((range) => (range.end === end ? [] : [range.range])),
  ]
  for (const end of ends) {
    const result = parsed[end]
    if (result.ok) continue
    const fallback = freeLike(
      { family: 4, first: 0n, last: 0n, prefix: end === 'pods' ? 18 : 20 },
      [
        ...avoided(end),
        ...ends.flatMap((otherEnd) => (parsed[otherEnd].ok ? [parsed[otherEnd].value] : [])),
      ],
    )
    const suggestion = result.suggest ?? fallback
    findings.push({
      level: 'stop',
      rule: 'range.readable',
      field: `ranges.${end}`,
      ...quoted('range.unreadable', result.says),
      because: [{ ...said('range-address-prefix'), source: 'RFC 4632' }],
      offers: offer(end, suggestion),
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
      [...avoided('services'), pods.value],
    )
    findings.push({
      level: 'stop',
      rule: 'range.family',
      field: 'ranges.services',
      ...said('range.family', { family: pods.value.family, servicesFamily: services.value.family }),
      because: [
        {
          ...said('pods-services', { pods: intent.ranges.pods, services: intent.ranges.services }),
          source: 'draft',
        },
      ],
      offers: offer('services', free),
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
      ...avoided('pods'),
      ...(services.ok ? [services.value] : []),
    ])
    findings.push({
      level: 'stop',
      rule: 'range.ipv4',
      field: 'ranges.pods',
      ...said('range.ipv4', { site: site.name }),
      because: [
        {
          ...said('networks', { networks: site.networks.map((network) => network.range) }),
          source: site.name,
          at: site.observedAt,
        },
      ],
      offers: offer('pods', free),
    })
  }
  ends.forEach((end) => {
    const range = parsed[end]
    if (!range.ok) return
    const candidate = end === 'pods' ? parsed.services : parsed.pods
    const clashes = taken.filter((holder) => intersection(holder.range, range.value))
    const own = candidate.ok && intersection(candidate.value, range.value) !== null
    if (clashes.length === 0 && !(own && end === 'services')) return
    const avoid = [...avoided(end), ...(candidate.ok ? [candidate.value] : [])]
    const free = freeLike(range.value, avoid)
    const names = [
      ...clashes.map((holder) => `${holder.name} (${formatRange(holder.range)})`),
      ...(own && end === 'services' ? ['this draft’s pods'] : []),
    ]
    findings.push({
      level: 'stop',
      rule: 'range.overlap',
      field: `ranges.${end}`,
      ...said('range.overlap', { end, range: intent.ranges[end], names }),
      because: [
        ...clashes.slice(0, 4).map((holder) => {
          const shared = intersection(holder.range, range.value)
          return {
            ...said('range-shared', {
              holder: holder.name,
              range: shared ? formatRange(shared) : '',
            }),
            source: `address ledger, domain ${site?.domain ?? ''}`,
          }
        }),
        ...(own && end === 'services'
          ? [{ ...said('pods', { pods: intent.ranges.pods }), source: 'draft' }]
          : []),
      ],
      offers: offer(end, free),
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
        ...quoted('range.too-small', holds.says),
        because: [{ ...said('node-block'), source: 'address plan' }],
      })
    } else if (holds.value.maxNodes < BigInt(nodes)) {
      const prefix = holds.value.perNodePrefix - Math.ceil(Math.log2(nodes))
      const free = freeLike({ ...pods.value, prefix }, [...avoided('pods'), services.value])
      findings.push({
        level: 'stop',
        rule: 'range.size',
        field: 'ranges.pods',
        ...said('range.size', {
          pods: intent.ranges.pods,
          maxNodes: Number(holds.value.maxNodes),
          maxPodsPerNode: intent.ranges.maxPodsPerNode,
          nodes,
        }),
        because: [
          {
            ...said('one-node', { perNodePrefix: holds.value.perNodePrefix }),
            source: 'address plan',
          },
        ],
        offers: offer('pods', free),
      })
    } else if (holds.value.dnsAddress === null) {
      const free = freeLike({ ...services.value, prefix: 20 }, [...avoided('services'), pods.value])
      findings.push({
        level: 'stop',
        rule: 'range.services-size',
        field: 'ranges.services',
        ...said('range.services-size', {
          services: intent.ranges.services,
          addresses: Number(holds.value.services),
        }),
        because: [{ ...said('service-addresses'), source: 'address plan' }],
        offers: offer('services', free),
      })
    }
  }
  return findings
}
