/**
 * How many drives no packing can go below: by volume with the largest drives first, and by the dual feasible functions of
 * Fekete and Schepers (“New classes of fast lower bounds for bin packing problems”, 2001). All in exact integers.
 */
import type { Medium } from './catalogue'

/** Drives of one size, and how many there are. */
export interface DriveSize {
  readonly name: string
  readonly bytes: number
  readonly count: number
}

/** Sizes that there are any of, the largest first and then by name; without a count as many as are needed. */
export const driveSizes = (media: readonly Medium[]): readonly DriveSize[] =>
  media
    .map(({ name, bytes, count }) => ({ name, bytes, count: count ?? Infinity }))
    .filter(({ count }) => count > 0)
    .sort((a, b) => b.bytes - a.bytes || (a.name < b.name ? -1 : 1))

const ceilOf = (numerator: bigint, denominator: bigint): number =>
  Number((numerator + denominator - 1n) / denominator)

const sum = (sizes: readonly number[]): bigint =>
  sizes.reduce((total, size) => total + BigInt(size), 0n)

function byVolume(sizes: readonly number[], drives: readonly DriveSize[]): number {
  let left = sum(sizes)
  let needed = 0
  for (const { bytes, count } of drives) {
    if (left <= 0n) break
    const filled = Math.min(count, ceilOf(left, BigInt(bytes)))
    needed += filled
    left -= BigInt(bytes) * BigInt(filled)
  }
  return needed
}

/** ⌈Σ f(b) ÷ k⌉ with f(b) = ⌊(k + 1) b ÷ C⌋, but k b ÷ C where (k + 1) b ÷ C is whole. */
function byDualFunction(sizes: readonly number[], largest: number, k: bigint): number {
  const capacity = BigInt(largest)
  let whole = 0n
  let floors = 0n
  for (const size of sizes) {
    const scaled = (k + 1n) * BigInt(size)
    if (scaled % capacity === 0n) whole += BigInt(size)
    else floors += scaled / capacity
  }
  return ceilOf(k * whole + capacity * floors, k * capacity)
}

/** The least number of drives for blobs of these sizes, each of which fits the largest drive. */
export function lowerBound(sizes: readonly number[], drives: readonly DriveSize[]): number {
  const largest = drives[0]
  if (!largest || sizes.length === 0) return 0
  const bounds = [byVolume(sizes, drives)]
  for (let k = 1n; k <= 10n; k += 1n) bounds.push(byDualFunction(sizes, largest.bytes, k))
  return Math.max(...bounds)
}
