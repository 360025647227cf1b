/** What comes to a registry with the images of a shipment: the repositories of its blobs, signatures, and the catalogue. */
import type { Published } from '~/core/releases'
import { catalogueRepository, catalogueTag } from '../registries/catalogue-artifact'
import { readManifest, type Registry } from '../registries/registry'
import { repositoryOf } from './entering'

type Images = readonly { readonly name: string; readonly digest: string }[]

/** Gives what came to the repositories of the images that are made of it. */
export async function nameBlobs(
  images: Images,
  published: Published,
  registry: Registry,
  digests: readonly string[],
): Promise<void> {
  const came = new Set(digests)
  const wanted = new Set(images.map(({ digest }) => digest))
  await registry.link(
    published.images
      .filter((image) => wanted.has(image.digest))
      .flatMap((image) =>
        image.layers
          .filter((layer) => came.has(layer.digest))
          .map((layer) => ({ repository: repositoryOf(image.name), digest: layer.digest })),
      ),
  )
}

/** The digest of the catalogue among the manifests of an index. */
export const catalogueOf = (
  manifests: readonly {
    readonly digest: string
    readonly annotations?: Readonly<Record<string, string>> | undefined
  }[],
): string | undefined =>
  manifests.find(
    ({ annotations }) =>
      annotations?.['org.opencontainers.image.ref.name'] ===
      `${catalogueRepository}:${catalogueTag}`,
  )?.digest

/** Signatures are entered with the repositories of what they vouch for; the catalogue under its own name. */
export async function enterBeside(
  images: Images,
  registry: Registry,
  catalogue: string | undefined,
  bodies: ReadonlyMap<string, Uint8Array>,
): Promise<void> {
  const imageOf = new Map(images.map((image) => [image.digest, image]))
  for (const [digest, bytes] of bodies) {
    const read = readManifest(bytes)
    if (!read) continue
    const subject = read.subject === null ? undefined : imageOf.get(read.subject)
    const isCatalogue = digest === catalogue || read.subject === catalogue
    if (!subject && !isCatalogue) continue
    const repository = subject ? repositoryOf(subject.name) : catalogueRepository
    const before = await registry.repository(repository)
    if (before?.manifests.has(digest)) continue
    await registry.link(read.blobs.map((blob) => ({ repository, digest: blob })))
    await registry.putManifest(
      repository,
      bytes,
      digest,
      read.mediaType ?? 'application/vnd.oci.image.manifest.v1+json',
      digest === catalogue ? catalogueTag : null,
    )
  }
}
