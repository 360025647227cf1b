/**
 * What one registry holds. What it held at first is given and made again when it is asked for; what was pushed or deleted
 * since is a log that is only added to, beside the bytes, each under its digest. A blob is in place before the log names it,
 * and a line that a power cut left half written counts for nothing.
 */
import { createHash } from 'node:crypto'
import { createReadStream } from 'node:fs'
import {
  appendFile,
  mkdir,
  open,
  readdir,
  readFile,
  rename,
  rm,
  stat,
  truncate,
  writeFile,
} from 'node:fs/promises'
import { join } from 'node:path'
import { randomUUID } from 'node:crypto'
import { z } from 'zod'
import { listedOf, readManifest } from './manifest'

export { readManifest }

export interface Manifest {
  readonly digest: string
  readonly mediaType: string
  readonly size: number
  /** What it is, where it is no image; null for images. */
  readonly artifactType: string | null
  /** The manifest that it is about, or null. */
  readonly subject: string | null
  readonly annotations: Readonly<Record<string, string>>
}

export interface Repository {
  readonly tags: Map<string, string>
  readonly manifests: Map<string, Manifest>
  /** Blobs that can be had under its name. */
  readonly blobs: Set<string>
}

/** An image that is there from the beginning. */
export interface FirstImage {
  readonly repository: string
  /** Null for what is found by its digest or its subject alone. */
  readonly tag: string | null
  readonly digest: string
  readonly blobs: readonly string[]
  /** What is listed of its manifest. */
  readonly listed: Omit<Manifest, 'digest'>
}

export interface First {
  readonly images: () => Promise<readonly FirstImage[]>
  /** The bytes of one of their blobs or manifests, or null. */
  readonly blob: (digest: string) => Promise<Uint8Array | null>
}

const entry = z.discriminatedUnion('op', [
  z.object({ op: z.literal('blob'), repository: z.string(), digest: z.string() }),
  z.object({ op: z.literal('drop-blob'), repository: z.string(), digest: z.string() }),
  z.object({
    op: z.literal('manifest'),
    repository: z.string(),
    digest: z.string(),
    mediaType: z.string(),
  }),
  z.object({ op: z.literal('drop-manifest'), repository: z.string(), digest: z.string() }),
  z.object({ op: z.literal('tag'), repository: z.string(), tag: z.string(), digest: z.string() }),
  z.object({ op: z.literal('untag'), repository: z.string(), tag: z.string() }),
])
type Entry = z.infer<typeof entry>

/** How long an upload that has not ended is kept (ms). */
const uploadsLastMs = 86_400_000

export const digestOfBytes = (bytes: Uint8Array, algorithm = 'sha256'): string =>
  `${algorithm}:${createHash(algorithm).update(bytes).digest('hex')}`

const fileOf = (digest: string): string => digest.replace(':', '-')

export class Registry {
  private readonly repositories = new Map<string, Repository>()
  private opened: Promise<void> | null = null
  /** What it held at the beginning. */
  private readonly firstDigests = new Set<string>()
  /** Told when tags are others than they were: set by who keeps it. */
  retagged: () => void = () => undefined
  /** Writes one after the other. */
  private writing: Promise<unknown> = Promise.resolve()

  constructor(
    readonly name: string,
    private readonly dir: string,
    private readonly first: First,
  ) {}

  /** Everything it holds, by repository. */
  async contents(): Promise<ReadonlyMap<string, Repository>> {
    await this.ready()
    return this.repositories
  }

  async repository(name: string): Promise<Repository | undefined> {
    await this.ready()
    return this.repositories.get(name)
  }

  /** The bytes of a blob or manifest, wherever it lies. */
  async bytes(digest: string): Promise<Uint8Array | null> {
    const kept = await readFile(this.blobFile(digest)).catch(() => null)
    return kept ?? (this.firstDigests.has(digest) ? this.first.blob(digest) : null)
  }

