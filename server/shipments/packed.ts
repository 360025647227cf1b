/** The files of a packed drive: images, their signatures, and the catalogue, as one archive. */
import type { Published } from '~/core/releases'
import type { Registry } from '../registries/registry'
import { type Beside, catalogueArtifact } from '../registries/catalogue-artifact'
import { signatureType } from '../registries/signatures'
import { driveAnnotations, layoutTar } from './layout'

export interface PackedDrive {
  readonly shipment: string
  /** Counted from 1. */
  readonly drive: number
  readonly drives: number
  readonly medium: string
  readonly blobs: readonly string[]
}

const manifestType = 'application/vnd.oci.image.manifest.v1+json'
const emptyBlob = new TextEncoder().encode('{}')

/** What a registry has as signatures of some images, with the bytes of each. */
export async function signaturesOf(
  registry: Registry,
  images: readonly { readonly name: string; readonly digest: string }[],
): Promise<Beside> {
  const contents = await registry.contents()
  const manifests: Record<string, unknown>[] = []
  const blobs: { digest: string; bytes: Uint8Array }[] = []
  for (const { name, digest } of images) {
    const repository = contents.get(name.slice(0, name.lastIndexOf(':')))
    for (const manifest of repository?.manifests.values() ?? []) {
      if (manifest.subject !== digest || manifest.artifactType !== signatureType) continue
      const bytes = await registry.bytes(manifest.digest)
      if (!bytes) continue
      blobs.push({ digest: manifest.digest, bytes })
      manifests.push({
        mediaType: manifestType,
        artifactType: signatureType,
        digest: manifest.digest,
        size: bytes.length,
      })
    }
  }
  return { manifests, blobs }
}

/** The archive of one drive; with `only`, of some of its blobs. Every blob comes out of the registry and is verified. */
export async function driveTar(
  drive: PackedDrive,
  published: Published,
  registry: Registry,
  only: ReadonlySet<string> | null = null,
): Promise<Buffer> {
  const wanted = drive.blobs.filter((digest) => only === null || only.has(digest))
  const onDrive = new Set(wanted)
  const images = published.images.filter((image) => onDrive.has(image.digest))
  const signatures = await signaturesOf(registry, images)
  const catalogue = catalogueArtifact(published)
  // The empty configuration that artifacts have is there once.
  const beside = new Map(
    [...signatures.blobs, ...catalogue.blobs]
      .filter(({ digest }) => !onDrive.has(digest))
      .map((blob) => [blob.digest, blob.bytes]),
  )
  return layoutTar(
    { medium: drive.medium, blobs: wanted },
    images.map(({ layers, signedBy: _, vulnerabilities: _found, ...image }) => ({
      ...image,
      layers: [...layers],
    })),
    async (digest) => (await registry.bytes(digest)) ?? emptyBlob,
    {
      [driveAnnotations.shipment]: drive.shipment,
      [driveAnnotations.drive]: String(drive.drive),
      [driveAnnotations.drives]: String(drive.drives),
    },
    {
      manifests: [...signatures.manifests, ...catalogue.manifests],
      blobs: [...beside].map(([digest, bytes]) => ({ digest, bytes })),
    },
  )
}
