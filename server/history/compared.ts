/** Two moments compared: what differs between the fleet at the one and at the other, and the runs in between with who began them. */
import { Op } from 'sequelize'
import type { Difference } from '~/core/history'
import { Refusal } from '../changes/errors'
import type { Gyrarch } from '../gyrarch'
import { JournalRow } from '../records/models'
import { historyOf } from './asked'
import { runsBetween, type RunTold } from './questions'

export interface Compared {
  /** ISO; the earlier first. */
  readonly from: string
  readonly until: string
  readonly differences: readonly (Difference & { readonly slice: string })[]
  /** How many there are beyond those told. */
  readonly more: number
  readonly changes: readonly (RunTold & { readonly by: string | null })[]
}

const mostTold = 1000

/** Who began each run, by its number. */
async function begunBy(ids: readonly string[]): Promise<ReadonlyMap<string, string>> {
  const lines = await JournalRow.findAll({
    where: {
      kind: 'run.started',
      change: { [Op.in]: ids.map((id) => Number(id.slice('c-'.length))) },
    },
    attributes: ['change', 'by'],
  })
  return new Map(lines.map(({ change, by }) => [`c-${change}`, by]))
}

/** @param about a Ref whose differences alone are told; null for all. */
export async function compared(
  gyrarch: Gyrarch,
  first: string,
  second: string,
  about: string | null = null,
): Promise<Compared> {
  const history = historyOf(gyrarch)
  const { begins } = await history.extent()
  const [asked, until] = [first, second].toSorted((a, b) => Date.parse(a) - Date.parse(b)) as [
    string,
    string,
  ]
  if (begins === null || Date.parse(until) < Date.parse(begins))
    throw new Refusal(
      'not-found',
      `Nothing is known of that time: the history begins ${begins ?? 'with the next look'}.`,
      [{ path: 'until', says: 'before anything was observed' }],
    )
  // Before that nothing was observed: it is the first moment that can be compared.
  const from = Date.parse(asked) < Date.parse(begins) ? begins : asked
  const all = await history.between(await history.at(from), await history.at(until), null)
  const told =
    about === null
      ? all
      : all.filter((each) => each.about === about || each.about.startsWith(`${about}/`))
  const runs = await runsBetween(from, until)
  const by = await begunBy(runs.map(({ id }) => id))
  return {
    from,
    until,
    differences: told.slice(0, mostTold),
    more: Math.max(0, told.length - mostTold),
    changes: runs.map((run) => ({ ...run, by: by.get(run.id) ?? null })),
  }
}
