/** Rehearsals by API: a change run through a model of the fleet, as it was observed, before it is run. */
import { z } from 'zod'
import { rehearsal } from '~/core/rehearsal'
import type { Gyrarch } from '../gyrarch'
import { ok } from './answers'
import type { Route } from './route'
import { saidShape } from './shapes'

const rehearsalState = z.object({
  state: z.enum(['none', 'running', 'done', 'failed']),
  done: z.number(),
  of: z.number(),
  why: z.string().nullable(),
  rehearsal: rehearsal.nullable(),
  isCurrent: z.boolean(),
  against: z.array(saidShape),
  run: z.array(saidShape).nullable(),
})

async function stateOf(gyrarch: Gyrarch, id = '') {
  return ok(await gyrarch.rehearsals.state(await gyrarch.changes.get(id)))
}

export const rehearsalRoutes: readonly Route[] = [
  {
    method: 'get',
    path: '/changes/:id/rehearsal',
    says: 'The last rehearsal of a change: its steps, nodes from moment to moment, and what is not as planned, or went otherwise in the run.',
    answer: rehearsalState,
    handle: (gyrarch, { params }) => stateOf(gyrarch, params['id']),
  },
  {
    method: 'post',
    path: '/changes/:id/rehearsal',
    says: 'Rehearse a change that has not run; asked again while it is rehearsed, it goes on.',
    answer: rehearsalState,
    status: 202,
    handle: async (gyrarch, { params }) => {
      await gyrarch.rehearsals.begin(params['id'] ?? '')
      return { ...(await stateOf(gyrarch, params['id'])), status: 202 }
    },
  },
  {
    method: 'delete',
    path: '/changes/:id/rehearsal',
    says: 'Give up the rehearsal that is under way; the last one that ended is kept.',
    answer: rehearsalState,
    handle: async (gyrarch, { params }) => {
      await gyrarch.rehearsals.cancel(params['id'] ?? '')
      return stateOf(gyrarch, params['id'])
    },
  },
]
