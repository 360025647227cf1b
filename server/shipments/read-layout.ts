/**
 * Reads a tar that should be an OCI image layout: which blobs are in it, whether each has the digest of its name, and what
 * its index says. Nothing is unpacked: names that lead elsewhere, links and devices are refused before anything is taken.
 */
import { createHash } from 'node:crypto'
import { createReadStream } from 'node:fs'
import { extract, type Header } from 'tar-stream'
import { z } from 'zod'

/** What cannot be taken at all. */
export class LayoutMistake extends Error {
  constructor(
    readonly path: string,
    says: string,
  ) {
    super(says)
  }
}

export interface ReadBlob {
  readonly digest: string
  readonly size: number
  /** Whether its bytes are those of its name. */
  readonly isWhole: boolean
}

const descriptor = z.looseObject({
  mediaType: z.string().max(255),
  digest: z.string().max(200),
  size: z.number().min(0),
  annotations: z.record(z.string(), z.string()).optional(),
})
export type Descriptor = z.infer<typeof descriptor>

const indexShape = z.looseObject({
  schemaVersion: z.literal(2),
  manifests: z.array(descriptor).max(100_000),
  annotations: z.record(z.string(), z.string()).optional(),
})
export type LayoutIndex = z.infer<typeof indexShape>

export interface ReadLayout {
  readonly index: LayoutIndex
  readonly blobs: readonly ReadBlob[]
  /** The archive ends in the middle. */
  readonly isCutOff: boolean
}

const mostIndexBytes = 32 * 1024 * 1024
/** A blob of the demo’s registries has a few MB; nothing is ever taken into memory that is larger than this. */
export const mostBlobBytes = 256 * 1024 * 1024
const mostEntries = 500_000

const digestLengths: Readonly<Record<string, number>> = { sha256: 64, sha512: 128 }
const indexTypes = new Set(['application/vnd.oci.image.index.v1+json'])

/** The name of an entry without what leads nowhere; refused where it leads out. */
function cleanName(name: string): string {
  const parts = name.split('/').filter((part) => part !== '' && part !== '.')
  if (name.startsWith('/') || name.includes('\0') || name.includes('\\') || parts.includes('..'))
    throw new LayoutMistake(
      name.slice(0, 120),
      `The archive names ${name.slice(0, 120)}, which leads out of it. Nothing of it was taken.`,
    )
  return parts.join('/')
}

/** The digest that the name of a blob says; null for what is no blob. */
function digestIn(name: string): string | null {
  const match = /^blobs\/([a-z0-9]+)\/([0-9a-f]+)$/.exec(name)
  if (!match) return null
  const [, algorithm = '', hex = ''] = match
  return digestLengths[algorithm] === hex.length ? `${algorithm}:${hex}` : null
}

function checkKind(header: Header, name: string): void {
  if (header.type === 'file' || header.type === 'contiguous-file' || header.type === 'directory')
    return
  throw new LayoutMistake(
    name,
    `${name} is a ${header.type ?? 'special file'} in the archive; a layout has files and folders alone. Nothing of it was taken.`,
  )
}

async function textOf(entry: AsyncIterable<Buffer>, name: string, size: number): Promise<string> {
  if (size > mostIndexBytes)
    throw new LayoutMistake(name, `${name} has ${size} bytes; at most ${mostIndexBytes} are read.`)
  const chunks: Buffer[] = []
  for await (const chunk of entry) chunks.push(chunk)
  return Buffer.concat(chunks).toString('utf8')
}

async function blobOf(entry: AsyncIterable<Buffer>, digest: string): Promise<ReadBlob> {
  const [algorithm = ''] = digest.split(':')
  const hash = createHash(algorithm)
  let size = 0
  for await (const chunk of entry) {
    hash.update(chunk)
    size += chunk.length
  }
  return { digest, size, isWhole: `${algorithm}:${hash.digest('hex')}` === digest }
}

