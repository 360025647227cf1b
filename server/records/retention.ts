/** How long is kept what only tells of the past. Changes, their steps and their causes stay. */
import { literal, Op } from 'sequelize'
import type { Database } from './database'
import { EvidenceRow, JournalRow } from './models'

/** Lines of the journal that are kept, newest first; at a line a second of the clock that is more than two days of nothing but lines. */
export const mostJournalLines = 200_000
/** Lines of commands’ evidence that are kept, newest runs first. */
export const mostEvidence = 200_000

/** Lets the oldest lines of the journal and of evidence go, where there are more than are kept; what is given back is how many went. */
export function thinRecords(
  database: Database,
  { journal, evidence } = { journal: mostJournalLines, evidence: mostEvidence },
): Promise<number> {
  return database.write(async (transaction) => {
    const last = (await JournalRow.max<number, JournalRow>('seq', { transaction })) ?? 0
    const lines = await JournalRow.destroy({
      where: { seq: { [Op.lte]: last - journal } },
      transaction,
    })
    const kept = await EvidenceRow.findOne({
      attributes: ['change'],
      order: [
        ['change', 'DESC'],
        ['index', 'DESC'],
      ],
      offset: evidence,
      transaction,
    })
    if (kept === null) return lines
    // A run that would be cut goes whole; those that have not ended keep theirs.
    const old = await EvidenceRow.destroy({
      where: {
        change: {
          [Op.lte]: kept.change,
          [Op.in]: literal('(SELECT number FROM changes WHERE endedAt IS NOT NULL)'),
        },
      },
      transaction,
    })
    return lines + old
  })
}
