/** The past by API: what was observed, and since when something is as it is. */
import { z } from 'zod'
import { protocolSchema } from '~/core/wire'
import { Refusal } from '../changes/errors'
import type { Gyrarch } from '../gyrarch'
import type { History, Question } from '../history/history'
import {
  expectationQuestion,
  findingQuestion,
  runsBetween,
  stateQuestion,
  walkQuestion,
} from '../history/questions'
import { ok, wholeText } from './answers'
import { estimate } from './shapes'
import type { Route } from './route'

const time = z.iso.datetime({ offset: true })
const ref = z.string().min(1).max(400)

const difference = z.object({
  about: z.string(),
  field: z.string(),
  before: z.unknown(),
  after: z.unknown(),
})

const sinceQuery = z.object({
  state: ref.optional(),
  expectation: z.string().min(1).max(200).optional(),
  finding: z.string().min(1).max(1000).optional(),
  change: z.string().max(20).optional(),
  from: z.string().min(1).max(300).optional(),
  to: z.string().min(1).max(300).optional(),
  port: wholeText(65_535).optional(),
  protocol: protocolSchema.optional(),
  aim: z.string().max(80).optional(),
})

const historyOf = (gyrarch: Gyrarch): History => {
  if (!gyrarch.history) throw new Refusal('not-found', 'No history is kept.')
  return gyrarch.history
}

/** The one thing that is asked, or a refusal that names what can be. */
async function questionOf(gyrarch: Gyrarch, query: z.infer<typeof sinceQuery>): Promise<Question> {
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

export const historyRoutes: readonly Route[] = [
  {
    method: 'get',
    path: '/estimates',
    says: 'How well estimates did, by verb, site and machine size, and what the next plans say.',
    answer: z.object({
      estimates: z.array(
        z.object({
          verb: z.string(),
          site: z.string(),
          size: z.string(),
          samples: z.number(),
          runs: z.number(),
          predicted: z.number(),
          took: z.number(),
          miss: z.number(),
          within: z.number(),
          next: estimate.nullable(),
        }),
      ),
    }),
    handle: async (gyrarch) => ok({ estimates: await gyrarch.times.accuracy() }),
  },
  {
    method: 'get',
    path: '/history',
    says: 'What was observed of something, oldest first: versions, and what differed by Ref and field.',
    query: z.object({
      about: ref.optional(),
      from: time.optional(),
      until: time.optional(),
      limit: wholeText(500).optional(),
    }),
    answer: z.object({
      begins: z.string().nullable(),
      now: z.string(),
      bytes: z.number(),
      mostBytes: z.number(),
      versions: z.array(
        z.object({
          slice: z.string(),
          version: z.number(),
          at: z.string(),
          state: z.enum(['known', 'unheard', 'gone']),
          differences: z.array(difference).nullable(),
          more: z.number(),
        }),
      ),
      next: z.string().nullable(),
    }),
    handle: async (gyrarch, { query }) => {
      const history = historyOf(gyrarch)
      const { about, from, until, limit } = query as {
        about?: string
        from?: string
        until?: string
        limit?: number
      }
      const { begins, bytes, mostBytes } = await history.extent()
      const { now } = gyrarch.outside
      return ok({
        begins,
        now: new Date(now).toISOString(),
        bytes,
        mostBytes,
        ...(await history.observed(
          about ?? null,
          from === undefined ? 0 : Date.parse(from),
          until === undefined ? now : Date.parse(until),
          Math.max(1, limit ?? 200),
        )),
      })
    },
  },
  {
    method: 'get',
    path: '/history/since',
    says: 'Since when a state, a walk, a kept walk or a finding is as it is, and what turned it.',
    query: sinceQuery,
    answer: z.object({
      is: z.string(),
      was: z.string().nullable(),
      since: z.string(),
      before: z.string().nullable(),
      asked: z.number(),
      differences: z.array(difference.extend({ slice: z.string() })),
      changes: z.array(z.object({ id: z.string(), label: z.string(), steps: z.number() })),
    }),
    handle: async (gyrarch, { query }) => {
      const question = await questionOf(gyrarch, query as z.infer<typeof sinceQuery>)
      const since = await historyOf(gyrarch).since(question)
      if (!since) throw new Refusal('not-found', 'Nothing of that was observed yet.')
      return ok({ ...since, changes: await runsBetween(since.before, since.since) })
    },
  },
]
