/**
 * Work handed out to lanes: the longest piece first, each to the lane that ends earliest. Gives the length of the lane
 * that ends last. O(pieces × log(pieces × lanes)): the lanes are a heap by their ends.
 */
export function longestLane(pieces: readonly number[], lanes: number): number {
  const longestFirst = [...pieces].sort((a, b) => b - a)
  const ends = new Array<number>(Math.max(1, Math.min(lanes, pieces.length))).fill(0)
  let last = 0
  for (const piece of longestFirst) {
    const end = (ends[0] ?? 0) + piece
    last = Math.max(last, end)
    replaceLeast(ends, end)
  }
  return last
}

/** Puts `value` in the place of the least of a heap and lets it sink to where it belongs. */
function replaceLeast(heap: number[], value: number): void {
  let at = 0
  for (;;) {
    const left = 2 * at + 1
    if (left >= heap.length) break
    const right = left + 1
    const child = right < heap.length && (heap[right] ?? 0) < (heap[left] ?? 0) ? right : left
    if ((heap[child] ?? 0) >= value) break
    heap[at] = heap[child] ?? 0
    at = child
  }
  heap[at] = value
}

/** Whole seconds, rounded up, that so many bytes take at a rate; exact where both are whole numbers. */
export function secondsFor(bytes: number, bytesPerSecond: number): number {
  if (!Number.isSafeInteger(bytes) || !Number.isSafeInteger(bytesPerSecond))
    return Math.ceil(bytes / bytesPerSecond)
  const rate = BigInt(bytesPerSecond)
  return Number((BigInt(bytes) + rate - 1n) / rate)
}
