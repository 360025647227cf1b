/** Who asks the API of a cluster for objects of a version. */
import { z } from 'zod'

export const apiClient = z.object({
  /** As it names itself. */
  agent: z.string(),
  /** The workload that asks, as `cluster/namespace/name`. */
  from: z.string(),
  apiVersion: z.string(),
  kind: z.string(),
  perDay: z.number(),
})
