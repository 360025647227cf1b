/** What notices there are, and how it is written who gets them. */
import { z } from 'zod'
import { said } from './says'

/** What can be told of. */
export const noticeKinds = [
  'case.opened',
  'case.closed',
  'run.started',
  'run.halted',
  'run.done',
  'run.taken-back',
  'run.given-up',
] as const

export const receiverSchema = z.strictObject({
  name: z.string().trim().min(1, 'Give it a name.').max(80),
  url: z
    .url({ protocol: /^https?$/, error: said('receiver-url').says })
    .max(500)
    .refine((url) => {
      if (!URL.canParse(url)) return false
      const { username, password } = new URL(url)
      return username === '' && password === ''
    }, said('receiver-url').says),
  kinds: z.array(z.enum(noticeKinds)).min(1, 'Say what it is told of.').max(noticeKinds.length),
  /** Absent where one is kept that stays. */
  secret: z.string().min(16, said('receiver-secret').says).max(500).optional(),
})
