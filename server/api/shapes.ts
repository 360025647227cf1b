/**
 * Shapes of answers that several subjects share. Every answer is described to its last field: what a schema does not
 * name is not sent. Open are only what others wrote: API objects, intents, schemas, arguments of commands.
 */
import { z } from 'zod'
import { labels, manifest, saidShape, taint } from '~/core/contract'
import { stateOrder } from '~/core/fleet'

/** What somebody else wrote, told on as it is. */
export const asGiven = z.record(z.string(), z.unknown())

export const state = z.enum(stateOrder)

export const reasoned = saidShape.extend({ state })

/** A change that can be drafted as it stands. */
export const draftShape = z.object({ kind: z.string(), intent: asGiven })

export const apiObject = manifest

export const patchOperation = z.object({
  op: z.enum(['add', 'remove', 'replace', 'move', 'copy', 'test']),
  path: z.string(),
  from: z.string().optional(),
  value: z.unknown().optional(),
})

export const remedyChange = z.union([draftShape, z.object({ patchDraft: z.array(patchOperation) })])

export const failure = saidShape.extend({
  class: z.enum(['transient', 'permanent']),
  reason: z.string(),
  /** The field of the intent that would have to differ. */
  field: z.string().optional(),
  chain: z.array(saidShape.extend({ about: z.string() })),
})

export const estimate = z.object({
  likely: z.number(),
  worst: z.number(),
  /** On how many runs it rests; absent where it was assumed beforehand. */
  runs: z.number().optional(),
})

export { labels, saidShape, taint }
