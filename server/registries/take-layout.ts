/** Images of an OCI image layout taken into a registry: every one whole, or none of them. */
import { rm } from 'node:fs/promises'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { randomUUID } from 'node:crypto'
import type { Readable } from 'node:stream'
import { parseReference } from '~/core/registry'
import { Refusal } from '../changes/errors'
import { eachBlob, LayoutMistake, readLayout, type ReadLayout } from '../shipments/read-layout'
import { spool } from '../shipments/spool'
import { readManifest, type Registry } from './registry'

export interface TakenImage {
  readonly repository: string
  readonly tag: string
  readonly digest: string
}

/** Most bytes of an archive that is taken at once. */
const mostBytes = 1024 ** 3

const invalid = (says: string, path: string): Refusal =>
  new Refusal('invalid', `${says} Nothing was taken.`, [{ path, says }])

/** The images that an index names: with a repository and a tag each. */
function imagesNamed({ index }: ReadLayout): readonly TakenImage[] {
  return index.manifests.map(({ digest, annotations }) => {
    const name = annotations?.['org.opencontainers.image.ref.name'] ?? ''
    const reference = parseReference(name)
    if (!reference || reference.tag === null || reference.host !== '')
      throw invalid(
        `The index calls ${digest.slice(0, 30)} ${name === '' ? 'nothing' : name.slice(0, 120)}: say repository and tag as org.opencontainers.image.ref.name, as in market/price-feed:4.`,
        'index.json',
      )
    return { repository: reference.repository, tag: reference.tag, digest }
  })
}

/** Takes the images of an archive; refused as a whole where a blob is damaged or missing, or an image has no name. */
export async function takeLayout(
  registry: Registry,
  body: Readable,
): Promise<readonly TakenImage[]> {
  const file = join(tmpdir(), `gyrarch-layout-${randomUUID()}.tar`)
  try {
    await spool(body, file, mostBytes)
    return await takeFile(registry, file)
  } catch (error) {
    if (error instanceof LayoutMistake) throw invalid(error.message, error.path)
    throw error
  } finally {
    await rm(file, { force: true })
  }
}

async function takeFile(registry: Registry, file: string): Promise<readonly TakenImage[]> {
  const layout = await readLayout(file)
  if (layout.isCutOff) throw invalid('The archive is cut off in the middle.', '')
  const damaged = layout.blobs.find(({ isWhole }) => !isWhole)
  if (damaged)
    throw invalid(
      `The bytes of ${damaged.digest.slice(0, 30)} are not those of its digest.`,
      damaged.digest,
    )
  const images = imagesNamed(layout)
  if (images.length === 0) throw invalid('Its index names no image.', 'index.json')
  const there = new Set(layout.blobs.map(({ digest }) => digest))
  const manifests = new Map<string, Buffer>()
  await eachBlob(file, new Set(images.map(({ digest }) => digest)), async (digest, bytes) => {
    manifests.set(digest, bytes)
    await Promise.resolve()
  })
  const wanted = new Set<string>()
  for (const { digest, repository, tag } of images) {
    const bytes = manifests.get(digest)
    const read = bytes && readManifest(bytes)
    if (!read)
      throw invalid(`The manifest of ${repository}:${tag} is not in it, or is none.`, digest)
    for (const blob of read.blobs) {
      if (!there.has(blob) && !(await registry.keeps(blob)))
        throw invalid(`${repository}:${tag} lacks ${blob.slice(0, 30)}.`, blob)
      wanted.add(blob)
    }
  }
  await eachBlob(file, wanted, async (digest, bytes) => {
    if (!(await registry.keeps(digest))) await registry.keep(digest, bytes)
  })
  for (const { repository, tag, digest } of images) {
    const bytes = manifests.get(digest)
    const read = bytes && readManifest(bytes)
    if (!bytes || !read) continue
    await registry.link(read.blobs.map((blob) => ({ repository, digest: blob })))
    await registry.putManifest(
      repository,
      bytes,
      digest,
      read.mediaType ?? 'application/vnd.oci.image.manifest.v1+json',
      tag,
    )
  }
  return images
}
