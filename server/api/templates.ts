/** Templates of drafts. */
import { z } from 'zod'
import { Refusal } from '../changes/errors'
import { ok } from './answers'
import { change } from './change-shape'
import { asGiven } from './shapes'
import type { Route } from './route'

const template = z.object({
  name: z.string(),
  says: z.string(),
  kind: z.string(),
  intent: asGiven,
  open: z.array(z.string()),
  shipped: z.boolean(),
})

export const templateRoutes: readonly Route[] = [
  {
    method: 'get',
    path: '/templates',
    says: 'Drafts kept with fields left open.',
    answer: z.object({ templates: z.array(template) }),
    handle: async (gyrarch) => ok({ templates: await gyrarch.templates.list() }),
  },
  {
    method: 'post',
    path: '/templates',
    says: 'Keep a draft as a template: a change, or a kind with its intent.',
    body: z.strictObject({
      name: z.string().max(63),
      says: z.string().max(300).default(''),
      change: z.string().max(20).optional(),
      kind: z.string().max(80).optional(),
      intent: asGiven.optional(),
      open: z.array(z.string().max(300)).max(50).default([]),
    }),
    answer: template,
    status: 201,
    handle: async (gyrarch, { body }) => {
      const request = body as {
        name: string
        says: string
        change?: string
        kind?: string
        intent?: unknown
        open: string[]
      }
      const from = request.change === undefined ? null : await gyrarch.changes.get(request.change)
      if (!from && (request.kind === undefined || request.intent === undefined))
        throw new Refusal('invalid', 'Say which draft: a change, or a kind and its intent.', [
          { path: 'change', says: 'is missing' },
        ])
      return {
        status: 201,
        json: await gyrarch.templates.keep({
          name: request.name,
          says: request.says,
          kind: from?.kind ?? request.kind ?? '',
          intent: from?.intent ?? request.intent,
          open: request.open,
        }),
      }
    },
  },
  {
    method: 'get',
    path: '/templates/:name',
    says: 'One template.',
    answer: template,
    handle: async (gyrarch, { params }) => ok(await gyrarch.templates.get(params['name'] ?? '')),
  },
  {
    method: 'delete',
    path: '/templates/:name',
    says: 'Remove a template.',
    answer: z.object({ name: z.string() }),
    handle: async (gyrarch, { params }) => {
      await gyrarch.templates.remove(params['name'] ?? '')
      return ok({ name: params['name'] })
    },
  },
  {
    method: 'post',
    path: '/templates/:name/draft',
    says: 'Draft a change from a template; values by the pointers it leaves open.',
    body: z.strictObject({ values: z.record(z.string().max(300), z.unknown()).default({}) }),
    answer: change,
    status: 201,
    handle: async (gyrarch, { params, body }) => ({
      status: 201,
      json: await gyrarch.templates.draft(
        params['name'] ?? '',
        (body as { values: Record<string, unknown> }).values,
      ),
    }),
  },
]
