/** The schedule at work: when the time of a change has come, it is checked, planned and run. */
import type { Changes } from '../changes/changes'
import { Looker } from './looker'
import type { Watcher } from './watcher'

export class Schedule implements Watcher {
  private dueAt: number | null = null
  private readonly looker: Looker

  constructor(
    private readonly changes: Changes,
    onError: (error: unknown) => void,
  ) {
    this.looker = new Looker(async () => {
      this.dueAt = await this.changes.runDue()
    }, onError)
  }

  wakeAt(): number | null {
    return this.dueAt
  }

  look(): void {
    this.looker.look()
  }

  atRest(): Promise<void> {
    return this.looker.atRest()
  }

  registered(): void {
    this.look()
  }
}
