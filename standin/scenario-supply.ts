/** What a scenario is supplied with from outside: releases, and images of others. */
import { z } from 'zod'

export const releases = z.array(
  z.object({
    version: z.string(),
    released: z.string(),
    endOfSupport: z.string(),
    withdrawn: z.string().nullable().default(null),
  }),
)

/** Images of others, which one registry of ours keeps below a path. */
export const outside = z.object({
  host: z.string(),
  registry: z.string(),
  below: z.string(),
  repositories: z.array(z.string()),
})
