/** Enrolled clusters: how the agent of one that cannot be dialled is started. */
import { z } from 'zod'
import { Refusal } from '../changes/errors'
import type { Gyrarch } from '../gyrarch'
import { partnerCluster } from '../partner/partner'
import { ok } from './answers'
import type { Route } from './route'

/** Gives the manifest of an agent to the partner. Refuses where none is awaited, or nobody is there to take it. */
export async function handOver(
  { reach, partner }: Pick<Gyrarch, 'reach' | 'partner'>,
  name: string,
): Promise<void> {
  const start = await reach.agentStart(name)
  if (!start) throw notExpected(name)
  if (start.token === null)
    throw new Refusal('conflict', `The token of ${name} is used: its agent is somewhere else.`)
  partner.take(name, { relay: start.relay, token: start.token })
}

const notExpected = (name: string): Refusal =>
  new Refusal(
    'not-found',
    `No agent is expected of ${name.slice(0, 80)}: it is not enrolled outbound.`,
  )

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
      handOver: z.boolean(),
    }),
    handle: async (gyrarch, { params }) => {
      const name = params['name'] ?? ''
      const start = await gyrarch.reach.agentStart(name)
      if (!start) throw notExpected(name)
      const { isConnected, dialledAt, ...rest } = start
      return ok({
        ...rest,
        connected: isConnected,
        dialledAtWall: dialledAt,
        handOver: start.token !== null && gyrarch.partner.isFree,
      })
    },
  },
  {
    method: 'post',
    path: '/clusters/:name/agent/hand-over',
    says: 'Hands the manifest of an agent to the stand-in of a partner, who runs it beside a cluster of its own: thistle.',
    answer: z.object({ cluster: z.string() }),
    status: 202,
    handle: async (gyrarch, { params }) => {
      await handOver(gyrarch, params['name'] ?? '')
      return { ...ok({ cluster: partnerCluster }), status: 202 }
    },
  },
]
