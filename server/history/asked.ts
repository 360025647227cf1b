/** Since when something is as it is, as it is asked by a query: a state, a kept walk, a walk, or a finding of a draft. */
import { z } from 'zod'
import { protocolSchema } from '~/core/wire'
import { Refusal } from '../changes/errors'
import type { Gyrarch } from '../gyrarch'
import type { History, Question, Since } from './history'
import {
  expectationQuestion,
  findingQuestion,
  runsBetween,
  stateQuestion,
  walkQuestion,
} from './questions'

const port = z
  .string()
  .regex(/^\d{1,5}$/, 'A port is a whole number from 1 to 65535.')
  .transform(Number)
  .pipe(z.number().max(65_535))

export const sinceQuery = z.object({
  state: z.string().min(1).max(400).optional(),
  expectation: z.string().min(1).max(200).optional(),
  finding: z.string().min(1).max(1000).optional(),
  change: z.string().max(20).optional(),
  from: z.string().min(1).max(300).optional(),
  to: z.string().min(1).max(300).optional(),
  port: port.optional(),
  protocol: protocolSchema.optional(),
  aim: z.string().max(80).optional(),
})
export type SinceQuery = z.infer<typeof sinceQuery>

export interface SinceTold extends Since {
  /** Runs that did something between the two looks. */
  readonly changes: Awaited<ReturnType<typeof runsBetween>>
}

export const historyOf = (gyrarch: Gyrarch): History => {
  if (!gyrarch.history) throw new Refusal('not-found', 'No history is kept.')
  return gyrarch.history
}

/** The one thing that is asked, or a refusal that names what can be. */
async function questionOf(gyrarch: Gyrarch, query: SinceQuery): Promise<Question> {
  const history = historyOf(gyrarch)
  if (query.state !== undefined)
    return stateQuestion(query.state, await history.slicesOf(query.state))
  if (query.expectation !== undefined) return expectationQuestion(query.expectation)
  if (query.finding !== undefined) {
    const row = await gyrarch.changes.find(query.change ?? '')
    return findingQuestion(gyrarch.changes.read(row.kind, row.intent), query.finding)
  }
  if (query.from !== undefined && query.to !== undefined)
    return walkQuestion({
      from: query.from,
      to: query.to,
      port: Math.max(1, query.port ?? 443),
      protocol: query.protocol ?? 'TCP',
      aim: query.aim?.replace(/^cluster\//, '') ?? null,
    })
  throw new Refusal(
    'invalid',
    'Ask for a state (`state`, a ref), a kept walk (`expectation`), a walk (`from`, `to`, `port`), or a finding (`finding` and `change`).',
    [{ path: 'state', says: 'nothing is asked' }],
  )
}

export async function sinceWhen(gyrarch: Gyrarch, query: SinceQuery): Promise<SinceTold> {
  const since = await historyOf(gyrarch).since(await questionOf(gyrarch, query))
  if (!since) throw new Refusal('not-found', 'Nothing of that was observed yet.')
  return { ...since, changes: await runsBetween(since.before, since.since) }
}
