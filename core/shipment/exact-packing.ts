/**
 * The fewest drives that hold a few blobs, and among those the least total capacity. Sets of drives are tried in the
 * order of their capacity; whether a set holds the blobs is searched drive by drive: the largest blob left goes into one
 * of the sizes left, and that drive is filled in every way to which no blob left over could be added and whose unused
 * room stays within what the whole set can spare. What was found to lead nowhere is kept. Exponential at worst, which is
 * why only up to `exactUpTo` blobs are packed so.
 */
import type { DriveSize } from './lower-bound'

/** Up to so many blobs a packing is exact. */
export const exactUpTo = 24

/** For each drive its size, by index into the sizes, and the blobs on it, by index. */
export interface PackedDrive {
  readonly size: number
  readonly blobs: readonly number[]
}

/**
 * Whether the blobs could fit by a necessary condition: for every length, the pieces of that length that they contain are
 * no more than the drives have room for.
 */
function mayFit(blobs: readonly number[], capacities: readonly number[]): boolean {
  for (const length of blobs) {
    if (length === 0) continue
    for (let parts = 1; parts <= 3; parts += 1) {
      const piecesIn = (bytes: number): number => Math.floor((bytes * parts) / length)
      let needed = 0
      for (const bytes of blobs) needed += piecesIn(bytes)
      for (const bytes of capacities) needed -= piecesIn(bytes)
      if (needed > 0) return false
    }
  }
  return true
}

const indexesOf = (mask: number): number[] => {
  const indexes: number[] = []
  for (let left = mask; left !== 0; left &= left - 1) indexes.push(31 - Math.clz32(left & -left))
  return indexes
}

/** Loads of more candidates than this are looked for by halves, of fewer one blob after another. */
const fewCandidates = 13

/** One search: whether the drives of `counts` hold all blobs. Blobs are sorted, the largest first. */
class Search {
  private readonly blobs: readonly number[]
  private readonly capacities: readonly number[]
  private readonly counts: number[]
  private readonly deadEnds = new Map<string, Set<number>>()
  private readonly filled: { size: number; mask: number }[] = []

  constructor(blobs: readonly number[], capacities: readonly number[], counts: readonly number[]) {
    this.blobs = blobs
    this.capacities = capacities
    this.counts = [...counts]
  }

  run(): readonly PackedDrive[] | null {
    let spare = 0
    for (const [size, count] of this.counts.entries()) spare += count * (this.capacities[size] ?? 0)
    for (const bytes of this.blobs) spare -= bytes
    const all = 2 ** this.blobs.length - 1
    if (spare < 0 || !this.solve(all, spare)) return null
    return this.filled.map(({ size, mask }) => ({ size, blobs: indexesOf(mask) }))
  }

  private leftFits(mask: number): boolean {
    const blobs = indexesOf(mask).map((index) => this.blobs[index] ?? 0)
    const drives = this.counts.flatMap((count, size) =>
      new Array<number>(count).fill(this.capacities[size] ?? 0),
    )
    return mayFit(blobs, drives)
  }

  /** Puts the blobs of `mask` on the drives left, of whose room `spare` bytes may stay unused. */
  private solve(mask: number, spare: number): boolean {
    if (mask === 0) return true
    const drivesLeft = this.counts.join()
    const dead = this.deadEnds.get(drivesLeft) ?? new Set<number>()
    this.deadEnds.set(drivesLeft, dead)
    if (dead.has(mask)) return false
    if (this.leftFits(mask) && this.fillDrive(mask, spare)) return true
    dead.add(mask)
    return false
  }

  /** Puts the largest blob left on a drive of each size in turn, and fills that up. */
  private fillDrive(mask: number, spare: number): boolean {
    const [largest = 0, ...candidates] = indexesOf(mask)
    for (const [size, count] of this.counts.entries()) {
      const room = (this.capacities[size] ?? 0) - (this.blobs[largest] ?? 0)
      if (count === 0 || room < 0) continue
      this.counts[size] = count - 1
      const accept = (load: number, unused: number): boolean => {
        if (this.isDominated(candidates, load, unused)) return false
        const onDrive = load | (1 << largest)
        this.filled.push({ size, mask: onDrive })
        if (this.solve(mask & ~onDrive, spare - unused)) return true
        this.filled.pop()
        return false
      }
      const solved =
        candidates.length > fewCandidates
          ? this.loadsByHalves(candidates, room, spare, accept)
          : this.loads(candidates, 0, { mask: 0, room, spare }, accept)
      if (solved) return true
      this.counts[size] = count
    }
    return false
  }

  /** Offers every load of the candidates from `at` on that leaves at most `spare` of the room, the largest blobs first. */
  private loads(
    candidates: readonly number[],
    at: number,
    load: { readonly mask: number; readonly room: number; readonly spare: number },
    accept: (mask: number, unused: number) => boolean,
  ): boolean {
    let undecided = 0
    for (let next = at; next < candidates.length; next += 1)
      undecided += this.blobs[candidates[next] ?? 0] ?? 0
    if (load.room - undecided > load.spare) return false
    const index = candidates[at]
    if (index === undefined) return accept(load.mask, load.room)
    const bytes = this.blobs[index] ?? 0
    if (bytes <= load.room) {
      const taken = { ...load, mask: load.mask | (1 << index), room: load.room - bytes }
      if (this.loads(candidates, at + 1, taken, accept)) return true
    }
    return this.loads(candidates, at + 1, load, accept)
  }

