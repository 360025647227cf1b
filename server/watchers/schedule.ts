/** The schedule at work: when the time of a change has come, it is checked, planned and run; sets go on when their waits are over. */
import type { Changes } from '../changes/changes'
import { Looker, type LookerParts } from './looker'
import type { Watcher } from './watcher'

export class Schedule implements Watcher {
  private dueAt: number | null = null
  private readonly looker: Looker

  private readonly changes: Changes
  private readonly clock: LookerParts['clock']

  constructor({ changes, clock, onError }: Pick<LookerParts, 'changes' | 'clock' | 'onError'>) {
    this.changes = changes
    this.clock = clock
    this.looker = new Looker(
      async () => {
        this.dueAt = await this.changes.runDue()
      },
      onError,
      'schedule',
    )
  }

  wakeAt(): number | null {
    const set = this.changes.sets.wakeAt()
    return this.dueAt === null || set === null ? (this.dueAt ?? set) : Math.min(this.dueAt, set)
  }

  look(): void {
    this.changes.sets.woken(this.clock.now)
    this.looker.look()
  }

  async atRest(): Promise<void> {
    await this.looker.atRest()
    await this.changes.atRest()
  }

  registered(): void {
    this.look()
  }
}
