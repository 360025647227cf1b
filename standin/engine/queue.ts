/**
 * A heap of timed events: earliest first, first come first served at one time. O(log n) for push and pop.
 * Four children a node and the times in an array of their own: comparing touches no event.
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
    this.rise(this.events.length - 1, event)
  }

  pop(): E | undefined {
    const { events } = this
    const top = events[0]
    const last = events.pop()
    this.times.pop()
    if (last !== undefined && events.length > 0) this.sink(last)
    return top
  }

  /** All events, in no particular order. */
  all(): readonly E[] {
    return this.events
  }

  private isBefore(at: number, event: Timed, index: number): boolean {
    const time = this.times[index] ?? Infinity
    return at < time || (at === time && event.seq < (this.events[index]?.seq ?? Infinity))
  }

  private put(index: number, event: E, at: number): void {
    this.events[index] = event
    this.times[index] = at
  }

  /** Moves an event up from where it was put to where it belongs. */
  private rise(from: number, event: E): void {
    let index = from
    while (index > 0) {
      const parent = (index - 1) >> 2
      const above = this.events[parent]
      if (above === undefined || !this.isBefore(event.at, event, parent)) break
      this.put(index, above, above.at)
      index = parent
    }
    this.put(index, event, event.at)
  }

  /** Moves an event down from the top to where it belongs. */
  private sink(event: E): void {
    let index = 0
    for (;;) {
      const child = this.leastChild(index)
      const below = this.events[child]
      if (below === undefined || this.isBefore(event.at, event, child)) break
      this.put(index, below, below.at)
      index = child
    }
    this.put(index, event, event.at)
  }

  /** The child of an entry that comes first; past the end where it has none. */
  private leastChild(index: number): number {
    const first = index * arity + 1
    const end = Math.min(first + arity, this.events.length)
    let least = first
    for (let child = first + 1; child < end; child++) {
      const event = this.events[child]
      if (event !== undefined && this.isBefore(event.at, event, least)) least = child
    }
    return least
  }
}
