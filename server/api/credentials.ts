/** Credentials of sites. */
import { z } from 'zod'
import { ok, siteCalled } from './answers'
import type { Route } from './route'

const credential = z.object({
  site: z.string(),
  name: z.string(),
  fingerprint: z.string(),
  until: z.string(),
  checked: z.object({ at: z.string(), says: z.string(), good: z.boolean() }).nullable(),
})

export const credentialRoutes: readonly Route[] = [
  {
    method: 'get',
    path: '/credentials',
    says: 'Site credentials: never their secrets.',
    past: true,
    answer: z.object({ credentials: z.array(credential) }),
    handle: async (_gyrarch, { fleet }) => ok({ credentials: (await fleet.view()).credentials }),
  },
  {
    method: 'post',
    path: '/credentials',
    says: 'Enter a credential. It is encrypted at rest, checked with the site, and never shown again.',
    body: z.strictObject({
      site: z.string().max(253),
      name: z.string().max(63),
      secret: z.string().max(10000),
      until: z.string().max(40),
    }),
    answer: z.object({ credentials: z.array(credential) }),
    status: 201,
    handle: async (gyrarch, { body }) => {
      const request = body as { site: string; name: string; secret: string; until: string }
      await siteCalled(gyrarch.fleet, request.site)
      await gyrarch.credentials.enter(request)
      return {
        status: 201,
        json: {
          credentials: (await gyrarch.fleet.view()).credentials.filter(
            (credential) => credential.site === request.site,
          ),
        },
      }
    },
  },
  {
    method: 'post',
    path: '/credentials/:site/:name/check',
    says: 'Ask the site whether it takes a credential.',
    answer: z.object({ credential }),
    handle: async (gyrarch, { params }) => {
      await gyrarch.credentials.check(params['site'] ?? '', params['name'] ?? '')
      return ok({
        credential: (await gyrarch.fleet.view()).credentials.find(
          (credential) => credential.site === params['site'] && credential.name === params['name'],
        ),
      })
    },
  },
  {
    method: 'delete',
    path: '/credentials/:site/:name',
    says: 'Remove a credential.',
    answer: z.object({ name: z.string() }),
    handle: async (gyrarch, { params }) => {
      await gyrarch.credentials.remove(params['site'] ?? '', params['name'] ?? '')
      return ok({ name: params['name'] })
    },
  },
]
