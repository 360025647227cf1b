/** Shipments by API: what was packed, the files of its drives, and drives that are put in at the far side. */
import { z } from 'zod'
import type { Gyrarch } from '../gyrarch'
import { ShipmentRow } from '../records/storage-rows'
import { ok } from './answers'
import type { Route } from './route'

const names = z.array(z.string())

const shipmentShape = z.object({
  name: z.string(),
  site: z.string(),
  release: z.string().nullable(),
  packedAt: z.string(),
  images: z.array(z.object({ name: z.string(), digest: z.string() })),
  drives: z.array(
    z.object({
      drive: z.number(),
      medium: z.string(),
      bytes: z.number(),
      blobs: z.number(),
      file: z.object({ bytes: z.number(), digest: z.string() }).nullable(),
      missing: names,
      isAwaited: z.boolean(),
    }),
  ),
})

async function told(gyrarch: Gyrarch, row: ShipmentRow) {
  const { name, site, release, packedAt, images } = row
  return { name, site, release, packedAt, images, drives: await gyrarch.shipments.states(row) }
}

export const shipmentRoutes: readonly Route[] = [
  {
    method: 'get',
    path: '/shipments',
    says: 'Shipments that were packed, with the file of each drive and what of it the far side lacks.',
    answer: z.object({ shipments: z.array(shipmentShape) }),
    handle: async (gyrarch) => {
      const rows = await ShipmentRow.findAll({ order: [['packedAt', 'DESC']] })
      return ok({ shipments: await Promise.all(rows.map((row) => told(gyrarch, row))) })
    },
  },
  {
    method: 'get',
    path: '/shipments/:id',
    says: 'One shipment.',
    answer: shipmentShape,
    handle: async (gyrarch, { params }) =>
      ok(await told(gyrarch, await gyrarch.shipments.find(params['id'] ?? ''))),
  },
  {
    method: 'get',
    path: '/shipments/:id/drives/:n.tar',
    says: 'A drive as it was written, counted from 1: an OCI image layout (image-spec 1.1) as a tar. With `blobs`, digests with commas between, an archive of these alone.',
    query: z.object({ blobs: z.string().max(200_000).optional() }),
    texts: ['application/x-tar'],
    handle: async (gyrarch, { params, query }) => {
      const { id = '', n = '' } = params
      const drive = /^\d{1,4}$/.test(n) ? Number(n) : 0
      const only = String(query['blobs'] ?? '')
        .split(',')
        .map((digest) => digest.trim())
        .filter((digest) => digest !== '')
      return {
        text: {
          type: 'application/x-tar',
          body: await gyrarch.shipments.archive(id, drive, only),
          fileName: `${id}-drive-${n}.tar`,
        },
      }
    },
  },
  {
    method: 'post',
    path: '/shipments/import',
    says: 'Puts a drive in: its tar as the body. A run of `shipment.import` has to wait for it; blobs that are damaged are named, the rest is kept.',
    streams: true,
    answer: z.object({
      shipment: z.string(),
      drive: z.number(),
      taken: z.number(),
      already: z.number(),
      damaged: names,
      missing: names,
      isWhole: z.boolean(),
      change: z.string(),
    }),
    handle: async (gyrarch, { stream }) => {
      try {
        return ok(await gyrarch.shipments.intake.put(stream))
      } finally {
        // What was refused before its end is not read on.
        if (!stream.readableEnded) stream.resume()
      }
    },
  },
]
