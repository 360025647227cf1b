/** Runs taken back although others came after them: what stands on what they made is named, and goes first or not at all. */
import { Op } from 'sequelize'
import { standsOn, type Traces } from '~/core/changes'
import { countText, listText } from '~/core/units'
import { ChangeRow, type ChangeState, LockRow, MadeRow, StepRow } from '../records/models'
import { changeId, writeJournal } from '../runner/journal'
import { isoClock } from '../runner/active'
import { Refusal } from './errors'
import type { ChangesParts } from './parts'
import { keepsBack } from './record'
import { covers } from './start'

/** A run that came later and stands on what an earlier one made. */
export interface LaterRun {
  readonly id: string
  readonly label: string
  readonly state: ChangeState
}

const ended: readonly ChangeState[] = ['done', 'given-up']
const underWay: readonly ChangeState[] = ['running', 'halted', 'undoing']
/** So many runs are looked at for what came later. */
const mostLater = 1000

async function tracesOf(rows: readonly ChangeRow[]): Promise<ReadonlyMap<number, Traces>> {
  const made = await MadeRow.findAll({
    where: { change: { [Op.in]: rows.map((row) => row.number) }, goneAt: null },
    attributes: ['change', 'ref'],
  })
  return new Map(
    rows.map((row): [number, Traces] => [
      row.number,
      {
        made: made.filter(({ change }) => change === row.number).map(({ ref }) => ref),
        altered: row.plan?.alters ?? [],
        removed: row.plan?.removes ?? [],
      },
    ]),
  )
}

/** The runs after a run that stand on what it made or changed, and those that stand on them; the earliest first. */
export async function laterRuns(row: ChangeRow): Promise<readonly ChangeRow[]> {
  if (row.startedAt === null || row.members) return []
  const candidates = await ChangeRow.findAll({
    where: {
      state: { [Op.in]: [...ended, ...underWay] },
      number: { [Op.ne]: row.number },
      // A set did nothing itself: its members are looked at one by one.
      members: null,
      startedAt: { [Op.gte]: row.startedAt },
    },
    order: [
      ['startedAt', 'ASC'],
      ['number', 'ASC'],
    ],
    limit: mostLater,
    attributes: { exclude: ['findings', 'proof'] },
  })
  const after = candidates.filter(
    (candidate) =>
      (candidate.startedAt ?? '') > (row.startedAt ?? '') || candidate.number > row.number,
  )
  const traces = await tracesOf([row, ...after])
  const later: ChangeRow[] = []
  const bases = [row]
  // In the order in which they began, each is held against all that came before it and would go.
  for (const candidate of after) {
    const own = traces.get(candidate.number)
    const stands = bases.some((base) => {
      const earlier = traces.get(base.number)
      return own !== undefined && earlier !== undefined && standsOn(earlier, own)
    })
    if (!stands) continue
    later.push(candidate)
    bases.push(candidate)
  }
  return later
}

/** Why a run cannot be taken back, or null; what stands on it is another matter. */
export async function whyNotBack(row: ChangeRow): Promise<string | null> {
  if (![...ended, 'running', 'halted'].includes(row.state))
    return `${changeId(row.number)} is ${row.state}; it cannot be taken back now.`
  if (row.members) return whyNotAllBack(row)
  const steps = await StepRow.findAll({ where: { change: row.number } })
  const kept = keepsBack(steps)
  if (kept !== null) return kept
  if (!ended.includes(row.state)) return null
  if (!steps.some((step) => step.undo !== null && step.state === 'done'))
    return `Nothing that ${changeId(row.number)} did can be undone.`
  const gone = await MadeRow.findOne({
    where: { change: row.number, goneAt: { [Op.ne]: null } },
    order: [['id', 'ASC']],
  })
  return gone
    ? `${gone.ref}, which ${changeId(row.number)} made, is gone already${gone.goneBy === null ? '' : `, by ${changeId(gone.goneBy)}`}: its undo makes no sense any more.`
    : null
}

/** Why a set cannot be taken back: a member that cannot be. */
async function whyNotAllBack(row: ChangeRow): Promise<string | null> {
  const members = await ChangeRow.findAll({ where: { parent: row.number, state: 'done' } })
  for (const member of members) {
    const why = await whyNotBack(member)
    if (why !== null) return `${changeId(member.number)}: ${why}`
  }
  return null
}

/** The run and those that go with it, the latest first; refused unless all that stand on it are named. */
export async function chosenWith(
  row: ChangeRow,
  named: readonly string[],
): Promise<readonly ChangeRow[]> {
  const later = await laterRuns(row)
  const missing = later.filter((candidate) => !named.includes(changeId(candidate.number)))
  if (missing.length > 0)
    throw new Refusal(
      'conflict',
      `${countText(later.length, 'later run stands', 'later runs stand')} on what ${changeId(row.number)} made or changed: ${listText(
        later.map((candidate) => `${changeId(candidate.number)} (${candidate.label})`),
        6,
      )}. Take ${later.length === 1 ? 'it' : 'them'} back too, or leave it as it is.`,
      later.map((candidate) => ({ path: 'with', says: changeId(candidate.number) })),
      { later: later.map(laterRun) },
    )
  const strange = named.find((id) => !later.some((candidate) => changeId(candidate.number) === id))
  if (strange !== undefined)
    throw new Refusal(
      'invalid',
      `${strange.slice(0, 40)} does not stand on ${changeId(row.number)}.`,
      [{ path: 'with', says: 'names only later runs that stand on this one' }],
    )
  const all = [...later].reverse().concat(row)
  for (const candidate of all) {
    const why = await whyNotBack(candidate)
    if (why !== null)
      throw new Refusal('conflict', why, [{ path: 'with', says: changeId(candidate.number) }])
  }
  return all
}

export const laterRun = (row: ChangeRow): LaterRun => ({
  id: changeId(row.number),
  label: row.label,
  state: row.state,
})

/** Takes locks for a run that has ended, so that its undo can begin; refused where somebody else is at work there. */
export async function lockAgain(parts: ChangesParts, row: ChangeRow): Promise<void> {
  const subjects = row.subjects ?? []
  await parts.database.write(async (transaction) => {
    const clash = (await LockRow.findAll({ transaction })).find(
      (lock) =>
        lock.change !== row.number &&
        subjects.some((subject) => covers(subject, lock.ref) || covers(lock.ref, subject)),
    )
    if (clash)
      throw new Refusal(
        'conflict',
        `${changeId(clash.change)} is at work on ${clash.ref}; ${changeId(row.number)} can be taken back once it has ended.`,
      )
    await LockRow.destroy({ where: { change: row.number }, transaction })
    await LockRow.bulkCreate(
      subjects.map((ref) => ({ ref, change: row.number })),
      { transaction },
    )
    await row.update({ state: 'halted', endedAt: null, cause: null }, { transaction })
    await writeJournal(parts.hub, transaction, isoClock(parts.clock.now), [
      {
        kind: 'run.reopened',
        change: row.number,
        says: `${row.label}: to be taken back`,
        params: { label: row.label },
      },
    ])
  })
}
