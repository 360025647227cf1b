/** Health keeping of clusters. */
import type { z } from 'zod'
import { usualHealth } from '~/core/keeping'
import { healthBody, setHealth } from '../watchers/health-policy'
import { ok } from './answers'
import type { Route } from './route'

export const healthRoutes: readonly Route[] = [
  {
    method: 'get',
    path: '/clusters/:name/health',
    says: 'How its nodes are kept healthy.',
    answer: healthBody,
    handle: async (gyrarch, { params }) => {
      await gyrarch.cluster(params['name'] ?? '')
      return ok((await gyrarch.health.policies()).get(params['name'] ?? '') ?? usualHealth)
    },
  },
  {
    method: 'post',
    path: '/clusters/:name/health',
    says: 'Set how its nodes are kept healthy.',
    body: healthBody,
    answer: healthBody,
    handle: async (gyrarch, { params, body }) =>
      ok(await setHealth(gyrarch, params['name'] ?? '', body as z.infer<typeof healthBody>)),
  },
]
