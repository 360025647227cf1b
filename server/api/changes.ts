/** Changes: drafted, amended, run, retried, taken back. */
import { z } from 'zod'
import { patchDraft } from '~/core/changes'
import { describedKinds } from '../changes/described'
import { Refusal } from '../changes/errors'
import { changeId } from '../runner/journal'
import { asChange, ok } from './answers'
import { change, listedChange } from './change-shape'
import { stages } from '~/core/manifests'
import { verdictsFor } from '../changes/verdicts'
import { asGiven, saidShape } from './shapes'
import type { Route } from './route'

export const draftBody = z.strictObject({
  /** In a draft that was taken away as a file. */
  gyrarch: z.literal('draft/1').optional(),
  kind: z.string().max(80),
  intent: asGiven,
  title: z.string().max(120).nullable().optional(),
  /** A halted run that this is a remedy of: it may run under its lock. */
  under: z.string().max(20).nullable().optional(),
})

export const patchOperation = z.looseObject({
  op: z.enum(['add', 'remove', 'replace', 'move', 'copy', 'test']),
  path: z.string().max(500),
})

export const amendBody = z.strictObject({
  intent: asGiven.optional(),
  patch: z.array(patchOperation).max(200).optional(),
  title: z.string().max(120).nullable().optional(),
})

const names = z.union([z.string().max(253), z.array(z.string().max(253)).max(500)])

export const runBody = z.strictObject({
  accept: z.array(z.string().max(400)).max(500).default([]),
  confirm: names.optional(),
  planDigest: z.string().max(80).nullable().optional(),
})

export const scheduleBody = z.strictObject({
  /** When it runs: an instant, or the next time that a window opens. */
  at: z.iso.datetime({ offset: true }).optional(),
  window: z.string().max(80).optional(),
  accept: z.array(z.string().max(400)).max(500).default([]),
  confirm: names.optional(),
  planDigest: z.string().max(80).nullable().optional(),
})

const takeBackBody = z.strictObject({
  confirm: names.optional(),
  /** Later runs that go first: those that stand on what this one made. */
  with: z.array(z.string().max(20)).max(1000).default([]),
})
export const confirmBody = z.strictObject({ confirm: names.optional() })
/** The version an `If-Match` header names: "3", W/"3" or * (any, null). */
export function versionOf(header: string | undefined, id: string): number | null {
  if (header === undefined)
    throw new Refusal(
      'conflict',
      `Say which version of ${id} you amend: send If-Match with the ETag you read.`,
    )
  if (header.trim() === '*') return null
  const match = /^(?:W\/)?"?(\d{1,9})"?$/.exec(header.trim())
  if (!match)
    throw new Refusal(
      'conflict',
      `If-Match “${header.slice(0, 40)}” is no version of ${id}. Read it again.`,
    )
  return Number(match[1])
}

