/** Images that a registry holds beside the catalogue: the co-operative’s own, and whatever was pushed. */
import { z } from 'zod'
import type { Published, PublishedImage } from '~/core/releases'
import { compareText } from '~/core/units'
import { catalogueBytes } from '../connectors/standin/published'
import type { Registry } from './registry'
import { findingsIn } from './scanner'
import { vouchedFor } from './signatures'

const blob = z.object({
  digest: z.string(),
  size: z.number(),
  annotations: z.record(z.string(), z.string()).optional(),
})
const imageManifest = z.looseObject({ config: blob, layers: z.array(blob) })

const bytesOf = (part: z.infer<typeof blob>): number => {
  const told = Number(part.annotations?.[catalogueBytes])
  return Number.isSafeInteger(told) && told >= 0 ? told : part.size
}

/** An image as shipments carry it, or null for what is no image (an index, an artifact, something broken). */
async function imageAt(
  registry: Registry,
  repository: string,
  tag: string,
  digest: string,
): Promise<PublishedImage | null> {
  const bytes = await registry.bytes(digest)
  let body: unknown = null
  try {
    body = bytes && JSON.parse(new TextDecoder().decode(bytes))
  } catch {
    return null
  }
  const read = imageManifest.safeParse(body)
  if (!bytes || !read.success) return null
  const { state, by } = await vouchedFor(registry, repository, digest)
  const { config, layers } = read.data
  const parts = new Map([config, ...layers].map((part) => [part.digest, bytesOf(part)]))
  return {
    digest,
    name: `${repository}:${tag}`,
    bytes: bytes.length,
    layers: [...parts].map(([partDigest, size]) => ({ digest: partDigest, bytes: size })),
    signed: state === 'signed',
    signedBy: state === 'signed' ? by : null,
  }
}

/**
 * The catalogue with the images of a registry beside it; a digest under several tags has the first of them.
 * Each with what is found in it by a time (ms).
 */
export async function withImagesOf(
  registry: Registry,
  catalogue: Published,
  now: number,
): Promise<Published> {
  const digests = new Set(catalogue.images.map((image) => image.digest))
  const images: PublishedImage[] = []
  for (const [repository, { tags }] of await registry.contents())
    for (const [tag, digest] of tags) {
      if (digests.has(digest)) continue
      const image = await imageAt(registry, repository, tag, digest)
      if (!image) continue
      digests.add(digest)
      images.push(image)
    }
  images.sort((a, b) => compareText(a.name, b.name))
  return {
    ...catalogue,
    images: [...catalogue.images, ...images].map((image) => {
      const vulnerabilities = findingsIn(
        image.layers.map((layer) => layer.digest),
        now,
      ).map(({ id, severity }) => ({ id, severity }))
      return vulnerabilities.length === 0 ? image : { ...image, vulnerabilities }
    }),
  }
}
