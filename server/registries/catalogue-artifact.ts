/**
 * The catalogue as it travels on every drive: releases, the ways between them and why some are closed, add-ons, images. An
 * OCI artifact like any other, with the signature of the release desk among its referrers.
 */
import { z } from 'zod'
import type { CarriedCatalogue, Published } from '~/core/releases'
import { digestOfBytes, type Registry } from './registry'
import { deskSignature, vouchedFor } from './signatures'

/** What travels beside the images: signatures and the catalogue. */
export interface Beside {
  readonly manifests: readonly Readonly<Record<string, unknown>>[]
  readonly blobs: readonly { readonly digest: string; readonly bytes: Uint8Array }[]
}

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

const text = z.string()
const texts = z.array(text)
const addOnVersion = z.object({
  version: text,
  min: text.nullable(),
  max: text.nullable(),
  replaces: texts,
  images: texts,
})

/** The body of the artifact, as far as a site that it came to computes from it. */
const body = z.object({
  releases: z.array(z.object({ version: text, withdrawn: text.optional(), images: texts })),
  edges: z.array(z.object({ from: text, to: text, withdrawn: text.optional() })),
  addOns: z.array(
    z.object({
      name: text,
      channels: z.array(z.object({ name: text, versions: z.array(addOnVersion) })),
    }),
  ),
  images: z.array(z.object({ digest: text, name: text })),
})

const artifact = z.object({ layers: z.array(z.object({ digest: text })) })

function parsed(bytes: Uint8Array): unknown {
  try {
    return JSON.parse(new TextDecoder('utf-8', { fatal: true }).decode(bytes))
  } catch {
    return null
  }
}

/** Whether the catalogue that came to a registry is vouched for; `none` where none came. */
export async function catalogueVouched(
  registry: Registry,
): Promise<'none' | Awaited<ReturnType<typeof vouchedFor>>['state']> {
  const digest = (await registry.repository(catalogueRepository))?.tags.get(catalogueTag)
  if (digest === undefined) return 'none'
  return (await vouchedFor(registry, catalogueRepository, digest)).state
}

/** The catalogue that came to a registry last; null where none came, or where it does not verify. */
export async function readCatalogue(registry: Registry): Promise<CarriedCatalogue | null> {
  if ((await catalogueVouched(registry)) !== 'signed') return null
  const digest = (await registry.repository(catalogueRepository))?.tags.get(catalogueTag)
  const manifest = digest === undefined ? null : await registry.bytes(digest)
  if (!manifest || digestOfBytes(manifest) !== digest) return null
  const layer = artifact.safeParse(parsed(manifest)).data?.layers[0]?.digest
  const bytes = layer === undefined ? null : await registry.bytes(layer)
  if (!bytes || digestOfBytes(bytes) !== layer) return null
  const read = body.safeParse(parsed(bytes))
  if (!read.success) return null
  const { releases, edges, addOns, images } = read.data
  const kept = <Of extends { withdrawn?: string | undefined }>({ withdrawn, ...rest }: Of) =>
    withdrawn === undefined ? rest : { ...rest, withdrawn }
  return { releases: releases.map(kept), edges: edges.map(kept), addOns, images }
}
