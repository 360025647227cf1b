/** How long is kept what only tells of the past. Changes, their steps and their causes stay. */
import { literal, Op } from 'sequelize'
import type { Database } from './database'
import { EvidenceRow, JournalRow } from './models'

/** Lines of the journal that are kept, newest first; at a line a second of the clock that is more than two days of nothing but lines. */
export const mostJournalLines = 200_000
/** Lines of commands’ evidence that are kept, newest runs first. */
export const mostEvidence = 200_000

/** So long what a command did to a reached cluster can be looked up by its key: as long as the stand-ins’ own (ms of the wall). */
export const reachKeptMs = 90 * 86_400_000

/**
 * Lets the oldest lines of the journal and of evidence go, where there are more than are kept, and what commands did to
 * reached clusters long before `wall` (ms); what is given back is how many lines went.
 */
export function thinRecords(
  database: Database,
  { journal, evidence } = { journal: mostJournalLines, evidence: mostEvidence },
  wall = Date.now(),
): Promise<number> {
  return database.write(async (transaction) => {
    await database.sequelize.query(
      `DELETE FROM reach_commands WHERE outcome IS NOT NULL AND at < ?`,
      { replacements: [new Date(wall - reachKeptMs).toISOString()], transaction },
    )
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
