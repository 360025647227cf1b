/** What acts by itself: it looks when something has changed or is due, and what it decides is run like any change. */
import type { SliceName } from '~/core/contract'

export interface Watcher {
  /** The next clock time (ms) at which it wants to look, or null. */
  wakeAt(): number | null
  /** What was due is due. Never two looks at once. */
  look(): void
  /** Resolves when it is not looking. */
  atRest(): Promise<void>
  /** Slices are not what they were. */
  stirred?(slices: readonly SliceName[]): void
  /** Gyrarch’s own register was written to, or the program has started. */
  registered?(): void
}

/** All watchers as one. */
export class Watchers implements Required<Watcher> {
  constructor(private readonly watchers: readonly Watcher[]) {}

  wakeAt(): number | null {
    let first: number | null = null
    for (const watcher of this.watchers) {
      const at = watcher.wakeAt()
      first = earliest(first, at)
    }
    return first
  }

  look(): void {
    for (const watcher of this.watchers) watcher.look()
  }

  /** Those that were due by now look. */
  woken(now: number): void {
    for (const watcher of this.watchers) {
      const at = watcher.wakeAt()
      if (at !== null && at <= now) watcher.look()
    }
  }

  async atRest(): Promise<void> {
    for (const watcher of this.watchers) await watcher.atRest()
  }

  stirred(slices: readonly SliceName[]): void {
    for (const watcher of this.watchers) watcher.stirred?.(slices)
  }

  registered(): void {
    for (const watcher of this.watchers) watcher.registered?.()
  }
}

/** The earlier of two times, where null is never. */
export const earliest = (a: number | null, b: number | null): number | null =>
  a === null || b === null ? (a ?? b) : Math.min(a, b)