  /** Whether the bytes of a digest are here, named by a repository or not. */
  async keeps(digest: string): Promise<boolean> {
    await this.ready()
    if (this.firstDigests.has(digest)) return true
    return stat(this.blobFile(digest)).then(
      () => true,
      () => false,
    )
  }

  /** Whether it was there from the beginning. */
  wasFirst(digest: string): boolean {
    return this.firstDigests.has(digest)
  }

  /** Keeps bytes under their digest, without a name yet; what is there already is left as it is. */
  async keep(digest: string, bytes: Uint8Array): Promise<void> {
    await this.ready()
    const partial = `${this.blobFile(digest)}.${randomUUID()}`
    await writeFile(partial, bytes, { flush: true })
    await rename(partial, this.blobFile(digest))
  }

  /** Gives blobs that are kept to repositories. */
  async link(
    named: readonly { readonly repository: string; readonly digest: string }[],
  ): Promise<void> {
    await this.ready()
    const fresh = named.filter(
      ({ repository, digest }) => !this.repositories.get(repository)?.blobs.has(digest),
    )
    if (fresh.length > 0)
      await this.write(...fresh.map((blob) => ({ op: 'blob' as const, ...blob })))
  }

  // Uploads

  private uploadFile(id: string): string {
    return join(this.dir, 'uploads', id)
  }

  private blobFile(digest: string): string {
    return join(this.dir, 'blobs', fileOf(digest))
  }

  async beginUpload(): Promise<string> {
    await this.ready()
    const id = randomUUID()
    await writeFile(this.uploadFile(id), '')
    return id
  }

  /** How many bytes of an upload have arrived; null where there is none of that id. */
  async uploaded(id: string): Promise<number | null> {
    if (!/^[0-9a-f-]{36}$/.test(id)) return null
    return stat(this.uploadFile(id)).then(
      ({ size }) => size,
      () => null,
    )
  }

  async addToUpload(id: string, chunks: AsyncIterable<Uint8Array>): Promise<number> {
    const file = await open(this.uploadFile(id), 'a')
    try {
      for await (const chunk of chunks) await file.write(chunk)
      return (await file.stat()).size
    } finally {
      await file.close()
    }
  }

  async cancelUpload(id: string): Promise<void> {
    await rm(this.uploadFile(id), { force: true })
  }

  /** Makes an upload a blob; false where its bytes are not those of the digest, and it stays as it was. */
  async finishUpload(id: string, repository: string, digest: string): Promise<boolean> {
    const [algorithm = ''] = digest.split(':')
    const hash = createHash(algorithm)
    for await (const chunk of createReadStream(this.uploadFile(id))) hash.update(chunk as Buffer)
    if (`${algorithm}:${hash.digest('hex')}` !== digest) return false
    const file = await open(this.uploadFile(id), 'r+')
    await file.sync()
    await file.close()
    await rename(this.uploadFile(id), this.blobFile(digest))
    await this.write({ op: 'blob', repository, digest })
    return true
  }

  /** Makes a blob of one repository one of another too; false where it is not there. */
  async mount(repository: string, from: string, digest: string): Promise<boolean> {
    await this.ready()
    if (this.repositories.get(from)?.blobs.has(digest) !== true) return false
    await this.write({ op: 'blob', repository, digest })
    return true
  }

  // Manifests and tags

  /** Keeps a manifest under its digest, and under a tag where one is given. */
  async putManifest(
    repository: string,
    bytes: Uint8Array,
    digest: string,
    mediaType: string,
    tag: string | null,
  ): Promise<void> {
    await this.ready()
    const partial = `${this.blobFile(digest)}.${randomUUID()}`
    await writeFile(partial, bytes, { flush: true })
    await rename(partial, this.blobFile(digest))
    await this.write(
      { op: 'manifest', repository, digest, mediaType },
      ...(tag === null ? [] : [{ op: 'tag' as const, repository, tag, digest }]),
    )
  }

  dropManifest(repository: string, digest: string): Promise<void> {
    return this.write({ op: 'drop-manifest', repository, digest })
  }