export const changeRoutes: readonly Route[] = [
  {
    method: 'get',
    path: '/changes',
    says: 'All changes, newest first.',
    query: z.object({ state: z.string().max(20).optional() }),
    answer: z.object({ changes: z.array(listedChange) }),
    handle: async (gyrarch, { query }) => {
      const { state } = query as { state?: string }
      const rows = await gyrarch.changes.list()
      return ok({
        changes: rows
          .filter((row) => state === undefined || row.state === state)
          .map((row) => ({
            id: changeId(row.number),
            kind: row.kind,
            label: row.label,
            title: row.title,
            state: row.state,
            startedAt: row.startedAt,
            endedAt: row.endedAt,
            waitsFor: row.waitsFor,
          })),
      })
    },
  },
  {
    method: 'post',
    path: '/changes',
    says: 'Draft a change.',
    body: draftBody,
    yaml: true,
    answer: change,
    status: 201,
    handle: async (gyrarch, { body, signal }) => {
      const request = body as z.infer<typeof draftBody>
      return asChange(
        await gyrarch.changes.draft(
          request.kind,
          request.intent,
          request.title ?? null,
          request.under ?? null,
          signal,
        ),
        201,
      )
    },
  },
  {
    method: 'get',
    path: '/changes/:id',
    says: 'One change with its findings, plan, steps and proof.',
    answer: change,
    handle: async (gyrarch, { params, signal }) =>
      asChange(await gyrarch.changes.get(params['id'] ?? '', signal)),
  },
  {
    method: 'get',
    path: '/changes/:id/verdicts',
    says: 'What becomes of each object of a drafted manifest, stage by stage; an empty list for any other change.',
    answer: z.object({
      objects: z.array(
        z.object({
          key: z.string(),
          object: z.string(),
          line: z.number(),
          verdicts: z.array(
            saidShape.extend({
              stage: z.enum(stages),
              outcome: z.enum(['passes', 'caution', 'stops', 'open', 'none']),
            }),
          ),
        }),
      ),
    }),
    handle: async (gyrarch, { params, signal }) =>
      ok({
        objects: await verdictsFor(
          gyrarch,
          await gyrarch.changes.get(params['id'] ?? '', signal),
          signal,
        ),
      }),
  },
  {
    method: 'patch',
    path: '/changes/:id',
    says: 'Amend the intent, whole or by JSON Patch (RFC 6902). Needs If-Match.',
    body: amendBody,
    answer: change,
    handle: async (gyrarch, { params, body, ifMatch }) => {
      const id = params['id'] ?? ''
      const row = await gyrarch.changes.find(id)
      const request = body as z.infer<typeof amendBody>
      const expected = versionOf(ifMatch, id)
      if (
        request.intent === undefined &&
        request.patch === undefined &&
        request.title === undefined
      )
        throw new Refusal('invalid', 'Give the intent, or a patch of it.', [
          { path: 'intent', says: 'is missing' },
        ])
      if (request.intent !== undefined && request.patch !== undefined)
        throw new Refusal('invalid', 'Give either the intent or a patch of it, not both.', [
          { path: 'patch', says: 'is given beside intent' },
        ])
      const patched =
        request.patch === undefined
          ? (request.intent ?? row.intent)
          : patchDraft(row.intent, request.patch as Parameters<typeof patchDraft>[1])
      if (patched === null)
        throw new Refusal('invalid', 'The patch does not fit the intent.', [
          { path: 'patch', says: 'an operation names a place that is not there, or a test failed' },
        ])
      return asChange(await gyrarch.changes.amend(id, patched, expected, request.title))
    },
  },
  {
    method: 'delete',
    path: '/changes/:id',
    says: 'Discard a draft.',
    answer: z.object({ id: z.string() }),
    handle: async (gyrarch, { params }) => {
      await gyrarch.changes.discard(params['id'] ?? '')
      return ok({ id: params['id'] })
    },
  },
  {
    method: 'post',
    path: '/changes/:id/run',
    says: 'Run it as it was read.',
    body: runBody,
    answer: change,
    status: 202,
    handle: async (gyrarch, { params, body }) => {
      const request = body as z.infer<typeof runBody>
      return asChange(
        await gyrarch.changes.run(params['id'] ?? '', {
          accept: request.accept,
          confirm: request.confirm,
          planDigest: request.planDigest ?? undefined,
        }),
        202,
      )
    },
  },
  {
    method: 'post',
    path: '/changes/:id/schedule',
    says: 'Run it at a time, or when a maintenance window next opens; checked and planned again then.',
    body: scheduleBody,
    answer: change,
    status: 202,
    handle: async (gyrarch, { params, body }) => {
      const { planDigest, ...request } = body as z.infer<typeof scheduleBody>
      return asChange(
        await gyrarch.changes.schedule(params['id'] ?? '', {
          ...request,
          planDigest: planDigest ?? undefined,
        }),
        202,
      )
    },
  },
  {
    method: 'delete',
    path: '/changes/:id/schedule',
    says: 'Take it off the schedule: it is a draft again.',
    answer: change,
    handle: async (gyrarch, { params }) =>
      asChange(await gyrarch.changes.unschedule(params['id'] ?? '')),
  },
  {
    method: 'post',
    path: '/changes/:id/retry',
    says: 'Retry a halted run from where it failed.',
    body: confirmBody,
    answer: change,
    status: 202,
    handle: async (gyrarch, { params, body }) =>
      asChange(
        await gyrarch.changes.retry(
          params['id'] ?? '',
          (body as z.infer<typeof confirmBody>).confirm,
        ),
        202,
      ),
  },
  {
    method: 'post',
    path: '/changes/:id/take-back',
    says: 'Undo what a run has done, in reverse order.',
    body: takeBackBody,
    answer: change,
    status: 202,
    handle: async (gyrarch, { params, body }) => {
      const request = body as z.infer<typeof takeBackBody>
      return asChange(
        await gyrarch.changes.takeBack(params['id'] ?? '', request.confirm, request.with),
        202,
      )
    },
  },
  {
    method: 'post',
    path: '/changes/:id/give-up',
    says: 'End a halted run and leave what it made.',
    body: confirmBody,
    answer: change,
    status: 202,
    handle: async (gyrarch, { params }) =>
      asChange(await gyrarch.changes.giveUp(params['id'] ?? ''), 202),
  },
  {
    method: 'get',
    path: '/kinds',
    says: 'The change kinds with the schemas of their intents.',
    answer: z.object({
      kinds: z.array(z.object({ name: z.string(), title: z.string(), schema: asGiven })),
    }),
    handle: async () => ok({ kinds: await describedKinds() }),
  },
]
