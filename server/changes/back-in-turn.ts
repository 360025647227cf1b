/** Runs taken back one after another: each goes once the one before it is gone; where one halts, the rest stay. */
import { ChangeRow } from '../records/models'
import { isoClock } from '../runner/active'
import { changeId, writeJournal } from '../runner/journal'
import type { ChangesParts } from './parts'
import { lockAgain } from './take-back'

export class BackInTurn {
  private turning: Promise<void> = Promise.resolve()

  constructor(private readonly parts: ChangesParts) {}

  /** Resolves when nothing that follows from the end of a run is being done. */
  atRest(): Promise<void> {
    return this.turning
  }

  /** Begins with the first; the others follow by themselves. */
  async begin(rows: readonly ChangeRow[]): Promise<void> {
    const [first, ...others] = rows
    if (!first) return
    if (others.length > 0) this.follow(first.number, others)
    await this.beginBack(first)
  }

  private async beginBack(row: ChangeRow): Promise<void> {
    if (row.state === 'done' || row.state === 'given-up') {
      await lockAgain(this.parts, row)
      await this.parts.runner.reload(row.number)
    }
    await this.parts.runner.takeBack(row.number)
  }

  private follow(first: number, others: readonly ChangeRow[]): void {
    const rest = others.map((row) => row.number)
    let before = first
    const heard = ({ change }: { change: number }): void => {
      if (change !== before) return
      this.turning = this.turning
        .then(async () => {
          const [next] = rest
          const state = (await ChangeRow.findByPk(before))?.state
          if (change !== before || state === 'running' || state === 'undoing') return
          const row = next === undefined ? null : await ChangeRow.findByPk(next)
          if (!row || state !== 'taken-back') {
            this.parts.hub.off('run', heard)
            if (row) await this.tellKept(row, before, state ?? 'gone')
            return
          }
          rest.shift()
          before = row.number
          await this.beginBack(row)
        })
        .catch((error: unknown) => {
          this.parts.hub.off('run', heard)
          this.parts.onError(error)
        })
    }
    this.parts.hub.on('run', heard)
  }

  private async tellKept(row: ChangeRow, before: number, state: string): Promise<void> {
    const { hub, database, clock } = this.parts
    await database.write((transaction) =>
      writeJournal(hub, transaction, isoClock(clock.now), [
        {
          kind: 'run.kept',
          change: row.number,
          says: `${row.label} is not taken back: ${changeId(before)} is ${state}`,
          params: { label: row.label, before: changeId(before), state },
        },
      ]),
    )
  }
}
