/** The images that are published, as registries hold them: OCI manifests whose digests are those of real bytes. */
import { createHash } from 'node:crypto'
import { layerBytes, layerContent, type PublishedImage } from '~/standin/registry'

export { addOnImages, ownImage, releaseImages } from '~/standin/registry'

export interface CatalogueImage {
  readonly digest: string
  readonly name: string
  /** Of the manifest. */
  readonly bytes: number
  /** Its configuration and layers, in the sizes of the catalogue. */
  readonly layers: readonly { readonly digest: string; readonly bytes: number }[]
}

export const digestOf = (bytes: Uint8Array | string): string =>
  `sha256:${createHash('sha256').update(bytes).digest('hex')}`

/** Where a descriptor says the size that its blob has in the catalogue. */
export const catalogueBytes = 'gyrarch/catalogue-bytes'

const layerDigests = new Map<string, string>()
const layerNames = new Map<string, string>()

/** What a layer that was published here holds, by its digest. */
export const layerNamed = (digest: string): string | undefined => layerNames.get(digest)

/** What was published in this process: how the bytes of each digest are made again. */
const published = new Map<string, () => Uint8Array>()

/** The bytes of a blob of an image that was published (`catalogueImage`), or null. */
export const publishedBlob = (digest: string): Uint8Array | null =>
  published.get(digest)?.() ?? null

function publishText(text: string): string {
  const digest = digestOf(text)
  published.set(digest, () => new TextEncoder().encode(text))
  return digest
}

function layerDigest(name: string, bytes: number): string {
  const key = `${name} ${bytes}`
  const before = layerDigests.get(key)
  if (before !== undefined) return before
  const digest = digestOf(layerContent(name, bytes))
  layerDigests.set(key, digest)
  layerNames.set(digest, name)
  published.set(digest, () => layerContent(name, bytes))
  return digest
}

/** The configuration of an image (image-spec 1.1, config.md). */
const configOf = (layers: readonly { readonly digest: string }[]): string =>
  JSON.stringify({
    architecture: 'amd64',
    os: 'linux',
    rootfs: { type: 'layers', diff_ids: layers.map((layer) => layer.digest) },
  })

const manifestType = 'application/vnd.oci.image.manifest.v1+json'
const configType = 'application/vnd.oci.image.config.v1+json'
const nameAnnotation = 'org.opencontainers.image.ref.name'

/** What a registry lists of an image that was published, which is what its manifest says: nobody has to make that for it. */
export const listedAs = ({ name, bytes }: Pick<CatalogueImage, 'name' | 'bytes'>) => ({
  mediaType: manifestType,
  size: bytes,
  artifactType: configType,
  subject: null,
  annotations: { [nameAnnotation]: name },
})

/** The manifest of an image (image-spec 1.1, manifest.md); it is named by what it holds alone. */
function manifestOf(image: PublishedImage): {
  readonly manifest: string
  readonly blobs: CatalogueImage['layers']
} {
  const layers = image.layers.map((layer) => ({
    digest: layerDigest(layer.name, layer.bytes),
    bytes: layer.bytes,
    size: layerBytes(layer.bytes),
  }))
  const config = configOf(layers)
  const configBlob = { digest: publishText(config), bytes: config.length }
  const manifest = JSON.stringify({
    schemaVersion: 2,
    mediaType: manifestType,
    config: {
      mediaType: configType,
      digest: configBlob.digest,
      size: config.length,
    },
    layers: layers.map((layer) => ({
      mediaType: 'application/vnd.oci.image.layer.v1.tar',
      digest: layer.digest,
      size: layer.size,
      annotations: { [catalogueBytes]: String(layer.bytes) },
    })),
    annotations: { [nameAnnotation]: image.name },
  })
  return {
    manifest,
    blobs: [configBlob, ...layers.map(({ digest, bytes }) => ({ digest, bytes }))],
  }
}

export function catalogueImage(image: PublishedImage): CatalogueImage {
  const { manifest, blobs } = manifestOf(image)
  return { digest: publishText(manifest), name: image.name, bytes: manifest.length, layers: blobs }
}
