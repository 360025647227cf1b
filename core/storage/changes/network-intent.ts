/** What is asked for when copies are to travel another network. */
import { z } from 'zod'

const name = z.string().max(253)

export const networkIntent = z.strictObject({
  cluster: name,
  network: z.string().max(120),
  /** Whether what holds volumes is stopped for the time of it, and started again. */
  detach: z.boolean().default(false),
})
export type NetworkIntent = z.infer<typeof networkIntent>
