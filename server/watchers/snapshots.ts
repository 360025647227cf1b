/** Schedules of snapshots at work: when one is due a snapshot is taken like any change, and what is more than is kept goes. */
import { clusterOf } from '~/core/fleet'
import { nextSnapshot, scheduledName, scheduledPrefix } from '~/core/storage/changes'
import { compareText } from '~/core/units'
import type { Database } from '../records/database'
import { SnapshotScheduleRow } from '../records/storage-rows'
import type { LookerParts } from './looker'
import { TimedWatcher } from './timed'

const mark = 'snapshot schedule'
/** A snapshot that could not be taken is tried again after this long. */
const againMs = 600_000
/** One that was due longer ago than this is not made up for. */
const latestMs = 3_600_000

interface SnapshotsParts extends LookerParts {
  readonly database: Database
}

export class Snapshots extends TimedWatcher {
  constructor(private readonly parts: SnapshotsParts) {
    super(parts.onError, mark)
  }

  protected async once(): Promise<void> {
    const { now } = this.parts.clock
    let next: number | null = null
    for (const row of await SnapshotScheduleRow.findAll()) {
      const due = this.dueOf(row, now)
      const refused = due === null ? null : await this.take(row, due)
      if (due !== null && refused === null)
        await this.parts.database.write((transaction) =>
          row.update({ doneAt: new Date(due).toISOString() }, { transaction }),
        )
      const coming = refused === null ? nextSnapshot(row, now) : now + againMs
      if (coming !== null) next = Math.min(next ?? Infinity, coming)
    }
    this.dueAt = next
  }

  /** The last time by now that was not seen to, or null; what was missed long ago is passed over. */
  private dueOf(row: SnapshotScheduleRow, now: number): number | null {
    let due: number | null = null
    let after = Math.max(Date.parse(row.doneAt), now - latestMs)
    for (;;) {
      const at = nextSnapshot(row, after)
      if (at === null || at > now) return due
      due = at
      after = at
    }
  }

  /** Null once it is under way; else why it cannot be. */
  private async take(row: SnapshotScheduleRow, at: number): Promise<string | null> {
    const { cluster, volume, keep } = row
    const view = await this.parts.fleet.view()
    const held = clusterOf(view, cluster)?.storage?.volumes.find(({ name }) => name === volume)
    const own = (held?.snapshots ?? [])
      .map((snapshot) => snapshot.name)
      .filter((name) => name.startsWith(scheduledPrefix))
      .sort(compareText)
    for (const snapshot of own.slice(0, Math.max(0, own.length - keep + 1)))
      await this.parts.changes.runUnattended('snapshot.remove', { cluster, volume, snapshot }, mark)
    const refused = await this.parts.changes.runUnattended(
      'snapshot.take',
      { cluster, volume, snapshot: scheduledName(at) },
      mark,
    )
    if (refused !== null)
      await this.parts.journal({
        kind: 'snapshot.stuck',
        about: `cluster/${cluster}`,
        says: `the schedule cannot take a snapshot of ${volume}: ${refused}`,
        params: { cluster, volume, refused },
      })
    return refused
  }
}
