/** A drill as somebody did it, moment by moment: to be looked at again, and handed on as JSON. */
import { Op } from 'sequelize'
import { z } from 'zod'
import { Refusal } from '../changes/errors'
import { JournalRow } from '../records/models'
import { drillKinds } from './drill-list'
import { DrillRow } from './drill-row'
import { said } from './says'

const text = (max: number) => z.string().max(max)
const moment = z.strictObject({
  /** Seconds since it began. */
  seconds: z.number().min(0).max(31_536_000),
  what: z.enum(['began', 'case', 'look', 'hint', 'named', 'run', 'ended']),
  says: text(2000),
})

export const runThroughSchema = z.strictObject({
  format: z.literal('gyrarch-run-through'),
  version: z.literal(1),
  drill: text(100),
  title: text(200),
  story: text(2000),
  startedAt: z.iso.datetime({ offset: true }),
  state: z.enum(['mended', 'given-up']),
  score: z.number().min(0).max(100),
  moments: z.array(moment).min(2).max(2000),
})
export type RunThrough = z.infer<typeof runThroughSchema>
type Moment = z.infer<typeof moment>

const kinds: Readonly<Record<string, Moment['what']>> = {
  'case.opened': 'case',
  'case.closed': 'case',
  'case.probed': 'look',
  'drill.hint': 'hint',
  'run.started': 'run',
  'run.done': 'run',
  'run.halted': 'run',
  'run.taken-back': 'run',
}
const mostLines = 1000

export async function runThroughOf(id: string | number): Promise<RunThrough> {
  const number = String(id).slice(0, 20)
  const row = /^\d{1,9}$/.test(number) ? await DrillRow.findByPk(Number(number)) : null
  const kind = drillKinds.find(({ name }) => name === row?.name)
  if (!row || !kind || row.endedAt === null || row.state === 'on')
    throw new Refusal('not-found', said('run-through.none', { number }).says)
  const began = Date.parse(row.startedAt)
  const secondsAt = (at: string): number => Math.max(0, (Date.parse(at) - began) / 1000)
  const lines = await JournalRow.findAll({
    where: {
      kind: { [Op.in]: Object.keys(kinds) },
      at: { [Op.gte]: row.startedAt, [Op.lte]: row.endedAt },
    },
    order: [['seq', 'ASC']],
    limit: mostLines,
  })
  const moments: readonly Moment[] = [
    ...lines.map((line): Moment => ({
      seconds: secondsAt(line.at),
      what: kinds[line.kind] ?? 'run',
      says: line.says.slice(0, 2000),
    })),
    ...row.named.map(({ cause, at, isRight }): Moment => ({
      seconds: secondsAt(at),
      what: 'named',
      says: said('run-through.named', { cause, isRight }).says,
    })),
  ].toSorted((a, b) => a.seconds - b.seconds)
  return {
    format: 'gyrarch-run-through',
    version: 1,
    drill: row.name,
    title: kind.title,
    story: kind.story,
    startedAt: row.startedAt,
    state: row.state,
    score: row.score ?? 0,
    moments: [
      { seconds: 0, what: 'began', says: kind.story },
      ...moments,
      {
        seconds: secondsAt(row.endedAt),
        what: 'ended',
        says: said('drill.ended', {
          title: kind.title,
          state: row.state,
          score: row.score ?? 0,
        }).says,
      },
    ],
  }
}
