/** How Gyrarch gets to a cluster that it did not raise, and how that fares. All times are of the wall. */
import { z } from 'zod'
import type { Told } from '../told'

export const reachKinds = ['inbound', 'outbound'] as const
export type ReachKind = (typeof reachKinds)[number]

/** Why nothing is heard of a cluster. */
export const reachReasons = [
  'certificate-untrusted',
  'token-refused',
  'unreachable',
  'rights-missing',
  'not-the-api',
] as const
export type ReachReason = (typeof reachReasons)[number]

export const reachReport = z.object({
  kind: z.enum(reachKinds),
  heard: z.boolean(),
  /** Null while it is heard. */
  reason: z.enum(reachReasons).nullable(),
  /** ISO 8601, UTC; null before anything was heard. */
  lastHeardWall: z.string().nullable(),
  says: z.string(),
  /** Where its API is dialled, or at which relay its agent dials in. */
  address: z.string(),
  /** What is listed and watched of it, as `pods` or `deployments.apps`. */
  watched: z.array(z.string()),
  /** What it serves and does not let Gyrarch list. */
  withheld: z.array(z.string()),
})
export type ReachReport = Told<z.infer<typeof reachReport>>
