/** *Store* by API: the catalogue, the storage of a cluster, and what a shipment to a site would be. */
import { z } from 'zod'
import { storageReport } from '~/core/contract'
import { clusterOf } from '~/core/fleet'
import { orderOf, severities, type Shipment } from '~/core/shipment'
import { growthOfVolume, lossesOfStorage, storageOverview } from '~/core/storage'
import { countText } from '~/core/units'
import { Refusal } from '../changes/errors'
import type { Gyrarch } from '../gyrarch'
import { layoutTar } from '../shipments/layout'
import { shipmentAsked } from '../releases/shipping'
import { shipmentAnswer } from '../compute/storage'
import { ok, wholeText } from './answers'
import type { Call, Route } from './route'

const names = z.array(z.string())
const edge = z.object({ from: z.string(), to: z.string(), withdrawn: z.string().optional() })

const loss = z.object({
  disk: z.string(),
  lost: names,
  degraded: names,
  whole: z.boolean(),
  copyBytes: z.number(),
  seconds: z.number(),
})

const growth = z.object({
  volume: z.string(),
  perDayBytes: z.number().nullable(),
  daysUntilFull: z.number().nullable(),
})

const storage = z.object({
  /** Its replicated storage; null where no add-on of it keeps any. */
  replicated: storageReport.nullable(),
  losses: z.array(loss),
  growth: z.array(growth),
  claims: z.array(
    z.object({
      claim: z.string(),
      class: z.string(),
      bytes: z.number(),
      accessModes: names,
      volume: z.string().nullable(),
      zone: z.string().nullable(),
      pods: z.array(z.object({ pod: z.string(), node: z.string().nullable() })),
      waits: z.string().nullable(),
    }),
  ),
  classes: z.array(
    z.object({
      name: z.string(),
      provisioner: z.string(),
      waitsForConsumer: z.boolean(),
      isDefault: z.boolean(),
      zones: names.nullable(),
      lacks: names,
      claims: z.number(),
      bytes: z.number(),
      grants: z.array(
        z.object({
          namespace: z.string(),
          named: z.boolean(),
          quotaBytes: z.number().nullable(),
          usedBytes: z.number(),
        }),
      ),
    }),
  ),
})

const shipmentQuery = z.object({
  release: z.string().max(20).optional(),
  channel: z.enum(['steady', 'early', 'none']).optional(),
  severity: z.enum(severities).optional(),
  unsigned: z.enum(['held', 'taken']).optional(),
  images: z.string().max(20_000).optional(),
  'drives-drive-64': wholeText(1000).optional(),
  'drives-drive-512': wholeText(1000).optional(),
})

/** A shipment to a site as it is asked for, or a refusal that names what can be. */
async function shipmentTo(
  gyrarch: Gyrarch,
  { params, query, fleet, signal }: Pick<Call, 'params' | 'query' | 'fleet' | 'signal'>,
) {
  const view = await fleet.view()
  const name = params['name'] ?? ''
  if (!view.sites.some((site) => site.name === name))
    throw new Refusal('not-found', `There is no site ${name.slice(0, 80)}.`)
  const catalogue = await gyrarch.registries.published()
  const search = new URLSearchParams({
    ...Object.fromEntries(Object.entries(query).map(([key, value]) => [key, String(value)])),
    site: name,
  })
  const asked = shipmentAsked(search, view, catalogue)
  const wanted = search.get('release')
  if (!asked || (wanted !== null && asked.choice.release !== wanted))
    throw new Refusal('invalid', `${name} cannot be asked to reach ${wanted ?? ''}.`, [
      { path: 'release', says: `Choose one of ${asked?.releases.join(', ') ?? 'none'}.` },
    ])
  const order = orderOf(asked.choice, view, catalogue)
  const shipment = (await gyrarch.compute.run('shipment', order, signal)) as Shipment
  return { site: name, release: asked.choice.release, order, shipment }
}

