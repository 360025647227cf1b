/** Enrolled clusters: how the agent of one that cannot be dialled is started. */
import { z } from 'zod'
import { canHandOver, expectedAgent, handOver } from '../partner/hand-over'
import { partnerCluster } from '../partner/partner'
import { ok } from './answers'
import type { Route } from './route'

const nullableText = z.string().nullable()

/** Whether the agent may act in the cluster as well as read. */
const handOverBody = z.object({ acts: z.boolean().default(false) }).optional()

export const reachRoutes: readonly Route[] = [
  {
    method: 'get',
    path: '/clusters/:name/agent',
    says: 'What the agent of a cluster that is enrolled outbound is started with, and whether it is there.',
    answer: z.object({
      relay: z.string(),
      token: nullableText,
      manifest: nullableText,
      command: nullableText,
      connected: z.boolean(),
      dialledAtWall: nullableText,
      handOver: z.boolean(),
    }),
    handle: async (gyrarch, { params }) => {
      const start = await expectedAgent(gyrarch, params['name'] ?? '')
      const { isConnected, dialledAt, ...rest } = start
      return ok({
        ...rest,
        connected: isConnected,
        dialledAtWall: dialledAt,
        handOver: canHandOver(start, gyrarch.partner),
      })
    },
  },
  {
    method: 'post',
    path: '/clusters/:name/agent/hand-over',
    says: 'Hands the manifest of an agent to the stand-in of a partner, who runs it beside a cluster of its own: thistle.',
    body: handOverBody,
    answer: z.object({ cluster: z.string() }),
    status: 202,
    handle: async (gyrarch, { params, body }) => {
      const asked = body as z.infer<typeof handOverBody>
      await handOver(gyrarch, params['name'] ?? '', asked?.acts ?? false)
      return { ...ok({ cluster: partnerCluster }), status: 202 }
    },
  },
]
