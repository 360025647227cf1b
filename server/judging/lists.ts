/**
 * Lists of objects that a thread keeps: it is sent the objects that it has not, some at a time, and then which of those
 * it has the list is made of. An object is the same while it is the same in memory.
 */

export type ListMessage =
  | {
      readonly what: 'objects'
      readonly key: string
      readonly fresh: readonly (readonly [number: number, object: unknown])[]
    }
  | { readonly what: 'list'; readonly key: string; readonly numbers: Uint32Array }

/** Cloning so many takes some milliseconds. */
const atOnce = 200

/** What whoever sends remembers of a thread. */
export class ListsSent {
  private last = 0
  private readonly numbers = new WeakMap<object, number>()
  private readonly held = new Map<string, ReadonlySet<number>>()

  drop(key: string): void {
    this.held.delete(key)
  }

  /** What the thread must be told to have a list; nothing holds until all of it was sent. */
  *messages(key: string, list: readonly object[]): Generator<ListMessage> {
    const before = this.held.get(key)
    const numbers = Uint32Array.from(list, (object) => this.numberOf(object))
    const missing = list.flatMap((object, i) => {
      const number = numbers[i] ?? 0
      return before?.has(number) ? [] : [[number, object] as const]
    })
    for (let from = 0; from < missing.length; from += atOnce)
      yield { what: 'objects', key, fresh: missing.slice(from, from + atOnce) }
    yield { what: 'list', key, numbers }
    this.held.set(key, new Set(numbers))
  }

  private numberOf(object: object): number {
    const existing = this.numbers.get(object)
    if (existing !== undefined) return existing
    this.numbers.set(object, ++this.last)
    return this.last
  }
}

/** What the thread has of them. */
export class ListsHeld {
  private readonly held = new Map<string, ReadonlyMap<number, unknown>>()
  private readonly coming = new Map<string, Map<number, unknown>>()

  /** The list once it is whole, else null. */
  take(message: ListMessage): readonly unknown[] | null {
    const { key } = message
    if (message.what === 'objects') {
      const coming = this.coming.get(key) ?? new Map<number, unknown>()
      for (const [number, object] of message.fresh) coming.set(number, object)
      this.coming.set(key, coming)
      return null
    }
    const before = this.held.get(key)
    const coming = this.coming.get(key)
    const list = new Map<number, unknown>()
    for (const number of message.numbers)
      list.set(number, coming?.get(number) ?? before?.get(number))
    this.held.set(key, list)
    this.coming.delete(key)
    return [...message.numbers].map((number) => list.get(number))
  }

  drop(key: string): void {
    this.held.delete(key)
    this.coming.delete(key)
  }
}
