/** A binary heap of timed events: earliest first, first come first served at one time. O(log n) for push and pop. */

export interface Timed {
  /** Milliseconds on the virtual clock. */
  readonly at: number
  /** Order of scheduling, unique. */
  readonly seq: number
}

const before = (a: Timed, b: Timed): boolean => a.at < b.at || (a.at === b.at && a.seq < b.seq)

export class EventQueue<E extends Timed> {
  private readonly heap: E[]

  constructor(events: readonly E[] = []) {
    this.heap = [...events].sort((a, b) => (before(a, b) ? -1 : 1))
  }

  get length(): number {
    return this.heap.length
  }

  peek(): E | undefined {
    return this.heap[0]
  }

  push(event: E): void {
    const { heap } = this
    let at = heap.length
    heap.push(event)
    while (at > 0) {
      const parent = (at - 1) >> 1
      const above = heap[parent]
      if (above === undefined || !before(event, above)) break
      heap[at] = above
      at = parent
    }
    heap[at] = event
  }

  pop(): E | undefined {
    const { heap } = this
    const top = heap[0]
    const last = heap.pop()
    if (top === undefined || last === undefined || heap.length === 0) return top
    let at = 0
    for (;;) {
      let child = 2 * at + 1
      const left = heap[child]
      if (left === undefined) break
      const right = heap[child + 1]
      let least = left
      if (right !== undefined && before(right, left)) {
        least = right
        child++
      }
      if (!before(least, last)) break
      heap[at] = least
      at = child
    }
    heap[at] = last
    return top
  }

  /** All events, in no particular order. */
  all(): readonly E[] {
    return this.heap
  }
}