  async tag(repository: string, tag: string, digest: string): Promise<void> {
    await this.ready()
    await this.write({ op: 'tag', repository, tag, digest })
  }

  untag(repository: string, tag: string): Promise<void> {
    return this.write({ op: 'untag', repository, tag })
  }

  dropBlob(repository: string, digest: string): Promise<void> {
    return this.write({ op: 'drop-blob', repository, digest })
  }

  // Log

  private get log(): string {
    return join(this.dir, 'log.jsonl')
  }

  private write(...entries: readonly Entry[]): Promise<void> {
    const done = this.writing.then(async () => {
      await appendFile(this.log, entries.map((line) => `${JSON.stringify(line)}\n`).join(''), {
        flush: true,
      })
      for (const line of entries) await this.apply(line)
      if (entries.some(({ op }) => op !== 'blob' && op !== 'drop-blob')) this.retagged()
    })
    this.writing = done.catch(() => undefined)
    return done
  }

  private ready(): Promise<void> {
    this.opened ??= this.read().catch((error: unknown) => {
      this.opened = null
      throw error
    })
    return this.opened
  }

  private async read(): Promise<void> {
    await mkdir(join(this.dir, 'blobs'), { recursive: true })
    await mkdir(join(this.dir, 'uploads'), { recursive: true })
    await this.dropOldUploads()
    this.repositories.clear()
    for (const image of await this.first.images()) {
      const repository = this.made(image.repository)
      this.firstDigests.add(image.digest)
      for (const blob of image.blobs) {
        repository.blobs.add(blob)
        this.firstDigests.add(blob)
      }
      repository.manifests.set(image.digest, { digest: image.digest, ...image.listed })
      if (image.tag !== null) repository.tags.set(image.tag, image.digest)
    }
    const text = await readFile(this.log, 'utf8').catch(() => '')
    const whole = text.slice(0, text.lastIndexOf('\n') + 1)
    if (whole.length < text.length) await truncate(this.log, Buffer.byteLength(whole))
    for (const line of whole.split('\n')) {
      if (line === '') continue
      const read = entry.safeParse(JSON.parse(line))
      if (read.success) await this.apply(read.data)
    }
  }

  /** Uploads that nobody went on with are given up, and what a stop left half written. */
  private async dropOldUploads(): Promise<void> {
    for (const name of await readdir(join(this.dir, 'blobs')))
      if (name.includes('.')) await rm(join(this.dir, 'blobs', name), { force: true })
    const dir = join(this.dir, 'uploads')
    for (const id of await readdir(dir)) {
      const { mtimeMs } = await stat(join(dir, id))
      if (Date.now() - mtimeMs > uploadsLastMs) await rm(join(dir, id), { force: true })
    }
  }

  private made(name: string): Repository {
    const repository = this.repositories.get(name) ?? {
      tags: new Map<string, string>(),
      manifests: new Map<string, Manifest>(),
      blobs: new Set<string>(),
    }
    this.repositories.set(name, repository)
    return repository
  }

  private async keepManifest(repository: string, digest: string, mediaType: string): Promise<void> {
    const bytes = await this.bytes(digest)
    const read = bytes ? readManifest(bytes) : null
    if (!bytes || !read) return
    this.made(repository).manifests.set(digest, {
      digest,
      mediaType,
      ...listedOf(read, bytes.length),
    })
  }

  private async apply(line: Entry): Promise<void> {
    const repository = this.made(line.repository)
    switch (line.op) {
      case 'blob':
        repository.blobs.add(line.digest)
        return
      case 'drop-blob':
        repository.blobs.delete(line.digest)
        return
      case 'manifest':
        await this.keepManifest(line.repository, line.digest, line.mediaType)
        return
      case 'drop-manifest':
        repository.manifests.delete(line.digest)
        for (const [tag, digest] of repository.tags)
          if (digest === line.digest) repository.tags.delete(tag)
        return
      case 'tag':
        repository.tags.set(line.tag, line.digest)
        return
      case 'untag':
        repository.tags.delete(line.tag)
    }
  }
}
