/** What each command made and removed, recorded when it ends: so what stands is traced to its run, not guessed from plans. */
import { Op, type Transaction } from 'sequelize'
import { type Command, effectOf, type Ref } from '~/core/contract'
import { ChangeRow, MadeRow } from '../records/models'
import { changeId } from './journal'

interface Maker {
  readonly change: number
  readonly step: string
  /** ISO time on the clock of its connector. */
  readonly at: string
}

/** Records the effect of a command that has ended well. Its arguments hold no placeholders any more. */
export async function recordEffect(
  transaction: Transaction,
  { verb, args }: Pick<Command, 'verb' | 'args'>,
  { change, step, at }: Maker,
): Promise<void> {
  const { makes, removes } = effectOf({ verb, args })
  if (removes.length > 0)
    await MadeRow.update(
      { goneAt: at, goneBy: change },
      { where: { ref: { [Op.in]: [...removes] }, goneAt: null }, transaction },
    )
  for (const ref of makes) await MadeRow.create({ ref, change, step, at }, { transaction })
}

/** The run that last made something which is there. */
export interface MakerOf {
  /** `c-12` */
  readonly change: string
  readonly label: string
  /** What asked for the run where no person did. */
  readonly title: string | null
  readonly at: string
}

/** Who made each of some references; those that no run made are left out. */
export async function makersOf(refs: readonly Ref[]): Promise<ReadonlyMap<Ref, MakerOf>> {
  const rows = await MadeRow.findAll({
    where: { ref: { [Op.in]: [...new Set(refs)] }, goneAt: null },
    order: [['id', 'ASC']],
  })
  const changes = await ChangeRow.findAll({
    where: { number: { [Op.in]: [...new Set(rows.map((row) => row.change))] } },
    attributes: ['number', 'label', 'title'],
  })
  const byNumber = new Map(changes.map((change) => [change.number, change]))
  const makers = new Map<Ref, MakerOf>()
  for (const row of rows) {
    const change = byNumber.get(row.change)
    if (!change) continue
    const { label, title } = change
    makers.set(row.ref, { change: changeId(row.change), label, title, at: row.at })
  }
  return makers
}

/** Everything a change made, in the order in which it was made, and whether it is gone again. */
export async function madeBy(
  change: number,
): Promise<readonly { readonly ref: Ref; readonly at: string; readonly goneAt: string | null }[]> {
  const rows = await MadeRow.findAll({ where: { change }, order: [['id', 'ASC']] })
  return rows.map(({ ref, at, goneAt }) => ({ ref, at, goneAt }))
}
