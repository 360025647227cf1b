/** Layered manifests, and the price book as a table. */
import { z } from 'zod'
import { writePrices, priceBook } from '~/core/spend'
import { ok } from './answers'
import type { Route } from './route'
import { Refusal } from '../changes/errors'

export const layerBody = z.strictObject({ name: z.string().max(80), text: z.string() })
export const layerRoutes: readonly Route[] = [
  {
    method: 'get',
    path: '/prices.csv',
    says: 'The price books of all sites.',
    past: true,
    texts: ['text/csv'],
    handle: async (_gyrarch, { fleet }) => ({
      text: {
        type: 'text/csv',
        body: writePrices((await fleet.view()).sites.flatMap(priceBook)),
        fileName: 'prices.csv',
      },
    }),
  },
  {
    method: 'get',
    path: '/layers',
    says: 'Layered files that are kept.',
    answer: z.object({ layers: z.array(z.object({ name: z.string(), text: z.string() })) }),
    handle: async (gyrarch) => ok({ layers: await gyrarch.layers.list() }),
  },
  {
    method: 'post',
    path: '/layers',
    says: 'Keep a layered file.',
    body: layerBody,
    answer: z.object({ name: z.string() }),
    status: 201,
    handle: async (gyrarch, { body }) => {
      const { name, text } = body as z.infer<typeof layerBody>
      await gyrarch.layers.keep(name, text)
      return ok({ name })
    },
  },
  {
    method: 'get',
    path: '/layers/:name/rendered',
    says: 'A layered file rendered for an environment, or its base alone.',
    query: z.object({ environment: z.string().max(63).optional() }),
    texts: ['application/yaml'],
    handle: async (gyrarch, { params, query }) => {
      const rendered = await gyrarch.judges.layers(
        await gyrarch.layers.get(params['name'] ?? ''),
        (query['environment'] as string | undefined) ?? null,
      )
      if (!rendered.ok)
        throw new Refusal('invalid', rendered.says, [{ path: rendered.field, says: rendered.says }])
      return { json: null, text: { type: 'application/yaml', body: rendered.text } }
    },
  },
]
