/** Registries by API: which there are and where they listen, and what one holds. Pulling and pushing is at their own addresses. */
import { z } from 'zod'
import { registryAccess as access } from '~/core/contract'
import { severities } from '~/core/shipment'
import { countText } from '~/core/units'
import { Refusal } from '../changes/errors'
import { handOut } from '../registries/grants'
import { imagesIn, runningImages } from '../registries/images'
import type { Gyrarch } from '../gyrarch'
import type { Registry } from '../registries/registry'
import { takeLayout } from '../registries/take-layout'
import { ok } from './answers'
import type { Route } from './route'

const image = z.object({
  repository: z.string(),
  tag: z.string(),
  digest: z.string(),
  bytes: z.number(),
  keptBytes: z.number(),
  layers: z.array(z.object({ digest: z.string(), bytes: z.number() })),
  signature: z.object({
    state: z.enum(['signed', 'withdrawn', 'unknown', 'unsigned', 'broken']),
    by: z.string().nullable(),
  }),
  findings: z.array(
    z.object({
      id: z.string(),
      severity: z.enum(severities),
      package: z.string(),
      mendedIn: z.string().nullable(),
      since: z.string(),
    }),
  ),
  runs: z.array(
    z.object({
      cluster: z.string(),
      workload: z.string(),
      pods: z.number(),
      /** Pods that run another digest than the tag stands for now. */
      moved: z.number(),
    }),
  ),
})

function registryNamed(gyrarch: Gyrarch, name: string): Registry {
  const registry = gyrarch.registries.named(name)
  if (registry) return registry
  throw new Refusal(
    'not-found',
    `There is no registry ${name.slice(0, 80)}. There are ${gyrarch.registries
      .list()
      .map((entry) => entry.name)
      .join(' and ')}.`,
  )
}

export const registryRoutes: readonly Route[] = [
  {
    method: 'get',
    path: '/registries',
    says: 'The registries, with the loopback address at which each speaks the OCI distribution API.',
    answer: z.object({
      registries: z.array(
        z.object({
          name: z.string(),
          site: z.string(),
          address: z.string().nullable(),
          repositories: z.number(),
          tags: z.number(),
        }),
      ),
    }),
    handle: async (gyrarch) =>
      ok({
        registries: await Promise.all(
          gyrarch.registries.list().map(async (registry) => {
            const contents = await gyrarch.registries.named(registry.name)?.contents()
            const repositories = [...(contents?.values() ?? [])]
            return {
              ...registry,
              repositories: repositories.length,
              tags: repositories.reduce((sum, { tags }) => sum + tags.size, 0),
            }
          }),
        ),
      }),
  },
  {
    method: 'get',
    path: '/registries/:name/images',
    says: 'The tagged images of a registry, or of one of its repositories: digest, layers, signature, and where each runs.',
    query: z.object({ repository: z.string().max(255).optional() }),
    answer: z.object({ images: z.array(image) }),
    handle: async (gyrarch, { params, query, fleet }) => {
      const name = params['name'] ?? ''
      const registry = registryNamed(gyrarch, name)
      const contents = await registry.contents()
      const wanted = query['repository']
      if (wanted !== undefined && !contents.has(String(wanted)))
        throw new Refusal('not-found', `${name} has no repository ${String(wanted)}.`, [
          {
            path: 'repository',
            says: `Choose one of its ${countText(contents.size, 'repository', 'repositories')}.`,
          },
        ])
      const view = await fleet.view()
      const runs = await runningImages(view.clusters, (cluster) => fleet.objectsOf(cluster))
      const images = []
      for (const [repository, held] of contents)
        if (wanted === undefined || repository === wanted)
          images.push(...(await imagesIn(registry, repository, held, runs, Date.parse(view.now))))
      return ok({ images })
    },
  },
  {
    method: 'get',
    path: '/registries/:name/access',
    says: 'Which repositories are closed, and the credentials that open them: never their passwords.',
    answer: access,
    handle: async (gyrarch, { params }) =>
      ok(
        await gyrarch.registries.accountsOf(registryNamed(gyrarch, params['name'] ?? '')).current(),
      ),
  },
  {
    method: 'post',
    path: '/registries/:name/accounts/:account/password',
    says: 'The newest password of a credential, with which any OCI client logs in.',
    body: z.strictObject({}),
    answer: z.object({ user: z.string(), password: z.string(), until: z.string() }),
    handle: async (gyrarch, { params }) => {
      const registry = registryNamed(gyrarch, params['name'] ?? '')
      return ok(await handOut(gyrarch, registry, params['account'] ?? ''))
    },
  },
  {
    method: 'post',
    path: '/registries/:name/import',
    says: 'Takes the images of an OCI image layout, its tar as the body: all of them, or none. Each has its repository and tag as `org.opencontainers.image.ref.name`.',
    streams: true,
    answer: z.object({
      images: z.array(z.object({ repository: z.string(), tag: z.string(), digest: z.string() })),
    }),
    handle: async (gyrarch, { params, stream }) => {
      try {
        const registry = registryNamed(gyrarch, params['name'] ?? '')
        return ok({ images: await takeLayout(registry, stream) })
      } finally {
        if (!stream.readableEnded) stream.resume()
      }
    },
  },
]
