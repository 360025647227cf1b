/** Drills by API. */
import { z } from 'zod'
import { drillCauses } from '../mend/drill-list'
import { runThroughOf, runThroughSchema } from '../mend/run-through'
import { ok } from './answers'
import type { Route } from './route'

const drillState = z.object({
  number: z.number(),
  name: z.string(),
  title: z.string(),
  story: z.string(),
  goal: z.string(),
  state: z.enum(['on', 'mended', 'given-up']),
  startedAt: z.string(),
  endedAt: z.string().nullable(),
  hints: z.array(z.string()),
  hintsLeft: z.number(),
  named: z.array(z.object({ cause: z.string(), at: z.string(), isRight: z.boolean() })),
  score: z.number().nullable(),
  case: z.string().nullable(),
})

export const namedBody = z.strictObject({ cause: z.enum(drillCauses) })

export const drillRoutes: readonly Route[] = [
  {
    method: 'get',
    path: '/drills',
    says: 'Drills to practise on, and the one that is under way.',
    answer: z.object({
      drills: z.array(
        z.object({
          name: z.string(),
          title: z.string(),
          story: z.string(),
          goal: z.string(),
          cluster: z.string(),
          hints: z.number(),
          best: z.number().nullable(),
        }),
      ),
      current: drillState.nullable(),
    }),
    handle: async ({ drills }) =>
      ok({ drills: await drills.list(), current: await drills.current() }),
  },
  {
    method: 'get',
    path: '/drills/run-throughs/:number',
    says: 'A drill that has ended as it was done, moment by moment, to be handed on.',
    answer: runThroughSchema,
    handle: async (_gyrarch, { params }) => ok(await runThroughOf(params['number'] ?? '')),
  },
  {
    method: 'post',
    path: '/drills/:name/start',
    says: 'Begin a drill: its faults are put in, and its clock runs.',
    answer: drillState,
    status: 201,
    handle: async ({ drills }, { params }) => ({
      ...ok(await drills.start(params['name'] ?? '')),
      status: 201,
    }),
  },
  {
    method: 'post',
    path: '/drills/current/hint',
    says: 'Ask for the next hint of the drill under way; it costs.',
    answer: drillState,
    handle: async ({ drills }) => ok(await drills.hint()),
  },
  {
    method: 'post',
    path: '/drills/current/cause',
    says: 'Name a cause of the drill under way; a wrong one costs.',
    body: namedBody,
    answer: drillState,
    handle: async ({ drills }, { body }) =>
      ok(await drills.name((body as z.infer<typeof namedBody>).cause)),
  },
  {
    method: 'post',
    path: '/drills/current/give-up',
    says: 'Give up the drill under way: its faults are taken away.',
    answer: drillState,
    handle: async ({ drills }) => ok(await drills.giveUp()),
  },
]
