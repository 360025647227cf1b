/** Sets of addresses, read once and asked often: sorted, merged spans of each family, found by halving. */
import {
  type Address,
  contains,
  type Family,
  parseAddress,
  parseRange,
  type Range,
} from '../addresses'

/** What was wrong with a text, and what it should be where that is clear. */
export interface BadText {
  readonly path: string
  readonly says: string
}

/** A set of addresses. All is every address of both families. */
export interface Spans {
  readonly all: boolean
  readonly four: readonly Range[]
  readonly six: readonly Range[]
}

export const everywhere: Spans = { all: true, four: [], six: [] }

function merged(ranges: readonly Range[], family: Family): readonly Range[] {
  const sorted = ranges
    .filter((range) => range.family === family)
    .sort((a, b) => {
      if (a.first < b.first) return -1
      if (a.first > b.first) return 1
      return 0
    })
  const out: Range[] = []
  for (const range of sorted) {
    const last = out.at(-1)
    if (last && range.first <= last.last + 1n)
      out[out.length - 1] = {
        family,
        first: last.first,
        last: range.last > last.last ? range.last : last.last,
      }
    else out.push(range)
  }
  return out
}

export const spansOf = (ranges: readonly Range[]): Spans => ({
  all: false,
  four: merged(ranges, 4),
  six: merged(ranges, 6),
})

export const rangesOf = (spans: Spans, family: Family): readonly Range[] => {
  if (spans.all) return [{ family, first: 0n, last: (1n << (family === 4 ? 32n : 128n)) - 1n }]
  return family === 4 ? spans.four : spans.six
}

/** Whether an address is in the set. O(log n). */
export function within(spans: Spans, { family, value }: Address): boolean {
  if (spans.all) return true
  const list = family === 4 ? spans.four : spans.six
  let low = 0
  let high = list.length - 1
  while (low <= high) {
    const middle = (low + high) >> 1
    const range = list[middle]
    if (!range) return false
    if (value < range.first) high = middle - 1
    else if (value > range.last) low = middle + 1
    else return true
  }
  return false
}

export const isIn = (range: Range, address: Address): boolean =>
  contains(range, { family: address.family, first: address.value, last: address.value })

/** Reads a list of ranges; absent is everywhere. An empty list or a range that does not parse goes into `bad`. */
export function readSpans(
  texts: readonly string[] | null | undefined,
  path: string,
  bad: BadText[],
): Spans {
  if (texts === null || texts === undefined) return everywhere
  if (texts.length === 0)
    bad.push({
      path,
      says: 'An empty list would match nothing. Leave it out for all addresses, or name at least one.',
    })
  return spansOf(readRanges(texts, path, bad))
}

export function readRanges(
  texts: readonly string[],
  path: string,
  bad: BadText[],
): readonly Range[] {
  return texts.flatMap((text, i) => {
    const parsed = parseRange(text)
    if (parsed.ok) return [parsed.value]
    bad.push({ path: `${path}[${i}]`, says: parsed.says })
    return []
  })
}

export function readAddress(text: string, path: string, bad: BadText[]): Address | null {
  const parsed = parseAddress(text)
  if (parsed.ok) return parsed.value
  bad.push({ path, says: parsed.says })
  return null
}

export const addressKey = ({ family, value }: Address): string => `${family}/${value}`
export const sameAddress = (a: Address, b: Address): boolean =>
  a.family === b.family && a.value === b.value
