/** What registries hold at the beginning: images of the catalogue, and the co-operative’s own. */
import type { CatalogueContents, Catalogue } from '../releases/catalogue'
import { catalogueImage, ownImage, publishedBlob } from '../connectors/standin/published'
import type { FirstImage } from './registry'

export interface OwnImage {
  readonly repository: string
  readonly tag: string
}

const parts = (name: string): { readonly repository: string; readonly tag: string } => {
  const colon = name.lastIndexOf(':')
  return { repository: name.slice(0, colon), tag: name.slice(colon + 1) }
}

function images(
  catalogue: CatalogueContents['images'],
  own: readonly OwnImage[],
): readonly FirstImage[] {
  const held = new Set(catalogue.map((image) => image.name))
  return [
    ...catalogue.map((image) => ({
      ...parts(image.name),
      digest: image.digest,
      blobs: image.layers.map((layer) => layer.digest),
    })),
    ...own
      .filter(({ repository, tag }) => !held.has(`${repository}:${tag}`))
      .map(({ repository, tag }) => {
        const { digest, layers } = catalogueImage(ownImage(repository, tag))
        return { repository, tag, digest, blobs: layers.map((layer) => layer.digest) }
      }),
  ]
}

/** The bytes of a blob of either. */
async function blob(catalogue: Catalogue, digest: string): Promise<Uint8Array | null> {
  return publishedBlob(digest) ?? catalogue.blob(digest).catch(() => null)
}

export const firstImagesOf = { images, blob }
