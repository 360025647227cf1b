/**
 * Carving blocks out of a range: the largest wanted first (equal ones in the given order), each from the smallest free
 * aligned block that holds it (the lowest on a tie), from that block's lowest part. So large blocks stay whole as long
 * as they can. Free space is kept as its largest aligned blocks, by size. O((taken + wanted) log blocks), and
 * O(taken log taken) for each prefix length that does not fit.
 */
import { bitsOf } from './address'
import { type Cidr, cidrAt, formatRange, freeGaps, intersection, type Range } from './range'

export interface Carved {
  /** In the order asked, those that fit. */
  readonly blocks: readonly { readonly prefix: number; readonly block: string }[]
  /** In the order asked, those that do not: the largest free block at their turn, and what would have to move. */
  readonly unfit: readonly {
    readonly prefix: number
    readonly largestFree: string | null
    readonly move: readonly string[]
  }[]
}

/** How many addresses a block has, by its host bits. */
const sizes: readonly bigint[] = Array.from(
  { length: 129 },
  (_, hostBits) => 1n << BigInt(hostBits),
)

/** A range cut into its largest aligned blocks, in ascending order. */
export function alignedBlocks(range: Range): readonly Cidr[] {
  const bits = bitsOf(range.family)
  const blocks: Cidr[] = []
  let at = range.first
  const fits = (hostBits: number): boolean => {
    const size = sizes[hostBits]
    return (
      hostBits <= bits && size !== undefined && at % size === 0n && at + size - 1n <= range.last
    )
  }
  // Blocks grow as far as the beginning is aligned, then shrink towards the end: each is sought from the one before.
  let hostBits = 0
  while (at <= range.last) {
    while (fits(hostBits + 1)) hostBits++
    while (!fits(hostBits)) hostBits--
    blocks.push(cidrAt(range.family, at, bits - hostBits))
    at += sizes[hostBits] ?? 0n
  }
  return blocks
}

/** Free blocks by prefix length, each list ascending: the fitting one is found without looking at the others. */
class FreeBlocks {
  private readonly lists = new Map<number, Cidr[]>()

  add(block: Cidr): void {
    const list = this.lists.get(block.prefix)
    if (!list) {
      this.lists.set(block.prefix, [block])
      return
    }
    let low = 0
    let high = list.length
    while (low < high) {
      const middle = (low + high) >> 1
      if ((list[middle]?.first ?? 0n) < block.first) low = middle + 1
      else high = middle
    }
    list.splice(low, 0, block)
  }

  /** Takes out the smallest block that holds the prefix, lowest on a tie. */
  take(prefix: number): Cidr | undefined {
    for (let at = prefix; at >= 0; at--) {
      const cidr = this.lists.get(at)?.shift()
      if (cidr) return cidr
    }
    return undefined
  }

  /** Largest block, lowest on a tie. */
  largest(): Cidr | undefined {
    for (const prefix of [...this.lists.keys()].sort((a, b) => a - b)) {
      const cidr = this.lists.get(prefix)?.[0]
      if (cidr) return cidr
    }
    return undefined
  }
}

interface Named {
  readonly text: string
  readonly range: Range
}

/** Counts the ranges that meet a place in O(log n): those that begin before its end, less those that end before its begin. */
class Meeting {
  private readonly firsts: readonly bigint[]
  private readonly lasts: readonly bigint[]

  constructor(ranges: readonly Range[]) {
    const ascending = (a: bigint, b: bigint): number => {
      if (a < b) return -1
      if (a > b) return 1
      return 0
    }
    this.firsts = ranges.map((range) => range.first).sort(ascending)
    this.lasts = ranges.map((range) => range.last).sort(ascending)
  }

  count(first: bigint, last: bigint): number {
    return below(this.firsts, last + 1n) - below(this.lasts, first)
  }
}

/** How many of ascending values are less than `limit`. */
function below(values: readonly bigint[], limit: bigint): number {
  let low = 0
  let high = values.length
  while (low < high) {
    const middle = (low + high) >> 1
    if ((values[middle] ?? 0n) < limit) low = middle + 1
    else high = middle
  }
  return low
}