  /** The same loads, as pairs of one half’s and the other half’s sums: 2 × 2^(n ÷ 2) sums instead of 2^n loads. */
  private loadsByHalves(
    candidates: readonly number[],
    room: number,
    spare: number,
    accept: (mask: number, unused: number) => boolean,
  ): boolean {
    const even = this.sumsOf(candidates.filter((_, at) => at % 2 === 0))
    const odd = this.sumsOf(candidates.filter((_, at) => at % 2 === 1))
    let highest = odd.length - 1
    for (const half of even) {
      while (highest >= 0 && half.sum + (odd[highest]?.sum ?? 0) > room) highest -= 1
      for (let at = highest; at >= 0; at -= 1) {
        const match = odd[at]
        if (!match) break
        const unused = room - half.sum - match.sum
        if (unused > spare) break
        if (accept(half.mask | match.mask, unused)) return true
      }
    }
    return false
  }

  /** Every sum of a few blobs, ascending. */
  private sumsOf(indexes: readonly number[]): readonly { sum: number; mask: number }[] {
    let sums = [{ sum: 0, mask: 0 }]
    for (const index of indexes) {
      const bytes = this.blobs[index] ?? 0
      const merged: { sum: number; mask: number }[] = []
      let without = 0
      let withIt = 0
      while (withIt < sums.length) {
        const plain = sums[without]
        const raised = sums[withIt]
        if (plain && raised && plain.sum <= raised.sum + bytes) {
          merged.push(plain)
          without += 1
        } else {
          if (raised) merged.push({ sum: raised.sum + bytes, mask: raised.mask | (1 << index) })
          withIt += 1
        }
      }
      sums = merged
    }
    return sums
  }

  /**
   * Whether a load need not be tried: a blob left out would fit beside it, or in the place of a smaller blob or of two
   * that are together no larger (those could then go where it was). Of equal blobs only the first are taken.
   */
  private isDominated(candidates: readonly number[], load: number, unused: number): boolean {
    const taken: number[] = []
    let before = -1
    for (const index of candidates) {
      const bytes = this.blobs[index] ?? 0
      if ((load >>> index) & 1) {
        if (bytes === before) return true
        if (bytes > 0) taken.push(bytes)
        continue
      }
      before = bytes
      if (bytes <= unused) return true
    }
    for (const index of candidates) {
      if ((load >>> index) & 1) continue
      const left = this.blobs[index] ?? 0
      for (let first = 0; first < taken.length; first += 1) {
        const smaller = taken[first] ?? 0
        if (smaller < left && left <= smaller + unused) return true
        for (let second = first + 1; second < taken.length; second += 1) {
          const both = smaller + (taken[second] ?? 0)
          if (both <= left && left <= both + unused) return true
        }
      }
    }
    return false
  }
}

/** A choice of so many drives of each size, and what they hold together. */
interface DriveSet {
  readonly counts: readonly number[]
  readonly capacity: number
}

/** The sets of `total` drives, the least capacity first: from the smallest drives on, one is exchanged for the next larger. */
function* setsByCapacity(sizes: readonly DriveSize[], total: number): Generator<DriveSet> {
  const capacityOf = (counts: readonly number[]): number =>
    counts.reduce((sum, count, size) => sum + count * (sizes[size]?.bytes ?? 0), 0)
  const smallest = new Array<number>(sizes.length).fill(0)
  let left = total
  for (let size = sizes.length - 1; size >= 0 && left > 0; size -= 1) {
    smallest[size] = Math.min(left, sizes[size]?.count ?? 0)
    left -= smallest[size] ?? 0
  }
  if (left > 0) return
  const waiting: DriveSet[] = [{ counts: smallest, capacity: capacityOf(smallest) }]
  const seen = new Set([smallest.join()])
  while (waiting.length > 0) {
    let least = 0
    for (let at = 1; at < waiting.length; at += 1)
      if ((waiting[at]?.capacity ?? 0) < (waiting[least]?.capacity ?? 0)) least = at
    const [set] = waiting.splice(least, 1)
    if (!set) return
    yield set
    for (let size = 1; size < sizes.length; size += 1) {
      for (let larger = size - 1; larger >= 0; larger -= 1) {
        if ((set.counts[size] ?? 0) === 0) break
        if ((set.counts[larger] ?? 0) >= (sizes[larger]?.count ?? 0)) continue
        const counts = [...set.counts]
        counts[size] = (counts[size] ?? 0) - 1
        counts[larger] = (counts[larger] ?? 0) + 1
        const key = counts.join()
        if (!seen.has(key)) {
          seen.add(key)
          waiting.push({ counts, capacity: capacityOf(counts) })
        }
        break
      }
    }
  }
}

/** The `total` largest drives, or null where there are not so many. */
function largestSet(sizes: readonly DriveSize[], total: number): readonly number[] | null {
  let left = total
  const counts = sizes.map(({ count }) => {
    const taken = Math.min(left, count)
    left -= taken
    return taken
  })
  return left > 0 ? null : counts
}

/**
 * Packs at most `exactUpTo` blobs, given the largest first, on the fewest drives of `sizes` (the largest first) and of the
 * least capacity; `from` is a number of drives that none goes below. Null where the drives do not suffice.
 */
export function packExactly(
  blobs: readonly number[],
  sizes: readonly DriveSize[],
  from: number,
): readonly PackedDrive[] | null {
  if (blobs.length === 0) return []
  const capacities = sizes.map(({ bytes }) => bytes)
  const volume = blobs.reduce((sum, bytes) => sum + bytes, 0)
  for (let total = Math.max(1, from); total <= blobs.length; total += 1) {
    const largest = largestSet(sizes, total)
    if (!largest) return null
    const packed = new Search(blobs, capacities, largest).run()
    if (!packed) continue
    // With the largest drives it goes: now with the least capacity that does.
    for (const { counts, capacity } of setsByCapacity(sizes, total)) {
      if (capacity < volume) continue
      const least = new Search(blobs, capacities, counts).run()
      if (least) return least
    }
    return packed
  }
  return null
}
