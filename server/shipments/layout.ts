/**
 * What lies on one drive, as an OCI image layout (image-spec 1.1, image-layout.md): `oci-layout`, `index.json` with the
 * manifests that lie on it, and the blobs by digest. Blobs of these images that are not there lie on other drives.
 */
import type { Drive, ShipmentOrder } from '~/core/shipment'
import { breath } from '../breath'
import { digestOf } from '../connectors/standin/published'
import type { Beside } from '../registries/catalogue-artifact'
import { tarOf } from '../tar'

const layoutVersion = '1.0.0'
const indexType = 'application/vnd.oci.image.index.v1+json'
const manifestType = 'application/vnd.oci.image.manifest.v1+json'
/** Files of a layout have no time of their own: the same drive is the same archive. */
const mtime = new Date(0)

/** Which drive of which shipment an archive is, as the annotations of its index say it. */
export const driveAnnotations = {
  shipment: 'gyrarch/shipment',
  drive: 'gyrarch/drive',
  drives: 'gyrarch/drives',
} as const

/** The archive. A blob whose bytes are not those of its digest is an error: none such leaves. */
export async function layoutTar(
  drive: Drive,
  images: ShipmentOrder['images'],
  blobOf: (digest: string) => Promise<Uint8Array>,
  annotations: Readonly<Record<string, string>> = {},
  beside: Beside = { manifests: [], blobs: [] },
): Promise<Buffer> {
  const imageOf = new Map(images.map((image) => [image.digest, image]))
  const manifests = []
  const blobs = []
  for (const digest of drive.blobs) {
    const bytes = await blobOf(digest)
    if (digestOf(bytes) !== digest) throw new Error(`the bytes of ${digest} are others`)
    blobs.push({ digest, bytes })
    const image = imageOf.get(digest)
    if (image)
      manifests.push({
        mediaType: manifestType,
        digest,
        size: bytes.length,
        annotations: { 'org.opencontainers.image.ref.name': image.name },
      })
    if (blobs.length % 32 === 0) await breath()
  }
  return tarOf(
    [
      { name: 'oci-layout', body: JSON.stringify({ imageLayoutVersion: layoutVersion }) },
      {
        name: 'index.json',
        body: JSON.stringify({
          schemaVersion: 2,
          mediaType: indexType,
          manifests: [...manifests, ...beside.manifests],
          ...(Object.keys(annotations).length === 0 ? {} : { annotations }),
        }),
      },
      ...[...blobs, ...beside.blobs].map(({ digest, bytes }) => ({
        name: `blobs/${digest.replace(':', '/')}`,
        body: bytes,
      })),
    ],
    { mtime, mode: 0o644 },
  )
}
