/** A watcher that looks when time has come, or when something was registered; never two looks at once. */
import type { Actor } from '../actor'
import { Looker } from './looker'
import type { Watcher } from './watcher'

export abstract class TimedWatcher implements Watcher {
  /** When it is due again (ms), or null. */
  protected dueAt: number | null = null
  private readonly looker: Looker

  constructor(onError: (error: unknown) => void, actor: Actor) {
    this.looker = new Looker(() => this.once(), onError, actor)
  }

  wakeAt(): number | null {
    return this.dueAt
  }

  atRest(): Promise<void> {
    return this.looker.atRest()
  }

  look(): void {
    this.looker.look()
  }

  registered(): void {
    this.look()
  }

  /** Looks, and says when it is due again. */
  protected abstract once(): Promise<void>
}