export const storeRoutes: readonly Route[] = [
  {
    method: 'get',
    path: '/catalogue',
    says: 'The catalogue: releases and the ways between them, add-ons, and the images of both.',
    answer: z.object({
      releases: z.array(
        z.object({ version: z.string(), withdrawn: z.string().optional(), images: names }),
      ),
      edges: z.array(edge),
      addOns: z.array(
        z.object({
          name: z.string(),
          channels: z.array(
            z.object({
              name: z.string(),
              versions: z.array(
                z.object({
                  version: z.string(),
                  min: z.string().nullable(),
                  max: z.string().nullable(),
                  replaces: names,
                  images: names,
                }),
              ),
            }),
          ),
        }),
      ),
      images: z.array(
        z.object({
          digest: z.string(),
          name: z.string(),
          bytes: z.number(),
          layers: z.array(z.object({ digest: z.string(), bytes: z.number() })),
          signed: z.boolean(),
          signedBy: z.string().nullable(),
        }),
      ),
      desk: z.object({
        media: z.array(
          z.object({ name: z.string(), bytes: z.number(), count: z.number().optional() }),
        ),
        link: z.object({
          bytesPerSecond: z.number(),
          streamBytesPerSecond: z.number(),
          parallel: z.number(),
        }),
      }),
    }),
    handle: async (gyrarch) => ok(await gyrarch.catalogue.contents()),
  },
  {
    method: 'get',
    path: '/clusters/:name/storage',
    says: 'Claims of a cluster with their volumes and users, and its classes with the zones they lack.',
    past: true,
    answer: storage,
    handle: async (_gyrarch, { params, fleet }) => {
      const name = params['name'] ?? ''
      const cluster = clusterOf(await fleet.view(), name)
      if (!cluster) throw new Refusal('not-found', `There is no cluster ${name.slice(0, 80)}.`)
      const objects = cluster.apiAnswers ? await fleet.objectsOf(name) : null
      if (!objects)
        throw new Refusal('unavailable', `The API of ${name} does not answer: try again later.`)
      const overview = storageOverview(objects)
      if (!overview)
        throw new Refusal('conflict', `${name} lists an object of storage that cannot be read.`)
      const { storage: replicated = null } = cluster
      return ok({
        replicated,
        losses: replicated ? lossesOfStorage(replicated) : [],
        growth: (replicated?.volumes ?? []).map((volume) => {
          const { perDay, days } = growthOfVolume(volume)
          return { volume: volume.name, perDayBytes: perDay, daysUntilFull: days }
        }),
        ...overview,
      })
    },
  },
  {
    method: 'get',
    path: '/clusters/:name/storage/pairs',
    says: 'Every pair of nodes that keep copies, walked and measured on a network; without one, on the network in use.',
    past: true,
    query: z.object({ network: z.string().max(120).optional() }),
    answer: z.object({
      network: z.string(),
      pairs: z.array(
        z.object({
          from: z.string(),
          to: z.string(),
          state: z.enum(['good', 'no-link', 'barred', 'too-large']),
          sent: z.number(),
          taken: z.number(),
          says: z.string(),
        }),
      ),
    }),
    handle: async ({ judges }, { params, query, fleet }) => {
      const name = params['name'] ?? ''
      const kept = clusterOf(await fleet.view(), name)?.storage
      if (!kept)
        throw new Refusal('not-found', `No cluster ${name.slice(0, 80)} keeps copies of volumes.`)
      const network = String(query['network'] ?? kept.network)
      if (!kept.networks.some((candidate) => candidate.name === network))
        throw new Refusal('invalid', `No node of ${name} has a link to ${network}.`, [
          {
            path: 'network',
            says: `Choose one of ${kept.networks.map((candidate) => candidate.name).join(', ')}.`,
          },
        ])
      return ok({
        network,
        pairs: await judges.pairs(name, network, await fleet.viewFor([], [`cluster/${name}`])),
      })
    },
  },
  {
    method: 'get',
    path: '/sites/:name/shipment',
    says: 'What would be carried to a site so that it can run a release, computed as `POST /compute/shipment` does.',
    past: true,
    query: shipmentQuery,
    answer: z.object({
      site: z.string(),
      release: z.string().nullable(),
      shipment: shipmentAnswer,
    }),
    handle: async (gyrarch, call) => {
      const { site, release, shipment } = await shipmentTo(gyrarch, call)
      return ok({ site, release, shipment })
    },
  },
  {
    method: 'get',
    path: '/sites/:name/shipment/drives/:n.tar',
    says: 'What lies on one drive of the shipment, counted from 1: an OCI image layout (image-spec 1.1) as a tar.',
    past: true,
    query: shipmentQuery,
    texts: ['application/x-tar'],
    handle: async (gyrarch, call) => {
      const { site, release, order, shipment } = await shipmentTo(gyrarch, call)
      const text = call.params['n'] ?? ''
      const drive = /^\d{1,4}$/.test(text) ? shipment.drives[Number(text) - 1] : undefined
      if (!drive)
        throw new Refusal(
          'not-found',
          `The shipment has no drive ${text.slice(0, 20)}. It has ${countText(shipment.drives.length, 'drive')}.`,
        )
      return {
        text: {
          type: 'application/x-tar',
          body: await layoutTar(drive, order.images, async (digest) => {
            const held = await gyrarch.registries.whole().bytes(digest)
            return held ?? gyrarch.catalogue.blob(digest)
          }),
          fileName: `${site}-${release ?? 'shipment'}-${drive.medium}-${text}.tar`,
        },
      }
    },
  },
]