/** The fewest taken ranges whose going makes room for a block of `prefix`: of the aligned places, the one that meets fewest, lowest on a tie. */
function inTheWay(
  within: Cidr,
  prefix: number,
  taken: readonly Named[],
  met: Meeting,
  carved: readonly Cidr[],
): readonly string[] {
  if (prefix < within.prefix) return []
  const size = 1n << BigInt(bitsOf(within.family) - prefix)
  const filled = new Meeting(carved)
  // Only places that some taken range touches can differ; the others would have been free.
  const starts = new Set<bigint>()
  for (const { range } of taken) {
    const shared = intersection(within, range)
    if (shared) for (const edge of [shared.first, shared.last]) starts.add((edge / size) * size)
  }
  let best: { readonly start: bigint; readonly meets: number } | null = null
  for (const start of starts) {
    const last = start + size - 1n
    if (filled.count(start, last) > 0) continue
    const meets = met.count(start, last)
    if (!best || meets < best.meets || (meets === best.meets && start < best.start))
      best = { start, meets }
  }
  if (!best) return []
  const place: Range = { family: within.family, first: best.start, last: best.start + size - 1n }
  return taken.filter(({ range }) => intersection(range, place)).map(({ text }) => text)
}

/** Carves blocks of the wanted prefix lengths out of `within`, clear of `taken`. Later, smaller ones are placed even if a larger one did not fit. */
export function carve(within: Cidr, taken: readonly Named[], prefixes: readonly number[]): Carved {
  const free = new FreeBlocks()
  for (const block of freeGaps(
    within,
    taken.map(({ range }) => range),
  ).flatMap(alignedBlocks))
    free.add(block)
  let met: Meeting | null = null
  const blocks = new Map<number, string>()
  const unfit = new Map<number, Carved['unfit'][number]>()
  const shortOf = new Map<number, Carved['unfit'][number]>()
  const carved: Cidr[] = []
  const order = prefixes
    .map((prefix, index) => ({ prefix, index }))
    .sort((a, b) => a.prefix - b.prefix || a.index - b.index)
  for (const { prefix, index } of order) {
    const cidr = free.take(prefix)
    if (!cidr) {
      // Once a length does not fit, no more of it is carved: all of them stand before the same.
      let short = shortOf.get(prefix)
      if (!short) {
        const largest = free.largest()
        met ??= new Meeting(
          taken.flatMap(({ range }) => (range.family === within.family ? [range] : [])),
        )
        short = {
          prefix,
          largestFree: largest ? formatRange(largest) : null,
          move: inTheWay(within, prefix, taken, met, carved),
        }
        shortOf.set(prefix, short)
      }
      unfit.set(index, short)
      continue
    }
    const block = cidrAt(within.family, cidr.first, prefix)
    blocks.set(index, formatRange(block))
    carved.push(block)
    // What is left of the block it was cut from, again in its largest aligned blocks.
    if (block.last < cidr.last)
      for (const rest of alignedBlocks({
        family: within.family,
        first: block.last + 1n,
        last: cidr.last,
      }))
        free.add(rest)
  }
  return {
    blocks: prefixes.flatMap((prefix, index) => {
      const block = blocks.get(index)
      return block === undefined ? [] : [{ prefix, block }]
    }),
    unfit: prefixes.flatMap((_, index) => unfit.get(index) ?? []),
  }
}

/**
 * The block that a span dragged over free space stands for: the largest aligned block that lies within the span and is
 * free, the lowest on a tie; null if the span holds none of at least `mostPrefix`.
 */
export function blockWithin(
  within: Cidr,
  span: Range,
  taken: readonly Range[],
  mostPrefix: number,
): Cidr | null {
  const shared = intersection(within, span)
  if (!shared) return null
  const free = freeGaps(shared, taken).flatMap((gap) => alignedBlocks(gap))
  const best = [...free].sort((a, b) => a.prefix - b.prefix || (a.first < b.first ? -1 : 1))[0]
  return best && best.prefix <= mostPrefix ? best : null
}
