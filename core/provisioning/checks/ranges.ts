/** Pod, service and node ranges; static and virtual addresses. */
import { type Offer, type RawFinding, stop } from '../../changes'
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

type End = (typeof ends)[number]

/** Ranges of the draft, what else is held, and what this check has offered so far. */
interface Ranges {
  readonly planned: Planned
  readonly parsed: Readonly<Record<End, ReturnType<typeof parseCidr>>>
  readonly taken: readonly Holder[]
  /** Two ranges that are offered at once may be taken at once: the second keeps clear of the first. */
  readonly offered: { readonly end: End; readonly range: Range }[]
}

const otherEnd = (end: End): End => (end === 'pods' ? 'services' : 'pods')

/** What a range for an end keeps clear of: what is held, what was offered for the other end, and that end’s own range. */
function avoided({ parsed, taken, offered }: Ranges, end: End): readonly Range[] {
  const opposite = parsed[otherEnd(end)]
  return [
    ...taken.map((holder) => holder.range),
    ...offered.filter((range) => range.end !== end).map((range) => range.range),
    ...(opposite.ok ? [opposite.value] : []),
  ]
}

function offer(ranges: Ranges, end: End, text: string | null): readonly Offer[] {
  const range = text === null ? null : parseRange(text)
  if (text === null || range?.ok !== true) return []
  ranges.offered.push({ end, range: range.value })
  return [replaceRange(end, text)]
}

/** Any free block of a family, as large as `prefix` says. */
const freeBlock = (ranges: Ranges, end: End, family: 4 | 6, prefix: number): string | null =>
  freeLike({ family, first: 0n, last: 0n, prefix }, avoided(ranges, end))

function checkReadable(ranges: Ranges, end: End): readonly RawFinding[] {
  const result = ranges.parsed[end]
  if (result.ok) return []
  const text = result.suggest ?? freeBlock(ranges, end, 4, end === 'pods' ? 18 : 20)
  return [
    stop(
      'range.readable',
      `ranges.${end}`,
      quoted('range.unreadable', result.says),
      [{ ...said('range-address-prefix'), source: 'RFC 4632' }],
      offer(ranges, end, text),
    ),
  ]
}

/** Both ranges are of one family, and of one that the site’s networks carry. */
function checkFamily(ranges: Ranges): readonly RawFinding[] {
  const { pods, services } = ranges.parsed
  const { intent, site } = ranges.planned
  const findings: RawFinding[] = []
  if (pods.ok && services.ok && pods.value.family !== services.value.family) {
    const { family } = pods.value
    findings.push(
      stop(
        'range.family',
        'ranges.services',
        said('range.family', { family, servicesFamily: services.value.family }),
        [
          {
            ...said('pods-services', {
              pods: intent.ranges.pods,
              services: intent.ranges.services,
            }),
            source: 'draft',
          },
        ],
        offer(ranges, 'services', freeBlock(ranges, 'services', family, family === 4 ? 20 : 108)),
      ),
    )
  }
  const networks = site?.networks.map((network) => network.range) ?? []
  const isIpv4Site = networks.length > 0 && networks.every((range) => !range.includes(':'))
  if (site && isIpv4Site && pods.ok && pods.value.family === 6)
    findings.push(
      stop(
        'range.ipv4',
        'ranges.pods',
        said('range.ipv4', { site: site.name }),
        [{ ...said('networks', { networks }), source: site.name, at: site.observedAt }],
        offer(ranges, 'pods', freeBlock(ranges, 'pods', 4, 18)),
      ),
    )
  return findings
}

/** Nobody else holds a part of the range in the routing domain, and the two ranges of the draft lie apart. */
function checkOverlap(ranges: Ranges, end: End): readonly RawFinding[] {
  const { planned, parsed, taken } = ranges
  const { intent, site } = planned
  const range = parsed[end]
  if (!range.ok) return []
  const clashes = taken.flatMap(({ name, range: held }) => {
    const shared = intersection(held, range.value)
    return shared ? [{ name, held: formatRange(held), shared: formatRange(shared) }] : []
  })
  // Told once, at the services.
  const pods = end === 'services' ? parsed.pods : null
  const isOnPods = pods?.ok === true && intersection(pods.value, range.value) !== null
  if (clashes.length === 0 && !isOnPods) return []
  const free = freeLike(range.value, avoided(ranges, end))
  const names = clashes.map(({ name, held }) => `${name} (${held})`)
  return [
    stop(
      'range.overlap',
      `ranges.${end}`,
      said('range.overlap', {
        end,
        range: intent.ranges[end],
        names: isOnPods ? [...names, 'this draft’s pods'] : names,
      }),
      [
        ...clashes.slice(0, 4).map(({ name, shared }) => ({
          ...said('range-shared', { holder: name, range: shared }),
          source: `address ledger, domain ${site?.domain ?? ''}`,
        })),
        ...(isOnPods ? [{ ...said('pods', { pods: intent.ranges.pods }), source: 'draft' }] : []),
      ],
      offer(ranges, end, free),
    ),
  ]
}

/** A block of pod addresses for each node, and enough addresses for services. */
function checkSize(ranges: Ranges): readonly RawFinding[] {
  const { intent, machines } = ranges.planned
  const { pods, services } = ranges.parsed
  if (!pods.ok || !services.ok) return []
  const { maxPodsPerNode } = intent.ranges
  const holds = clusterRanges(pods.value, maxPodsPerNode, services.value)
  const source = 'address plan'
  if (!holds.ok)
    return [
      stop('range.size', 'ranges.pods', quoted('range.too-small', holds.says), [
        { ...said('node-block'), source },
      ]),
    ]
  const { maxNodes, perNodePrefix, dnsAddress, services: addresses } = holds.value
  const nodes = machines.length + intent.machines.length
  if (maxNodes < BigInt(nodes)) {
    const prefix = perNodePrefix - Math.ceil(Math.log2(nodes))
    return [
      stop(
        'range.size',
        'ranges.pods',
        said('range.size', {
          pods: intent.ranges.pods,
          maxNodes: Number(maxNodes),
          maxPodsPerNode,
          nodes,
        }),
        [{ ...said('one-node', { perNodePrefix }), source }],
        offer(ranges, 'pods', freeLike({ ...pods.value, prefix }, avoided(ranges, 'pods'))),
      ),
    ]
  }
  if (dnsAddress !== null) return []
  const free = freeLike({ ...services.value, prefix: 20 }, avoided(ranges, 'services'))
  return [
    stop(
      'range.services-size',
      'ranges.services',
      said('range.services-size', {
        services: intent.ranges.services,
        addresses: Number(addresses),
      }),
      [{ ...said('service-addresses'), source }],
      offer(ranges, 'services', free),
    ),
  ]
}

export const checkRanges: Check = (planned) => {
  const { pods, services } = planned.intent.ranges
  const ranges: Ranges = {
    planned,
    parsed: { pods: parseCidr(pods), services: parseCidr(services) },
    taken: holders(planned),
    offered: [],
  }
  return [
    ...ends.flatMap((end) => checkReadable(ranges, end)),
    ...checkFamily(ranges),
    ...ends.flatMap((end) => checkOverlap(ranges, end)),
    ...checkSize(ranges),
  ]
}
