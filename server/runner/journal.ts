/** The journal: one line for everything that was decided or happened, in the order it was recorded. */
import type { Transaction } from 'sequelize'
import type { Hub, JournalEntry } from '../live/hub'
import { JournalRow } from '../records/models'

export interface Line {
  readonly kind: string
  readonly change?: number
  readonly about?: string
  readonly says: string
}

export const changeId = (number: number): string => `c-${number}`

export function entryOf(row: JournalRow): JournalEntry {
  return {
    seq: row.seq,
    at: row.at,
    wall: row.wall.toISOString(),
    kind: row.kind,
    change: row.change === null ? null : changeId(row.change),
    about: row.about,
    says: row.says,
  }
}

/** Writes lines in the transaction and tells them once it is committed. `at` is ISO clock time. */
export async function writeJournal(
  hub: Hub,
  transaction: Transaction,
  at: string,
  lines: readonly Line[],
): Promise<void> {
  const rows = await Promise.all(
    lines.map((line) =>
      JournalRow.create(
        {
          at,
          wall: new Date(),
          kind: line.kind,
          change: line.change ?? null,
          about: line.about ?? null,
          says: line.says,
        },
        { transaction },
      ),
    ),
  )
  transaction.afterCommit(() => {
    for (const row of rows) hub.emit('journal', entryOf(row))
  })
}
