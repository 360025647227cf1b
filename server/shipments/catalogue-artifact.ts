/**
 * The catalogue as it travels on every drive: releases, the ways between them and why some are closed, add-ons, images. An
 * OCI artifact like any other, with the signature of the release desk among its referrers.
 */
import type { Published } from '~/core/releases'
import { digestOfBytes } from '../registries/registry'
import { deskSignature } from '../registries/signatures'
import type { Beside } from './layout'

export const catalogueRepository = 'release-desk/catalogue'
export const catalogueTag = 'current'
export const catalogueType = 'application/vnd.fernhollow.catalogue.v1+json'

const manifestType = 'application/vnd.oci.image.manifest.v1+json'
const emptyType = 'application/vnd.oci.empty.v1+json'
const empty = new TextEncoder().encode('{}')

/** Manifest, catalogue and signature, with what an index says of them. */
export function catalogueArtifact(published: Published): Beside {
  const { releases, edges, addOns, images } = published
  const body = new TextEncoder().encode(JSON.stringify({ releases, edges, addOns, images }))
  const manifest = new TextEncoder().encode(
    JSON.stringify({
      schemaVersion: 2,
      mediaType: manifestType,
      artifactType: catalogueType,
      config: { mediaType: emptyType, digest: digestOfBytes(empty), size: empty.length },
      layers: [{ mediaType: catalogueType, digest: digestOfBytes(body), size: body.length }],
    }),
  )
  const digest = digestOfBytes(manifest)
  const signature = deskSignature({ digest, size: manifest.length })
  return {
    manifests: [
      {
        mediaType: manifestType,
        artifactType: catalogueType,
        digest,
        size: manifest.length,
        annotations: {
          'org.opencontainers.image.ref.name': `${catalogueRepository}:${catalogueTag}`,
        },
      },
      { mediaType: manifestType, digest: signature.digest, size: signature.body.length },
    ],
    blobs: [
      { digest, bytes: manifest },
      { digest: digestOfBytes(body), bytes: body },
      { digest: digestOfBytes(empty), bytes: empty },
      { digest: signature.digest, bytes: new TextEncoder().encode(signature.body) },
    ],
  }
}
