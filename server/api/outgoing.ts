/** Who is told of cases and runs, by API: receivers, deliveries, and the same as a feed. */
import { z } from 'zod'
import { noticeKinds, receiverSchema } from '../mend/outgoing/kinds'
import type { DeliveryRow, ReceiverRow } from '../mend/outgoing/rows'
import { casesFeed } from '../mend/outgoing/feed'
import { ok, wholeText } from './answers'
import type { Route } from './route'

const receiver = z.object({
  name: z.string(),
  url: z.string(),
  kinds: z.array(z.enum(noticeKinds)),
})

const delivery = z.object({
  id: z.number(),
  receiver: z.string(),
  kind: z.string(),
  state: z.enum(['waiting', 'delivered', 'given-up']),
  attempts: z.number(),
  madeAt: z.string(),
  dueAt: z.string().nullable(),
  endedAt: z.string().nullable(),
  status: z.number().nullable(),
  says: z.string().nullable(),
  body: z.string(),
})

const receiverTold = ({ name, url, kinds }: ReceiverRow) => ({ name, url, kinds })

export const deliveryTold = (row: DeliveryRow) => ({
  id: row.id,
  receiver: row.receiver,
  kind: row.kind,
  state: row.state,
  attempts: row.attempts,
  madeAt: row.madeAt,
  dueAt: row.dueAt,
  endedAt: row.endedAt,
  status: row.status,
  says: row.says,
  body: row.body,
})

export const outgoingRoutes: readonly Route[] = [
  {
    method: 'get',
    path: '/receivers',
    says: 'Who is told of cases and runs.',
    answer: z.object({ receivers: z.array(receiver) }),
    handle: async ({ outgoing }) =>
      ok({ receivers: (await outgoing.receivers()).map(receiverTold) }),
  },
  {
    method: 'post',
    path: '/receivers',
    says: 'Tell somebody: a POST of JSON for each line of the kinds named, signed with the secret (HMAC-SHA-256 over time, full stop and body).',
    body: receiverSchema,
    answer: receiver,
    handle: async ({ outgoing }, { body }) => ok(receiverTold(await outgoing.keep(body))),
  },
  {
    method: 'delete',
    path: '/receivers/:name',
    says: 'Tell somebody no more.',
    answer: z.object({ removed: z.string() }),
    handle: async ({ outgoing }, { params }) => {
      const name = params['name'] ?? ''
      await outgoing.remove(name)
      return ok({ removed: name })
    },
  },
  {
    method: 'post',
    path: '/receivers/:name/test',
    says: 'Send a test now, once.',
    answer: delivery,
    handle: async ({ outgoing }, { params }) =>
      ok(deliveryTold(await outgoing.test(params['name'] ?? ''))),
  },
  {
    method: 'get',
    path: '/deliveries',
    says: 'What was sent to whom and what came of it, the newest first.',
    query: z.object({ limit: wholeText(500).optional() }),
    answer: z.object({ deliveries: z.array(delivery) }),
    handle: async ({ outgoing }, { query }) => {
      const { limit } = query as { limit?: number }
      return ok({ deliveries: (await outgoing.deliveries(limit ?? 100)).map(deliveryTold) })
    },
  },
  {
    method: 'post',
    path: '/deliveries/:id/again',
    says: 'Send one once more, now.',
    answer: delivery,
    handle: async ({ outgoing }, { params }) => {
      const id = Number(/^\d{1,12}$/.exec(params['id'] ?? '')?.[0] ?? -1)
      return ok(deliveryTold(await outgoing.again(id)))
    },
  },
  {
    method: 'get',
    path: '/cases.atom',
    says: 'Cases as an Atom feed (RFC 4287), open ones first.',
    texts: ['application/atom+xml'],
    handle: async ({ cases, outside }, { base }) => ({
      text: {
        type: 'application/atom+xml; charset=utf-8',
        body: casesFeed(await cases.list(), base, new Date(outside.now).toISOString()),
      },
    }),
  },
]
