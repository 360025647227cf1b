/** Sites at which the runs of the last hour took longer than was likely, as troubles. */
import { Op } from 'sequelize'
import { slowTroubles } from '~/core/diagnosis'
import type { KnownTrouble } from '../judging/troubles'
import { DurationRow } from '../records/models'
import { changeId } from '../runner/journal'

/** Steps that ended longer ago tell nothing of now (ms). */
const windowMs = 3_600_000
/** So many steps are looked at, the latest. */
const mostSteps = 2000

/** `now`: milliseconds on the clock. */
export async function slowSites(now: number): Promise<readonly KnownTrouble[]> {
  const rows = await DurationRow.findAll({
    where: { at: { [Op.gt]: new Date(now - windowMs).toISOString() } },
    order: [['id', 'DESC']],
    limit: mostSteps,
  })
  const steps = rows.map(({ site, verb, seconds, at, change, predicted }) => ({
    site,
    verb,
    seconds,
    at,
    change: changeId(change),
    likely: predicted,
  }))
  return slowTroubles(steps).map((trouble) => ({ ...trouble, remedies: [] }))
}
