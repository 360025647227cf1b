/**
 * A heap of timed events: earliest first, first come first served at one time. O(log n) for push and pop.
 * Four children an entry. Entries are numbers in typed arrays, events stay in the slot they were put into: moving an
 * entry touches no event.
 */

export interface Timed {
  /** Milliseconds on the virtual clock. */
  readonly at: number
  /** Order of scheduling, unique. */
  readonly seq: number
}

const arity = 4

export class EventQueue<E extends Timed> {
  /** Events by slot; an empty slot is undefined. */
  private readonly events: (E | undefined)[] = []
  private readonly free: number[] = []
  /** The heap: when and in which order each entry is due, and the slot of its event. */
  private times = new Float64Array(256)
  private order = new Float64Array(256)
  private slots = new Int32Array(256)
  private count = 0

  constructor(events: readonly E[] = []) {
    for (const event of events) this.push(event)
  }

  get length(): number {
    return this.count
  }

  peek(): E | undefined {
    return this.count === 0 ? undefined : this.events[this.slots[0] ?? -1]
  }

  push(event: E): void {
    if (this.count === this.times.length) this.grow()
    const slot = this.free.pop() ?? this.events.length
    this.events[slot] = event
    this.rise(this.count++, event.at, event.seq, slot)
  }

  pop(): E | undefined {
    if (this.count === 0) return undefined
    const { times, order, slots } = this
    const slot = slots[0] ?? -1
    const top = this.events[slot]
    this.events[slot] = undefined
    this.free.push(slot)
    const last = --this.count
    if (last > 0) this.sink(times[last] ?? 0, order[last] ?? 0, slots[last] ?? 0)
    return top
  }

  /** All events, in no particular order. */
  all(): readonly E[] {
    return this.events.filter((event) => event !== undefined)
  }

  private grow(): void {
    const { times, order, slots } = this
    this.times = new Float64Array(times.length * 2)
    this.order = new Float64Array(times.length * 2)
    this.slots = new Int32Array(times.length * 2)
    this.times.set(times)
    this.order.set(order)
    this.slots.set(slots)
  }

  /** Puts an entry where it belongs, at the index or above. */
  private rise(from: number, at: number, seq: number, slot: number): void {
    const { times, order, slots } = this
    let index = from
    while (index > 0) {
      const parent = (index - 1) >> 2
      const time = times[parent] ?? 0
      if (at > time || (at === time && seq > (order[parent] ?? 0))) break
      times[index] = time
      order[index] = order[parent] ?? 0
      slots[index] = slots[parent] ?? 0
      index = parent
    }
    times[index] = at
    order[index] = seq
    slots[index] = slot
  }

  /** Puts an entry where it belongs, at the top or below. */
  private sink(at: number, seq: number, slot: number): void {
    const { times, order, slots, count } = this
    let index = 0
    for (;;) {
      const child = this.leastChild(index)
      if (child >= count) break
      const time = times[child] ?? 0
      if (at < time || (at === time && seq < (order[child] ?? 0))) break
      times[index] = time
      order[index] = order[child] ?? 0
      slots[index] = slots[child] ?? 0
      index = child
    }
    times[index] = at
    order[index] = seq
    slots[index] = slot
  }

  /** The child of an entry that comes first; past the end where it has none. */
  private leastChild(index: number): number {
    const { times, order, count } = this
    const first = index * arity + 1
    const end = Math.min(first + arity, count)
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
