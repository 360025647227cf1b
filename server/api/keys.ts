/** SSH keys: entered by their public half, or made. */
import { z } from 'zod'
import { ok } from './answers'
import type { Route } from './route'

const key = z.object({
  name: z.string(),
  line: z.string().nullable(),
  fingerprint: z.string().nullable(),
})

const keyBody = z.strictObject({
  name: z.string().max(100),
  /** OpenSSH, PEM or RFC 4716; absent makes a key. */
  publicKey: z.string().max(20_000).optional(),
})

export const keyRoutes: readonly Route[] = [
  {
    method: 'get',
    path: '/keys',
    says: 'The SSH keys that machines can be handed.',
    answer: z.object({ keys: z.array(key) }),
    handle: async (gyrarch) => ok({ keys: await gyrarch.keys.list() }),
  },
  {
    method: 'post',
    path: '/keys',
    says: 'Enter a public key, or make a key: its private half is in this answer alone and is not kept.',
    body: keyBody,
    answer: key.extend({ privateKey: z.string().nullable() }),
    status: 201,
    handle: async (gyrarch, { body }) => {
      const { name, publicKey } = body as z.infer<typeof keyBody>
      let privateKey: string | null = null
      if (publicKey === undefined) privateKey = await gyrarch.keys.make(name)
      else await gyrarch.keys.paste(name, publicKey)
      const made = (await gyrarch.keys.list()).find((entered) => entered.name === name)
      return ok({ ...made, privateKey })
    },
  },
  {
    method: 'delete',
    path: '/keys/:name',
    says: 'Strike a key off: machines made later cannot be handed it.',
    answer: z.object({ name: z.string() }),
    handle: async (gyrarch, { params }) => {
      await gyrarch.keys.strike(params['name'] ?? '')
      return ok({ name: params['name'] })
    },
  },
]
