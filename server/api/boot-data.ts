/** What a raise hands out and leaves behind: boot data, its draft as text, its inventory. */
import { z } from 'zod'
import { writeYaml } from '~/core/objects'
import { writeCsv } from '~/core/units'
import type { Ref } from '~/core/contract'
import { clusterOf, type FleetView, siteOf, stands } from '~/core/fleet'
import { madeBy } from '../runner/attribution'
import { ok } from './answers'
import type { Route } from './route'

/** What a run made, one row a thing: as it was recorded; of a draft, what its plan would make. */
export async function inventory(
  record: {
    readonly id: string
    readonly plan: { readonly creates: readonly Ref[] } | null
  },
  view: FleetView,
) {
  const made = await madeBy(Number(record.id.slice(2)))
  const goneAt = new Map(made.map((entry) => [entry.ref, entry.goneAt]))
  const refs = made.length > 0 ? [...goneAt.keys()] : (record.plan?.creates ?? [])
  return refs.map((about) => {
    const isThere = stands(view, about) ?? goneAt.get(about) === null
    return { ...inventoryRow(view, about), there: isThere }
  })
}

function inventoryRow(view: FleetView, about: Ref) {
  const [kind = '', place = '', ...rest] = about.split('/')
  const name = rest.length === 0 ? place : rest.join('/')
  const site = siteOf(view, place) ?? siteOf(view, clusterOf(view, place)?.site ?? '')
  const isMachine = kind === 'machine' || kind === 'node'
  const machine = isMachine ? site?.machines.find((machine) => machine.name === name) : undefined
  const held =
    kind === 'address' ? site?.addresses.find((address) => address.address === name) : undefined
  const disk = kind === 'disk' ? site?.disks.find((disk) => disk.name === name) : undefined
  return {
    kind,
    name,
    site: site?.name ?? '',
    zone: machine?.zone ?? disk?.zone ?? '',
    host: machine?.host ?? '',
    size: machine?.size ?? '',
    address: machine?.address ?? held?.address ?? '',
    for: held?.for ?? disk?.machine ?? '',
    diskGb: machine?.diskGb ?? disk?.sizeGb ?? null,
  }
}

const bootData = z.object({
  machine: z.string(),
  node: z.string(),
  handed: z.enum(['inline', 'pointer']),
  bytes: z.number(),
  fullBytes: z.number(),
  limitBytes: z.number().nullable(),
  base64: z.boolean(),
  digest: z.string(),
  url: z.string(),
  arch: z.string(),
  userData: z.string(),
  fullUserData: z.string(),
  metaData: z.string(),
  networkConfig: z.string(),
})

const inventoryEntry = z.object({
  kind: z.string(),
  name: z.string(),
  site: z.string(),
  zone: z.string(),
  host: z.string(),
  size: z.string(),
  address: z.string(),
  for: z.string(),
  diskGb: z.number().nullable(),
  there: z.boolean(),
})

export const bootDataRoutes: readonly Route[] = [
  {
    method: 'get',
    path: '/changes/:id/boot-data',
    says: 'Boot data of every machine, secrets masked, with its size against the site’s limit.',
    answer: z.object({ machines: z.array(bootData) }),
    handle: async (gyrarch, { params }) =>
      ok({ machines: await gyrarch.boot.views(params['id'] ?? '') }),
  },
  {
    method: 'get',
    path: '/changes/:id/boot-data.tar',
    says: 'The boot data of all machines in one archive.',
    texts: ['application/x-tar'],
    handle: async (gyrarch, { params }) => ({
      text: {
        type: 'application/x-tar',
        body: await gyrarch.boot.tar(params['id'] ?? ''),
        fileName: `${params['id'] ?? 'change'}-boot-data.tar`,
      },
    }),
  },
  {
    method: 'get',
    path: '/changes/:id/boot-data/:machine/:file',
    says: 'One file: user-data (as it is handed over), full-user-data, meta-data, network-config or seed.iso.',
    texts: ['text/plain', 'application/x-iso9660-image'],
    handle: async (gyrarch, { params }) => ({
      text: await gyrarch.boot.file(
        params['id'] ?? '',
        params['machine'] ?? '',
        params['file'] ?? '',
      ),
    }),
  },
  {
    method: 'get',
    path: '/changes/:id/draft.yaml',
    says: 'The draft as YAML.',
    texts: ['application/yaml'],
    handle: async (gyrarch, { params }) => {
      const { id, kind, title, intent } = await gyrarch.changes.get(params['id'] ?? '')
      return {
        text: {
          type: 'application/yaml',
          body: writeYaml({ gyrarch: 'draft/1', kind, title, intent }),
          fileName: `${id}.draft.yaml`,
        },
      }
    },
  },
  {
    method: 'get',
    path: '/changes/:id/inventory',
    says: 'What a run made, as JSON or CSV.',
    query: z.object({ format: z.enum(['json', 'csv']).optional() }),
    answer: z.object({ inventory: z.array(inventoryEntry) }),
    texts: ['text/csv'],
    handle: async (gyrarch, { params, query }) => {
      const rows = await inventory(
        await gyrarch.changes.get(params['id'] ?? ''),
        await gyrarch.fleet.view(),
      )
      if ((query as { format?: string }).format === 'csv')
        return {
          text: {
            type: 'text/csv',
            body: writeCsv(
              Object.keys(rows[0] ?? {}),
              rows.map((row) => Object.values(row)),
            ),
            fileName: `${params['id'] ?? ''}-inventory.csv`,
          },
        }
      return ok({ inventory: rows })
    },
  },
]
