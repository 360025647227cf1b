/** Blobs of a shipment sent straight from registry to registry, with the signatures of its images and the catalogue. */
import type { Published } from '~/core/releases'
import { breath } from '../breath'
import { catalogueArtifact } from '../registries/catalogue-artifact'
import { digestOfBytes, type Registry } from '../registries/registry'
import { ShipmentRow } from '../records/storage-rows'
import { catalogueOf, enterBeside, nameBlobs } from './beside'
import { missingIn } from './entering'
import { signaturesOf } from './packed'

/** How many blobs were sent, or what kept them from it. */
export type Sent =
  | { readonly sent: number; readonly already: number }
  | { readonly lacks: 'shipment' | 'registry' }
  | { readonly differs: string }

/** Sends what the far registry lacks; what it took stays, so that a repeat goes on from there. */
export async function sendBlobs(
  shipment: string,
  blobs: readonly string[],
  published: Published,
  source: Registry | undefined,
  target: Registry | undefined,
): Promise<Sent> {
  const row = await ShipmentRow.findByPk(shipment)
  if (!row) return { lacks: 'shipment' }
  if (!source || !target) return { lacks: 'registry' }
  const missing = await missingIn(target, blobs)
  for (const digest of missing) {
    const bytes = await source.bytes(digest)
    if (!bytes || digestOfBytes(bytes) !== digest) return { differs: digest }
    await target.keep(digest, bytes)
    await breath()
  }
  await nameBlobs(row.images, published, target, blobs)
  const signatures = await signaturesOf(source, row.images)
  const catalogue = catalogueArtifact(published)
  const bodies = new Map<string, Uint8Array>()
  const manifests = new Set(
    [...signatures.manifests, ...catalogue.manifests].map(({ digest }) => String(digest)),
  )
  for (const { digest, bytes } of [...signatures.blobs, ...catalogue.blobs]) {
    if (!(await target.keeps(digest))) await target.keep(digest, Buffer.from(bytes))
    if (manifests.has(digest)) bodies.set(digest, bytes)
  }
  const catalogueDigest = catalogueOf(
    catalogue.manifests.map(({ digest, annotations }) => ({
      digest: String(digest),
      annotations: annotations as Readonly<Record<string, string>> | undefined,
    })),
  )
  await enterBeside(row.images, target, catalogueDigest, bodies)
  return { sent: missing.length, already: blobs.length - missing.length }
}
