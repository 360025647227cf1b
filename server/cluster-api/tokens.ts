/** Tokens of access files: signed, stored nowhere, for one cluster and until a time. */
import { createHmac, randomBytes, timingSafeEqual } from 'node:crypto'
import { z } from 'zod'

const claims = z.object({
  cluster: z.string(),
  subject: z.string(),
  groups: z.array(z.string()).default([]),
  /** Of a service account: the one that it was given to, and not another of its name. */
  uid: z.string().optional(),
  /** How often what this subject was given has been called back before. */
  epoch: z.number().default(0),
  /** Ends, in ms on the wall. */
  until: z.number(),
  nonce: z.string(),
})
export type Claims = z.infer<typeof claims>

const signatureOf = (key: Buffer, body: string): Buffer =>
  createHmac('sha256', key).update(body).digest()

/** A token that nobody was given before. */
export function signToken(key: Buffer, given: Omit<z.input<typeof claims>, 'nonce'>): string {
  const nonce = randomBytes(12).toString('base64url')
  const body = Buffer.from(JSON.stringify({ ...given, nonce })).toString('base64url')
  return `${body}.${signatureOf(key, body).toString('base64url')}`
}

/** What a token says, or null for one that is not of this cluster, was changed, or has ended. */
export function readToken(key: Buffer, cluster: string, token: string): Claims | null {
  const [body = '', signature = '', ...more] = token.split('.')
  if (more.length > 0 || token.length > 4096) return null
  const given = Buffer.from(signature, 'base64url')
  const expected = signatureOf(key, body)
  if (given.length !== expected.length || !timingSafeEqual(given, expected)) return null
  const read = claims.safeParse(JSON.parse(Buffer.from(body, 'base64url').toString('utf8')))
  if (!read.success || read.data.cluster !== cluster || read.data.until <= Date.now()) return null
  return read.data
}
