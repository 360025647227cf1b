/** The whole address ledger as a list: every range, and what lies inside it on purpose; and what collides. */
import {
  blockWithin,
  carve,
  type Carved,
  contains,
  findOverlaps,
  formatRange,
  lowestFreeBlock,
  type Overlap,
  parseCidr,
  parseRange,
  type Range,
} from '../addresses'
import { compareText } from '../units'
import type { FleetView } from './view'

export const bookKinds = [
  'network',
  'pods',
  'services',
  'entered',
  'gateway',
  'DHCP',
  'virtual addresses',
  'held',
] as const
export type BookKind = (typeof bookKinds)[number]

export interface BookEntry {
  readonly domain: string
  readonly range: string
  readonly name: string
  readonly kind: BookKind
  /** The site or cluster it belongs to, as a ref; null for what is entered by hand. */
  readonly about: string | null
}

const inner: ReadonlySet<BookKind> = new Set(['gateway', 'DHCP', 'virtual addresses', 'held'])

/** Every entry of every routing domain, in order of domain and address. */
export function addressBook(view: FleetView): readonly BookEntry[] {
  const domainOf = new Map(view.sites.map((site) => [site.name, site.domain]))
  const entries: BookEntry[] = [
    ...view.ledger.map((entry): BookEntry => {
      const kind = entry.kind === 'peer' ? 'entered' : entry.kind
      let about: string | null
      if (kind === 'network') about = `site/${entry.holder}`
      else if (kind === 'entered') about = null
      else about = `cluster/${entry.holder}`
      return {
        domain: entry.domain,
        range: entry.range,
        name: entry.name,
        kind,
        about,
      }
    }),
    ...view.sites.flatMap((site) => {
      const about = `site/${site.name}`
      const entry = (range: string | undefined, name: string, kind: BookKind): BookEntry[] =>
        range === undefined ? [] : [{ domain: site.domain, range, name, kind, about }]
      return [
        ...site.networks.flatMap((network) => [
          ...entry(network.gateway, `gateway of ${network.name}`, 'gateway'),
          ...entry(network.dhcp, `DHCP of ${network.name}`, 'DHCP'),
          ...entry(network.pool, `virtual addresses of ${network.name}`, 'virtual addresses'),
        ]),
        ...site.addresses.map((held): BookEntry => ({
          domain: domainOf.get(site.name) ?? '',
          range: held.address,
          name: held.for,
          kind: 'held',
          about: held.cluster === null ? about : `cluster/${held.cluster}`,
        })),
      ]
    }),
  ]
  const first = new Map(entries.map((entry) => [entry, parseRange(entry.range)]))
  const order = (entry: BookEntry): bigint => {
    const read = first.get(entry)
    return read?.ok ? read.value.first + (read.value.family === 6 ? 1n << 130n : 0n) : -1n
  }
  const byAddress = (a: BookEntry, b: BookEntry): number => {
    const apart = order(a) - order(b)
    if (apart === 0n) return 0
    return apart < 0n ? -1 : 1
  }
  return entries.sort(
    (a, b) => compareText(a.domain, b.domain) || byAddress(a, b) || compareText(a.name, b.name),
  )
}

export interface Collision extends Overlap {
  readonly domain: string
}

/**
 * Ranges of one routing domain that share addresses without meaning to. What lies inside a network on purpose is left
 * out, and so is what lies wholly inside a range entered by hand: that is a block from which others are cut.
 */
export function collisions(book: readonly BookEntry[]): readonly Collision[] {
  const domains = [...new Set(book.map((entry) => entry.domain))]
  return domains.flatMap((domain) => {
    const entries = book.filter((entry) => entry.domain === domain && !inner.has(entry.kind))
    const byName = new Map(entries.map((entry, i) => [`${i}`, entry]))
    const report = findOverlaps(entries.map((entry, i) => ({ name: `${i}`, range: entry.range })))
    return (report?.overlaps ?? []).flatMap((overlap): Collision[] => {
      const [a, b] = [byName.get(overlap.a), byName.get(overlap.b)]
      if (!a || !b || cutFrom(a, b) || cutFrom(b, a)) return []
      return [{ ...overlap, domain, a: a.name, b: b.name }]
    })
  })
}

/** Whether `part` is cut from the entered block `whole`. */
function cutFrom(whole: BookEntry, part: BookEntry): boolean {
  const [outer, inside] = [parseRange(whole.range), parseRange(part.range)]
  return whole.kind === 'entered' && outer.ok && inside.ok && contains(outer.value, inside.value)
}

/** Blocks of wanted sizes out of a range of a domain, clear of everything in the book but the blocks that contain it. */
export function carveFrom(
  book: readonly BookEntry[],
  domain: string,
  within: string,
  prefixes: readonly number[],
): { readonly ok: true; readonly carved: Carved } | { readonly ok: false; readonly says: string } {
  const parent = parseCidr(within)
  if (!parent.ok) return { ok: false, says: parent.says }
  const taken = book
    .filter((entry) => entry.domain === domain)
    .flatMap((entry): { text: string; range: Range }[] => {
      const range = parseRange(entry.range)
      return range.ok && !contains(range.value, parent.value)
        ? [{ text: entry.range, range: range.value }]
        : []
    })
  return { ok: true, carved: carve(parent.value, taken, prefixes) }
}

/** The free block that a span dragged over a range stands for; null where the span holds no free block worth having. */
export function carveSpan(
  book: readonly BookEntry[],
  domain: string,
  within: string,
  first: string,
  last: string,
): string | null {
  const parent = parseCidr(within)
  const span = parseRange(`${first}-${last}`)
  if (!parent.ok || !span.ok) return null
  const taken = book
    .filter((entry) => entry.domain === domain)
    .flatMap((entry): Range[] => {
      const range = parseRange(entry.range)
      return range.ok && !contains(range.value, parent.value) ? [range.value] : []
    })
  const block = blockWithin(parent.value, span.value, taken, parent.value.family === 4 ? 30 : 126)
  return block ? formatRange(block) : null
}

/** Free ranges for pods and services in the routing domain of a site. */
export function freeRangesAt(
  view: FleetView,
  siteName: string,
): { readonly pods: string; readonly services: string } {
  const domain = view.sites.find((site) => site.name === siteName)?.domain
  const nursery = parseCidr('10.128.0.0/10')
  const taken = view.ledger
    .filter((entry) => entry.domain === domain)
    .flatMap((entry) => {
      const range = parseRange(entry.range)
      return range.ok ? [range.value] : []
    })
  if (!nursery.ok) return { pods: '', services: '' }
  const pods = lowestFreeBlock(nursery.value, taken, 18)
  const services = pods && lowestFreeBlock(nursery.value, [...taken, pods], 20)
  return { pods: pods ? formatRange(pods) : '', services: services ? formatRange(services) : '' }
}
