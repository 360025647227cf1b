/**
 * A heap of timed events: earliest first, first come first served at one time. O(log n) for push and pop.
 * Four children a node, times and order in arrays of their own: comparing touches no event.
 */

export interface Timed {
  /** Milliseconds on the virtual clock. */
  readonly at: number
  /** Order of scheduling, unique. */
  readonly seq: number
}

const arity = 4

export class EventQueue<E extends Timed> {
  private readonly events: E[] = []
  private readonly times: number[] = []
  private readonly order: number[] = []

  constructor(events: readonly E[] = []) {
    for (const event of events) this.push(event)
  }

  get length(): number {
    return this.events.length
  }

  peek(): E | undefined {
    return this.events[0]
  }

  push(event: E): void {
    this.events.push(event)
    this.times.push(event.at)
    this.order.push(event.seq)
    this.rise(this.events.length - 1, event)
  }

  pop(): E | undefined {
    const { events } = this
    const top = events[0]
    const last = events.pop()
    const at = this.times.pop()
    const seq = this.order.pop()
    if (last !== undefined && at !== undefined && seq !== undefined && events.length > 0)
      this.sink(last, at, seq)
    return top
  }

  /** All events, in no particular order. */
  all(): readonly E[] {
    return this.events
  }

  private isBefore(at: number, seq: number, index: number): boolean {
    const time = this.times[index] ?? Infinity
    return at < time || (at === time && seq < (this.order[index] ?? Infinity))
  }

  private put(index: number, event: E, at: number, seq: number): void {
    this.events[index] = event
    this.times[index] = at
    this.order[index] = seq
  }

  /** Moves what stands at one place to another. */
  private move(from: number, to: number): void {
    const event = this.events[from]
    if (event) this.put(to, event, this.times[from] ?? Infinity, this.order[from] ?? Infinity)
  }

  /** Moves an event up from where it was put to where it belongs. */
  private rise(from: number, event: E): void {
    const { at, seq } = event
    let index = from
    while (index > 0) {
      const parent = (index - 1) >> 2
      if (!this.isBefore(at, seq, parent)) break
      this.move(parent, index)
      index = parent
    }
    this.put(index, event, at, seq)
  }

  /** Moves an event down from the top to where it belongs. */
  private sink(event: E, at: number, seq: number): void {
    const { length } = this.events
    let index = 0
    for (;;) {
      const child = this.leastChild(index, length)
      if (child >= length || this.isBefore(at, seq, child)) break
      this.move(child, index)
      index = child
    }
    this.put(index, event, at, seq)
  }

  /** The child of an entry that comes first; past the end where it has none. */
  private leastChild(index: number, length: number): number {
    const { times, order } = this
    const first = index * arity + 1
    const end = Math.min(first + arity, length)
    let least = first
    let leastAt = times[first] ?? Infinity
    for (let child = first + 1; child < end; child++) {
      const at = times[child] ?? Infinity
      if (at > leastAt || (at === leastAt && (order[child] ?? 0) > (order[least] ?? 0))) continue
      least = child
      leastAt = at
    }
    return least
  }
}
