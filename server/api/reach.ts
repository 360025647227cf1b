/** Enrolled clusters: how the agent of one that cannot be dialled is started. */
import { z } from 'zod'
import { Refusal } from '../changes/errors'
import { ok } from './answers'
import type { Route } from './route'

const nullableText = z.string().nullable()

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
    }),
    handle: async (gyrarch, { params }) => {
      const name = params['name'] ?? ''
      const start = await gyrarch.reach.agentStart(name)
      if (!start)
        throw new Refusal(
          'not-found',
          `No agent is expected of ${name.slice(0, 80)}: it is not enrolled outbound.`,
        )
      const { isConnected, dialledAt, ...rest } = start
      return ok({ ...rest, connected: isConnected, dialledAtWall: dialledAt })
    },
  },
]
