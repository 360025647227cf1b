/** The journal: one line for everything that was decided or happened, in the order it was recorded. */
import { Op, type Transaction, type WhereOptions } from 'sequelize'
import type { Params } from '~/core/contract'
import { currentActor } from '../actor'
import type { Hub, JournalEntry } from '../live/hub'
import { JournalRow } from '../records/models'

export interface Line {
  readonly kind: string
  readonly change?: number
  readonly about?: string
  readonly says: string
  /** What the sentence tells, by name. */
  readonly params: Params
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
    params: row.params,
    by: row.by,
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
          params: line.params,
          by: currentActor(),
        },
        { transaction },
      ),
    ),
  )
  transaction.afterCommit(() => {
    for (const row of rows) hub.emit('journal', entryOf(row))
  })
}

export interface JournalFilter {
  readonly after?: number | undefined
  readonly before?: number | undefined
  readonly kind?: string | undefined
  readonly change?: number | undefined
  readonly text?: string | undefined
  readonly limit: number
}

/** Journal lines: after a sequence number oldest first, else newest first. */
export async function readJournal(filter: JournalFilter): Promise<readonly JournalEntry[]> {
  const seq = {
    ...(filter.after === undefined ? {} : { [Op.gt]: filter.after }),
    ...(filter.before === undefined ? {} : { [Op.lt]: filter.before }),
  }
  const where: WhereOptions = {
    ...(filter.after === undefined && filter.before === undefined ? {} : { seq }),
    ...(filter.kind === undefined ? {} : { kind: { [Op.startsWith]: filter.kind } }),
    ...(filter.change === undefined ? {} : { change: filter.change }),
    ...(filter.text === undefined ? {} : { says: { [Op.substring]: filter.text } }),
  }
  const rows = await JournalRow.findAll({
    where,
    order: [['seq', filter.after === undefined ? 'DESC' : 'ASC']],
    limit: filter.limit,
  })
  return rows.map(entryOf)
}
