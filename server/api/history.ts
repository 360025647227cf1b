/** The past by API: what was observed, and since when something is as it is. */
import { z } from 'zod'
import { compared } from '../history/compared'
import { historyOf, type SinceQuery, sinceQuery, sinceWhen } from '../history/asked'
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
    path: '/history/compare',
    says: 'Two moments compared: what differs, of everything or of one Ref, and the runs in between with who began them.',
    query: z.object({ from: time, until: time, about: ref.optional() }),
    answer: z.object({
      from: z.string(),
      until: z.string(),
      differences: z.array(difference.extend({ slice: z.string() })),
      more: z.number(),
      changes: z.array(
        z.object({
          id: z.string(),
          label: z.string(),
          steps: z.number(),
          by: z.string().nullable(),
        }),
      ),
    }),
    handle: async (gyrarch, { query }) => {
      const { from, until, about } = query as { from: string; until: string; about?: string }
      return ok(await compared(gyrarch, from, until, about ?? null))
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
    handle: async (gyrarch, { query }) => ok(await sinceWhen(gyrarch, query as SinceQuery)),
  },
]
