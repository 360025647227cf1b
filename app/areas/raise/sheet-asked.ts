/** What the action of the page is asked. */
import { z } from 'zod'

const short = z.string().max(300)
/** Text, or nothing in any of its ways. */
const given = short.nullish().transform((value) => value ?? undefined)

export const acting = z.object({
  do: short,
  kind: short.default(''),
  intent: z.unknown().optional(),
  title: z.string().max(120).nullish(),
  version: z.int().nullish(),
  accept: z.array(z.string().max(1000)).max(1000).default([]),
  planDigest: given,
  at: given,
  window: given,
  name: z.string().max(80).default(''),
  says: short.default(''),
  open: z.array(short).max(200).default([]),
})
