/** Work in lanes: of one lane one piece at a time and in order, lanes beside each other. */

export class Lanes<Key> {
  private readonly ends = new Map<Key, Promise<unknown>>()

  /** Resolves with what the work gives; `onError` is told of what it throws, too, so that the lane goes on. */
  enter<T>(key: Key, work: () => Promise<T>, onError: (error: unknown) => void): Promise<T> {
    const turn = (this.ends.get(key) ?? Promise.resolve()).then(work)
    const end = turn.catch(onError).finally(() => {
      if (this.ends.get(key) === end) this.ends.delete(key)
    })
    this.ends.set(key, end)
    return turn
  }

  /** Resolves when nothing is left in any lane. */
  async atRest(): Promise<void> {
    while (this.ends.size > 0) await Promise.all(this.ends.values())
  }
}
