/** Health keeping of clusters. */
import { z } from 'zod'
import { usualHealth } from '~/core/keeping'
import { healthBody, setHealth } from '../watchers/health-policy'
import { ok } from './answers'
import { remedyChange, saidShape } from './shapes'
import type { Route } from './route'

const healthAnswer = healthBody.extend({
  /** What explains several silent nodes at once, or stops the way of one to its API. */
  causes: z.array(
    saidShape.extend({
      nodes: z.array(z.object({ node: z.string(), since: z.string() })),
      remedies: z.array(z.object({ says: z.string(), change: remedyChange })),
    }),
  ),
})

export const healthRoutes: readonly Route[] = [
  {
    method: 'get',
    path: '/clusters/:name/health',
    says: 'How its nodes are kept healthy.',
    answer: healthAnswer,
    handle: async (gyrarch, { params }) => {
      const { name } = await gyrarch.cluster(params['name'] ?? '')
      return ok({
        ...((await gyrarch.health.policies()).get(name) ?? usualHealth),
        causes: (await gyrarch.health.causes())
          .filter((cause) => cause.nodes.some((node) => node.cluster === name))
          .map(({ code, params, says, nodes, remedies }) => ({
            code,
            params,
            says,
            nodes: nodes.map(({ node, since }) => ({ node, since })),
            remedies: remedies.map(({ says, change }) => ({ says, change })),
          })),
      })
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
