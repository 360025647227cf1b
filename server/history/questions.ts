/** What can be asked of every moment, so that it can be told since when the answer is what it is. */
import { Op } from 'sequelize'
import {
  clustersOf,
  expectations,
  readFrom,
  readTo,
  readyWorldOf,
  walk,
  walkAnswer,
} from '~/core/wire'
import type { WalkQuery } from '~/core/wire'
import type { Draft } from '~/core/kinds'
import { StepRow, ChangeRow } from '../records/models'
import { changeId } from '../runner/journal'
import { type Question, stateAt } from './history'
import type { PastFleet } from './past'

/** The state of a site, cluster, pool or node. */
export const stateQuestion = (ref: string, slices: readonly string[]): Question => ({
  slices,
  answer: (fleet) => stateAt(fleet, ref),
})

/** Whether a kept walk holds. */
export const expectationQuestion = (name: string): Question => ({
  slices: null,
  answer: async (fleet) => {
    const view = await fleet.withExpected(await fleet.view())
    const expectation = expectations(view).find((candidate) => candidate.name === name)
    if (!expectation) return 'not expected'
    return expectation.holds ? 'holds' : 'does not hold'
  },
})

export interface WalkAsked {
  readonly from: string
  readonly to: string
  readonly port: number
  readonly protocol: WalkQuery['protocol']
  /** The cluster that names without one are of, or null. */
  readonly aim: string | null
}

/** How a walk ends: its verdict, and where it was decided. */
export const walkQuestion = (asked: WalkAsked): Question => ({
  slices: null,
  answer: (fleet) => walkAt(fleet, asked),
})

async function walkAt(fleet: PastFleet, asked: WalkAsked): Promise<string> {
  const { from, to, port, protocol } = asked
  const named = [from, to].flatMap((text) => /^([a-z][-a-z0-9]*):.*\//.exec(text)?.[1] ?? [])
  const plain = await fleet.view()
  // Who aims at a cluster that is not there aims at none.
  const aim = plain.clusters.some(({ name }) => name === asked.aim) ? asked.aim : null
  const view = await fleet.viewFor(
    [...named, ...(plain.expectations ?? []).flatMap(clustersOf)],
    aim === null ? [] : [`cluster/${aim}`],
  )
  const ready = readyWorldOf(view)
  const [source, goal] = [readFrom(view, from, aim), readTo(view, to, aim)]
  if (!ready.ok || !source.ok || !goal.ok) return 'nobody there'
  const walked = walk(ready.world, { from: source.end, to: goal.end, port, protocol })
  if (!walked.ok) return 'nobody there'
  const { verdict, decided } = walkAnswer(walked.walk)
  return decided.by === null ? verdict : `${verdict} at ${decided.hop} by ${decided.by}`
}

/** Whether a draft would be found fault with in the same way. */
export const findingQuestion = (draft: Draft, key: string): Question => ({
  slices: null,
  answer: async (fleet) => {
    const view = await fleet.viewFor(draft.objectsOf, draft.walksAt, draft.published)
    return draft.findings(view).some((finding) => finding.key === key) ? 'found' : 'not found'
  },
})

export interface RunTold {
  readonly id: string
  readonly label: string
  readonly steps: number
}

/** Runs that did something between two times (ISO), with how many of their steps ended then. */
export async function runsBetween(
  after: string | null,
  until: string,
): Promise<readonly RunTold[]> {
  if (after === null) return []
  const steps = await StepRow.findAll({
    where: { endedAt: { [Op.gt]: after, [Op.lte]: until } },
    attributes: ['change'],
  })
  const count = new Map<number, number>()
  for (const { change } of steps) count.set(change, (count.get(change) ?? 0) + 1)
  const rows = await ChangeRow.findAll({
    where: { number: { [Op.in]: [...count.keys()] } },
    order: [['number', 'ASC']],
    attributes: ['number', 'label'],
  })
  return rows.map(({ number, label }) => ({
    id: changeId(number),
    label,
    steps: count.get(number) ?? 0,
  }))
}
