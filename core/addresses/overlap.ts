/**
 * All overlapping pairs among ranges of one routing domain.
 * Sort by first address and sweep with the set of ranges still open: O(n log n + k) for k pairs.
 */
import type { Address } from './address'
import { formatAddress } from './address'
import { intersection, parseRange, type Range, sizeOf } from './range'

const compareBig = (a: bigint, b: bigint): number => {
  if (a === b) return 0
  return a < b ? -1 : 1
}

export interface NamedRange {
  readonly name: string
  readonly range: string
}

export interface Overlap {
  readonly a: string
  readonly b: string
  readonly first: string
  readonly last: string
  /** Decimal text: IPv6 counts do not fit a number. */
  readonly count: string
}

export interface OverlapReport {
  readonly overlaps: readonly Overlap[]
  readonly invalid: readonly {
    readonly name: string
    readonly says: string
    readonly suggest: string | null
  }[]
}

/** The pairs past which a report is refused: nobody reads more, and the answer would not fit. */
export const mostOverlaps = 500_000

/**
 * Overlaps of parsed ranges as index pairs `[earlier, later]`, in no particular order.
 * Stops and returns null once there are more than `most`.
 */
export function overlappingPairs(
  ranges: readonly Range[],
  max = mostOverlaps,
): readonly (readonly [number, number])[] | null {
  const order = ranges
    .map((range, index) => ({ range, index }))
    .sort((a, b) => a.range.family - b.range.family || compareBig(a.range.first, b.range.first))
  const pairs: (readonly [number, number])[] = []
  let open: { range: Range; index: number }[] = []
  for (const entry of order) {
    // Every range that stays open meets this one, so the filter costs no more than the pairs it yields plus the ranges it closes.
    open = open.filter(
      (candidate) =>
        candidate.range.family === entry.range.family && candidate.range.last >= entry.range.first,
    )
    for (const candidate of open) {
      pairs.push(
        candidate.index < entry.index
          ? [candidate.index, entry.index]
          : [entry.index, candidate.index],
      )
      if (pairs.length > max) return null
    }
    open.push(entry)
  }
  return pairs
}

/**
 * The overlap report of `http-api.md`: pairs sorted by family, first shared address, then input positions;
 * unreadable ranges are listed apart and left out. Null when there are more than `mostOverlaps` pairs.
 */
export function findOverlaps(ranges: readonly NamedRange[]): OverlapReport | null {
  const invalid: { name: string; says: string; suggest: string | null }[] = []
  const valid: { name: string; range: Range }[] = []
  for (const { name, range } of ranges) {
    const parsed = parseRange(range)
    if (parsed.ok) valid.push({ name, range: parsed.value })
    else invalid.push({ name, says: parsed.says, suggest: parsed.suggest })
  }
  const pairs = overlappingPairs(valid.map((entry) => entry.range))
  if (!pairs) return null
  const matches = pairs.flatMap(([i, j]) => {
    const a = valid[i]
    const b = valid[j]
    const shared = a && b ? intersection(a.range, b.range) : null
    return a && b && shared ? [{ i, j, a, b, shared }] : []
  })
  matches.sort(
    (x, y) =>
      x.shared.family - y.shared.family ||
      compareBig(x.shared.first, y.shared.first) ||
      x.i - y.i ||
      x.j - y.j,
  )
  const text = (range: Range, value: bigint): string =>
    formatAddress({ family: range.family, value } satisfies Address)
  return {
    overlaps: matches.map(({ a, b, shared }) => ({
      a: a.name,
      b: b.name,
      first: text(shared, shared.first),
      last: text(shared, shared.last),
      count: sizeOf(shared).toString(),
    })),
    invalid,
  }
}
