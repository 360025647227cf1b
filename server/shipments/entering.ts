/** Images of a shipment entered in the registry of its site once all that they are made of is there, and taken out again. */
import type { Said } from '~/core/contract'
import type { Published } from '~/core/releases'
import type { Registries } from '../registries/registries'
import { catalogueVouched } from '../registries/catalogue-artifact'
import { digestOfBytes, readManifest, type Registry } from '../registries/registry'
import { vouchedFor } from '../registries/signatures'
import { ShipmentRow } from '../records/storage-rows'
import { said } from './says'

export interface EnteringParts {
  readonly registries: Registries
  readonly published: () => Promise<Published>
}

export const repositoryOf = (name: string): string => name.slice(0, name.lastIndexOf(':'))

/** Those of some blobs that a registry does not have. */
export async function missingIn(registry: Registry, blobs: readonly string[]): Promise<string[]> {
  const missing: string[] = []
  for (const digest of blobs) if (!(await registry.keeps(digest))) missing.push(digest)
  return missing
}

/** How many images were entered, or why none was. */
export type Entered =
  | {
      readonly ok: true
      readonly images: number
      readonly signed: number
      readonly registry: string
    }
  | { readonly ok: false; readonly reason: string; readonly failure: Said }

/** Enters the images of a shipment whose blobs are all there. */
export async function enterImages(
  parts: EnteringParts,
  shipment: string,
  site: string,
): Promise<Entered> {
  const row = await ShipmentRow.findByPk(shipment)
  if (!row)
    return { ok: false, failure: said('shipment.none', { shipment }), reason: 'no-shipment' }
  const registry = parts.registries.at(site)
  if (!registry)
    return { ok: false, failure: said('registry.none', { site }), reason: 'no-registry' }
  const published = new Map((await parts.published()).images.map((image) => [image.digest, image]))
  let signed = 0
  for (const { name, digest } of row.images) {
    const bytes = await registry.bytes(digest)
    const read = bytes && readManifest(bytes)
    if (!bytes || !read || digestOfBytes(bytes) !== digest)
      return {
        ok: false,
        failure: said('blob.missing', { image: name, digest }),
        reason: 'blob-missing',
      }
    const repository = repositoryOf(name)
    const [lacking] = await missingIn(registry, read.blobs)
    if (lacking !== undefined)
      return {
        ok: false,
        failure: said('blob.missing', { image: name, digest: lacking }),
        reason: 'blob-missing',
      }
    await registry.link(read.blobs.map((blob) => ({ repository, digest: blob })))
    await registry.putManifest(
      repository,
      bytes,
      digest,
      read.mediaType ?? 'application/vnd.oci.image.manifest.v1+json',
      name.slice(name.lastIndexOf(':') + 1),
    )
    const { state } = await vouchedFor(registry, repository, digest)
    if (state === 'signed') signed += 1
    else if (state === 'broken' || published.get(digest)?.signed === true)
      return {
        ok: false,
        failure: said('signature.wrong', { image: name, state }),
        reason: 'signature-wrong',
      }
  }
  // From the catalogue alone the site computes its paths: one that does not verify is worth nothing.
  const vouched = await catalogueVouched(registry)
  if (vouched !== 'signed' && vouched !== 'none')
    return {
      ok: false,
      failure: said('signature.wrong', { image: 'the catalogue', state: vouched }),
      reason: 'signature-wrong',
    }
  await parts.registries.tell(registry)
  return { ok: true, images: row.images.length, signed, registry: registry.name }
}

/** Takes the names of a shipment’s images out again; what runs at the site keeps its own. */
export async function withdrawImages(
  parts: EnteringParts,
  shipment: string,
  site: string,
): Promise<{ images: number; registry: string }> {
  const row = await ShipmentRow.findByPk(shipment)
  const registry = parts.registries.at(site)
  if (!row || !registry) return { images: 0, registry: registry?.name ?? site }
  let images = 0
  for (const { name, digest } of row.images) {
    if (registry.wasFirst(digest)) continue
    await registry.dropManifest(repositoryOf(name), digest)
    images += 1
  }
  await parts.registries.tell(registry)
  return { images, registry: registry.name }
}
