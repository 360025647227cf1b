/** Machines that join by a script. */
import { z } from 'zod'
import { callBody } from '../joins/joins'
import { ok } from './answers'
import type { Route } from './route'

const joins = z.object({
  machines: z.array(
    z.object({
      machine: z.string(),
      node: z.string(),
      roles: z.array(z.string()),
      card: z.string(),
      address: z.string(),
      state: z.enum(['waited for', 'taken', 'refused', 'ended']),
      until: z.string(),
      minutesLeft: z.number(),
      says: z.string().nullable(),
      stuck: z.boolean(),
      script: z.string().nullable(),
      facts: z
        .object({
          hostname: z.string(),
          arch: z.string(),
          clock: z.string(),
          runtime: z.boolean(),
          cards: z.array(
            z.object({ name: z.string(), mac: z.string(), addresses: z.array(z.string()) }),
          ),
        })
        .nullable(),
    }),
  ),
  missing: z.string().nullable(),
})

export const joinRoutes: readonly Route[] = [
  {
    method: 'get',
    path: '/changes/:id/joins',
    says: 'The machines a run waits for: their scripts, who has called, what is wrong, what is missing to a majority.',
    answer: joins,
    handle: async (gyrarch, { params, base }) =>
      ok(await gyrarch.joins.of(params['id'] ?? '', base)),
  },
  {
    method: 'post',
    path: '/changes/:id/joins/:machine/renew',
    says: 'A new join script in place of one that has ended.',
    answer: joins,
    handle: async (gyrarch, { params, base }) => {
      await gyrarch.joins.renew(params['id'] ?? '', params['machine'] ?? '')
      return ok(await gyrarch.joins.of(params['id'] ?? '', base))
    },
  },
  {
    method: 'post',
    path: '/changes/:id/joins/:machine/stand-in',
    says: 'Run the join script on the stand-in machine, as the person in front of it would.',
    answer: z.object({ says: z.string() }),
    handle: async (gyrarch, { params }) =>
      ok(await gyrarch.joins.runOnStandIn(params['id'] ?? '', params['machine'] ?? '')),
  },
  {
    method: 'post',
    path: '/join/:token',
    says: 'What a join script calls: what the machine finds on itself.',
    body: callBody,
    answer: z.object({ says: z.string() }),
    handle: async (gyrarch, { params, body }) =>
      ok(await gyrarch.joins.call(params['token'] ?? '', body as z.infer<typeof callBody>)),
  },
]