function readIndex(text: string): LayoutIndex {
  let body: unknown
  try {
    body = JSON.parse(text)
  } catch {
    throw new LayoutMistake('index.json', 'index.json is not valid JSON.')
  }
  const read = indexShape.safeParse(body)
  if (!read.success)
    throw new LayoutMistake(
      `index.json ${read.error.issues[0]?.path.map(String).join('.') ?? ''}`.trim(),
      `index.json is no index of an OCI image layout: ${read.error.issues[0]?.message ?? 'unreadable'}.`,
    )
  const nested = read.data.manifests.find(({ mediaType }) => indexTypes.has(mediaType))
  if (nested)
    throw new LayoutMistake(
      'index.json',
      `index.json refers to another index, ${nested.digest.slice(0, 80)}: an index within an index could lead back to itself and is not followed. List the manifests themselves.`,
    )
  return read.data
}

const isCutShort = (error: unknown): boolean =>
  error instanceof Error && /unexpected end of data|premature close/i.test(error.message)

/** Reads an archive from its file. Throws `LayoutMistake` for what is no layout, or one that would lead out of itself. */
export async function readLayout(file: string): Promise<ReadLayout> {
  const blobs = new Map<string, ReadBlob>()
  let index: LayoutIndex | null = null
  let isLayout = false
  let isCutOff = false
  let entries = 0
  const archive = createReadStream(file).pipe(extract())
  try {
    for await (const entry of archive) {
      const { header } = entry
      const name = cleanName(header.name)
      checkKind(header, name)
      entries += 1
      if (entries > mostEntries)
        throw new LayoutMistake(name, `The archive has more than ${mostEntries} entries.`)
      const body = entry as AsyncIterable<Buffer>
      const digest = digestIn(name)
      if (name === 'index.json') index = readIndex(await textOf(body, name, header.size ?? 0))
      else if (name === 'oci-layout') {
        const text = await textOf(body, name, header.size ?? 0)
        isLayout = /"imageLayoutVersion"\s*:\s*"1\./.test(text)
      } else if (digest !== null) {
        if ((header.size ?? 0) > mostBlobBytes)
          throw new LayoutMistake(
            name,
            `${name} has ${header.size} bytes; no blob of a shipment has more than ${mostBlobBytes}.`,
          )
        if (!blobs.has(digest)) blobs.set(digest, await blobOf(body, digest))
        else entry.resume()
      } else entry.resume()
    }
  } catch (error) {
    if (error instanceof LayoutMistake) throw error
    if (!isCutShort(error))
      throw new LayoutMistake('', 'This is no tar archive: its headers do not read.')
    isCutOff = true
  } finally {
    archive.destroy()
  }
  if (!isLayout && !isCutOff)
    throw new LayoutMistake(
      'oci-layout',
      'The archive is no OCI image layout: it has no file oci-layout of version 1.',
    )
  if (!index)
    throw new LayoutMistake(
      'index.json',
      isCutOff
        ? 'The archive is cut off before its index.json: nothing of it could be taken. Send it whole.'
        : 'The archive has no index.json.',
    )
  for (const { digest, size } of index.manifests) {
    const read = blobs.get(digest)
    if (read && read.isWhole && read.size !== size)
      throw new LayoutMistake(
        'index.json',
        `${digest.slice(0, 80)} is said to have ${size} bytes and has ${read.size}. Nothing of it was taken.`,
      )
  }
  return { index, blobs: [...blobs.values()], isCutOff }
}

/** Hands over the bytes of some blobs of an archive that was read, one after the other. */
export async function eachBlob(
  file: string,
  digests: ReadonlySet<string>,
  take: (digest: string, bytes: Buffer) => Promise<void>,
): Promise<void> {
  const archive = createReadStream(file).pipe(extract())
  const done = new Set<string>()
  try {
    for await (const entry of archive) {
      const digest = digestIn(cleanName(entry.header.name))
      if (digest === null || !digests.has(digest) || done.has(digest)) {
        entry.resume()
        continue
      }
      const chunks: Buffer[] = []
      for await (const chunk of entry as AsyncIterable<Buffer>) chunks.push(chunk)
      done.add(digest)
      await take(digest, Buffer.concat(chunks))
    }
  } catch (error) {
    if (!isCutShort(error)) throw error
  } finally {
    archive.destroy()
  }
}
