/** Ranges of addresses: a CIDR, a single address, or "first-last". */
import {
  type Address,
  type AddressResult,
  bitsOf,
  type Family,
  formatAddress,
  parseAddress,
} from './address'

export interface Range {
  readonly family: Family
  readonly first: bigint
  readonly last: bigint
}

export interface Cidr extends Range {
  readonly prefix: number
}

const address = (family: Family, value: bigint): Address => ({ family, value })

/** A block of `2^(bits − prefix)` addresses that begins at `first`, which must be aligned to it. */
export const cidrAt = (family: Family, first: bigint, prefix: number): Cidr => ({
  family,
  first,
  last: first + (1n << BigInt(bitsOf(family) - prefix)) - 1n,
  prefix,
})

/**
 * Reads "10.20.0.0/24". Host bits that are set are an error whose `suggest` is the corrected CIDR.
 * With `hostBits` the address may lie anywhere in the block ("10.77.12.8/26").
 */
export function parseCidr(
  text: string,
  options: { readonly hostBits?: boolean } = {},
): AddressResult<Cidr> {
  const parts = text.trim().split('/')
  if (parts.length !== 2) {
    return {
      ok: false,
      says: `${text.trim() === '' ? 'A range is missing' : `“${text.slice(0, 60)}” is no CIDR`}. Write an address, a slash and a prefix length, like 10.130.0.0/18.`,
      suggest: null,
    }
  }
  const parsed = parseAddress(parts[0] ?? '')
  if (!parsed.ok) return parsed
  const { family, value } = parsed.value
  const length = parts[1] ?? ''
  if (!/^(0|[1-9]\d{0,2})$/.test(length) || Number(length) > bitsOf(family)) {
    return {
      ok: false,
      says: `“/${length.slice(0, 20)}” is no prefix length: IPv${family} takes 0 to ${bitsOf(family)}.`,
      suggest: null,
    }
  }
  const prefix = Number(length)
  const shift = BigInt(bitsOf(family) - prefix)
  const first = (value >> shift) << shift
  if (first !== value && !options.hostBits) {
    const suggest = `${formatAddress(address(family, first))}/${prefix}`
    return {
      ok: false,
      says: `${text.trim()} has host bits set. The block is ${suggest}.`,
      suggest,
    }
  }
  return { ok: true, value: cidrAt(family, first, prefix) }
}

/** Reads a CIDR, a single address or "first-last" (blanks around the dash allowed). */
export function parseRange(text: string): AddressResult<Range> {
  const trimmed = text.trim()
  if (trimmed.includes('/')) return parseCidr(trimmed)
  const ends = trimmed.split('-')
  if (ends.length > 2)
    return {
      ok: false,
      says: `“${trimmed.slice(0, 60)}” is no range. Write it as first-last.`,
      suggest: null,
    }
  const first = parseAddress(ends[0] ?? '')
  if (!first.ok) return first
  if (ends.length === 1) {
    const { family, value } = first.value
    return { ok: true, value: { family, first: value, last: value } }
  }
  const last = parseAddress(ends[1] ?? '')
  if (!last.ok) return last
  if (first.value.family !== last.value.family) {
    return {
      ok: false,
      says: `${trimmed} begins in IPv${first.value.family} and ends in IPv${last.value.family}.`,
      suggest: null,
    }
  }
  if (last.value.value < first.value.value) {
    const suggest = `${formatAddress(last.value)}-${formatAddress(first.value)}`
    return {
      ok: false,
      says: `${trimmed} ends before it begins. Turned round it is ${suggest}.`,
      suggest: null,
    }
  }
  return {
    ok: true,
    value: { family: first.value.family, first: first.value.value, last: last.value.value },
  }
}

/** Number of addresses in a range. */
export const sizeOf = (range: Range): bigint => range.last - range.first + 1n

/** Whether `inner` lies wholly inside `outer`. */
export const contains = (outer: Range, inner: Range): boolean =>
  outer.family === inner.family && outer.first <= inner.first && inner.last <= outer.last

/** The shared part of two ranges, or null. */
export function intersection(a: Range, b: Range): Range | null {
  if (a.family !== b.family) return null
  const first = a.first > b.first ? a.first : b.first
  const last = a.last < b.last ? a.last : b.last
  return first <= last ? { family: a.family, first, last } : null
}

/** "10.20.0.0/24" for a CIDR, "a-b" or the single address for any other range. */
export function formatRange(range: Range | Cidr): string {
  const first = formatAddress(address(range.family, range.first))
  if ('prefix' in range) return `${first}/${range.prefix}`
  return range.first === range.last
    ? first
    : `${first}-${formatAddress(address(range.family, range.last))}`
}

/** The parts of `range` that no range of `taken` covers, in ascending order. O(n log n). */
export function freeGaps(range: Range, taken: readonly Range[]): readonly Range[] {
  const inside = taken
    .flatMap((otherRange) => intersection(range, otherRange) ?? [])
    .sort((a, b) => {
      if (a.first < b.first) return -1
      if (a.first > b.first) return 1
      return 0
    })
  const gaps: Range[] = []
  let next = range.first
  for (const part of inside) {
    if (part.first > next) gaps.push({ family: range.family, first: next, last: part.first - 1n })
    if (part.last >= next) next = part.last + 1n
  }
  if (next <= range.last) gaps.push({ family: range.family, first: next, last: range.last })
  return gaps
}

/** The lowest aligned block of `prefix` inside `within` that is clear of `taken`, or null. */
export function lowestFreeBlock(
  within: Range,
  taken: readonly Range[],
  prefix: number,
): Cidr | null {
  const size = 1n << BigInt(bitsOf(within.family) - prefix)
  for (const gap of freeGaps(within, taken)) {
    const first = ((gap.first + size - 1n) / size) * size
    if (first + size - 1n <= gap.last) return cidrAt(within.family, first, prefix)
  }
  return null
}

/** The smallest block that holds all ranges, no smaller than `/mostPrefix`; null for none, or for ranges of both families. */
export function enclosingBlock(ranges: readonly Range[], mostPrefix = 128): Cidr | null {
  const [one] = ranges
  if (!one || ranges.some((range) => range.family !== one.family)) return null
  const first = ranges.reduce(
    (least, range) => (range.first < least ? range.first : least),
    one.first,
  )
  const last = ranges.reduce(
    (maxRange, range) => (range.last > maxRange ? range.last : maxRange),
    one.last,
  )
  const bits = bitsOf(one.family)
  for (let prefix = Math.min(bits, mostPrefix); prefix >= 0; prefix--) {
    const shift = BigInt(bits - prefix)
    if (first >> shift === last >> shift)
      return cidrAt(one.family, (first >> shift) << shift, prefix)
  }
  return null
}
