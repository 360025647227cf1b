/** Waiting changes that end what stands halted in their way: with what those are about gone, nothing of them goes on. */
import { Op } from 'sequelize'
import { kinds } from '~/core/kinds'
import { ChangeRow, LockRow } from '../records/models'
import { covers } from './start'

const endingKinds = kinds.flatMap(({ endsHalted, name }) => (endsHalted ? [name] : []))

/** The halted runs that such changes wait for. What is running is waited for, as by any change. */
export async function haltedInTheWay(): Promise<readonly ChangeRow[]> {
  const waiting = await ChangeRow.findAll({ where: { state: 'waiting', kind: endingKinds } })
  if (waiting.length === 0) return []
  const subjects = waiting.flatMap((row) => row.subjects ?? [])
  const inTheWay = (await LockRow.findAll()).flatMap(({ change, ref }) =>
    subjects.some((subject) => covers(subject, ref)) ? [change] : [],
  )
  return ChangeRow.findAll({ where: { state: 'halted', number: { [Op.in]: inTheWay } } })
}
