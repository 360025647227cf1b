/** Machines that join by a script. */
import { z } from 'zod'
import { callBody } from '../joins/joins'
import { any, ok } from './answers'
import type { Route } from './route'

export const joinRoutes: readonly Route[] = [
  {
    method: 'get',
    path: '/changes/:id/joins',
    says: 'The machines a run waits for: their scripts, who has called, what is wrong, what is missing to a majority.',
    answer: z.object({ machines: z.array(any), missing: z.string().nullable() }),
    handle: async (gyrarch, { params, base }) =>
      ok(await gyrarch.joins.of(params['id'] ?? '', base)),
  },
  {
    method: 'post',
    path: '/changes/:id/joins/:machine/renew',
    says: 'A new join script in place of one that has ended.',
    answer: z.object({ machines: z.array(any), missing: z.string().nullable() }),
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
