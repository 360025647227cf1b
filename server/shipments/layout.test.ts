/** A packed drive read back by a reader of its own: names, digests and sizes as the OCI image layout has them. */
import { createHash } from 'node:crypto'
import { Readable } from 'node:stream'
import { buffer } from 'node:stream/consumers'
import { extract } from 'tar-stream'
import { expect, it } from 'vitest'
import { z } from 'zod'
import { apiForAll } from '../testing/api-server'
import { layoutTar } from './layout'

let base: string
apiForAll((served) => ({ base } = served))

async function filesOf(tar: Buffer): Promise<ReadonlyMap<string, Buffer>> {
  const files = new Map<string, Buffer>()
  for await (const entry of Readable.from([tar]).pipe(extract()))
    files.set(entry.header.name, await buffer(entry))
  return files
}

const descriptor = z.object({ digest: z.string(), size: z.number(), mediaType: z.string() })
const index = z.object({ schemaVersion: z.literal(2), manifests: z.array(descriptor) })
const manifest = z.object({
  schemaVersion: z.literal(2),
  config: descriptor,
  layers: z.array(descriptor),
})
const json = (body: Buffer | undefined): unknown => JSON.parse(body?.toString() ?? 'null')
const pathOf = (digest: string): string => `blobs/${digest.replace(':', '/')}`

it('is a layout: every blob has its digest, every manifest of the index its layers', async () => {
  const path = '/sites/kilnlane/shipment'
  const { shipment } = (await (await fetch(base + path)).json()) as {
    shipment: { drives: { blobs: string[] }[]; images: string[] }
  }
  expect(shipment.drives).toHaveLength(1)
  const response = await fetch(`${base}${path}/drives/1.tar`)
  expect(response.headers.get('content-type')).toBe('application/x-tar')
  expect(response.headers.get('content-disposition')).toContain('kilnlane-1.33.2-drive-64-1.tar')
  const files = await filesOf(Buffer.from(await response.arrayBuffer()))

  expect(json(files.get('oci-layout'))).toEqual({ imageLayoutVersion: '1.0.0' })
  const blobs = [...files.keys()].filter((name) => name.startsWith('blobs/sha256/'))
  expect(blobs.sort()).toEqual(shipment.drives[0]?.blobs.map(pathOf).sort())
  for (const name of blobs) {
    const digest = createHash('sha256')
      .update(files.get(name) ?? '')
      .digest('hex')
    expect(name).toBe(`blobs/sha256/${digest}`)
  }
  const { manifests } = index.parse(json(files.get('index.json')))
  expect(manifests.length).toBeGreaterThan(30)
  for (const entry of manifests) {
    expect(files.get(pathOf(entry.digest))?.length).toBe(entry.size)
    const { config, layers } = manifest.parse(json(files.get(pathOf(entry.digest))))
    // What the site has already is not carried: the rest is there in the size that is stated.
    for (const blob of [config, ...layers])
      expect([blob.size, undefined]).toContain(files.get(pathOf(blob.digest))?.length)
  }
})

it('refuses a drive that there is not, and a release that cannot be asked for', async () => {
  for (const drive of ['2', '0', 'x', '99999'])
    expect((await fetch(`${base}/sites/kilnlane/shipment/drives/${drive}.tar`)).status).toBe(404)
  expect((await fetch(`${base}/sites/kilnlane/shipment?release=1.24.9`)).status).toBe(400)
  expect((await fetch(`${base}/sites/nowhere/shipment`)).status).toBe(404)
})

it('lets no blob leave whose bytes are others', async () => {
  const drive = { medium: 'drive-64', blobs: [`sha256:${'0'.repeat(64)}`] }
  await expect(
    layoutTar(drive, [], () => Promise.resolve(new Uint8Array([1, 2, 3]))),
  ).rejects.toThrow('are others')
})
