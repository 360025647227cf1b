/** What registries hold at the beginning: images of the catalogue, the co-operative’s own, and the signatures of both. */
import type { Published } from '~/core/releases'
import type { Catalogue } from '../releases/catalogue'
import {
  type CatalogueImage,
  catalogueImage,
  listedAs,
  ownImage,
  publishedBlob,
} from '../connectors/standin/published'
import { listedOf, readManifest } from './manifest'
import type { FirstImage } from './registry'
import { firstSignature } from './signatures'

export interface OwnImage {
  readonly repository: string
  readonly tag: string
}

const parts = (name: string): { readonly repository: string; readonly tag: string } => {
  const colon = name.lastIndexOf(':')
  return { repository: name.slice(0, colon), tag: name.slice(colon + 1) }
}

/** Signatures and what they refer to, by digest. */
const signatures = new Map<string, string>()

/** What is listed of a signature, which is small enough to be read. */
function listedSignature(body: string, of: string): FirstImage['listed'] {
  const bytes = new TextEncoder().encode(body)
  const read = readManifest(bytes)
  if (read?.mediaType === undefined) throw new Error(`the signature of ${of} is no manifest`)
  return { mediaType: read.mediaType, ...listedOf(read, bytes.length) }
}

/** An image, and beside it its signature. */
function withSignature(image: CatalogueImage): readonly FirstImage[] {
  const { repository, tag } = parts(image.name)
  const own: FirstImage = {
    repository,
    tag,
    digest: image.digest,
    blobs: image.layers.map((layer) => layer.digest),
    listed: listedAs(image),
  }
  const signature = firstSignature({ name: image.name, digest: image.digest, size: image.bytes })
  if (!signature) return [own]
  signatures.set(signature.digest, signature.body)
  for (const blob of signature.blobs) signatures.set(blob.digest, blob.body)
  return [
    own,
    {
      repository,
      tag: null,
      digest: signature.digest,
      blobs: signature.blobs.map((blob) => blob.digest),
      listed: listedSignature(signature.body, image.digest),
    },
  ]
}

export function firstImages(
  catalogue: Published['images'],
  own: readonly OwnImage[],
): readonly FirstImage[] {
  const held = new Set(catalogue.map((image) => image.name))
  return [
    ...catalogue.flatMap(withSignature),
    ...own
      .filter(({ repository, tag }) => !held.has(`${repository}:${tag}`))
      .flatMap(({ repository, tag }) => withSignature(catalogueImage(ownImage(repository, tag)))),
  ]
}

/** The bytes of anything that was there at the beginning. */
export async function firstBlob(catalogue: Catalogue, digest: string): Promise<Uint8Array | null> {
  const signature = signatures.get(digest)
  if (signature !== undefined) return new TextEncoder().encode(signature)
  return publishedBlob(digest) ?? catalogue.blob(digest).catch(() => null)
}
