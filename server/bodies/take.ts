/**
 * Takes the body of a request: unpacked, with its size counted as it comes, whatever it was packed to. Small ones are
 * kept in memory, larger ones in a file that goes with the request.
 */
import { randomUUID } from 'node:crypto'
import { mkdtempSync } from 'node:fs'
import { type FileHandle, open, rm } from 'node:fs/promises'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import type { Readable } from 'node:stream'
import { createBrotliDecompress, createGunzip, createInflate } from 'node:zlib'
import type { IncomingMessage } from 'node:http'
import { Refusal } from '../changes/errors'
import { mib, ordinaryBytes } from './limits'

export type Body =
  | { readonly bytes: Buffer; readonly file?: undefined }
  /** Over `ordinaryBytes`: removed by who took it. */
  | { readonly file: string; readonly bytes?: undefined }

const unpackers = {
  gzip: createGunzip,
  'x-gzip': createGunzip,
  deflate: createInflate,
  br: createBrotliDecompress,
}

const tooLarge = (limit: number): Refusal =>
  new Refusal('too-large', `The body is larger than ${mib(limit)}.`, [
    { path: '', says: `at most ${mib(limit)}` },
  ])

/** Bytes of bodies in memory that are still coming in, of all requests together. */
let inMemory = 0
const mostInMemory = 32 * ordinaryBytes
let spooling = 0
const mostSpooling = 8

const busy = (): Refusal =>
  new Refusal('unavailable', 'Too many large bodies are being read at once. Send it again later.')

let folder: string | null = null
/** Where what does not stay in memory is kept while it is worked on: for this process, readable by it alone. */
export const spoolFile = (): string =>
  join((folder ??= mkdtempSync(join(tmpdir(), 'gyrarch-spool-'))), randomUUID())

/** Ends the process’s spool. */
export async function endSpool(): Promise<void> {
  if (folder !== null) await rm(folder, { recursive: true, force: true })
  folder = null
}

function unpacked(request: IncomingMessage): Readable {
  const coding = (request.headers['content-encoding'] ?? 'identity').trim().toLowerCase()
  if (coding === 'identity' || coding === '') return request
  const unpacker = Object.entries(unpackers).find(([name]) => name === coding)?.[1]
  if (!unpacker)
    throw new Refusal(
      'invalid',
      `A body packed as ${coding.slice(0, 40)} is not read. Send it as it is, or packed with gzip.`,
    )
  const plain = unpacker()
  request.on('error', (error) => plain.destroy(error))
  request.on('aborted', () => plain.destroy(new Error('cut off')))
  request.pipe(plain)
  return plain
}

/** What of a failed read the sender is told. */
function whyNot(error: unknown): unknown {
  if (error instanceof Refusal) return error
  const { code } = error as NodeJS.ErrnoException
  if (code === 'ENOSPC')
    return new Refusal('unavailable', 'The disk here is full: make room and send it again.')
  if (code?.startsWith('Z_') === true || code?.startsWith('ERR_') === true)
    return new Refusal('invalid', 'The body is not packed as it says it is, or was cut off.')
  return new Refusal('invalid', 'The body did not arrive whole. Send it again.')
}

const discardMs = 1000

/** Lets what is still coming pass unread for a moment: who is still sending would not hear the answer. */
async function discarded(request: IncomingMessage): Promise<void> {
  if (request.complete || request.destroyed) return
  await new Promise<void>((done) => {
    // After a stall the timer fires before what has arrived meanwhile is read: that gets its turn first.
    const timer = setTimeout(() => setImmediate(() => setImmediate(done)), discardMs)
    const isOver = (): void => {
      clearTimeout(timer)
      done()
    }
    request.once('close', isOver).once('end', isOver)
    request.resume()
  })
}

/** The body of a request; more than `limit` bytes of it are refused, and the rest is not read. */
export async function takeBody(request: IncomingMessage, limit = ordinaryBytes): Promise<Body> {
  const said = Number(request.headers['content-length'] ?? 0)
  if (said > limit) {
    await discarded(request)
    throw tooLarge(limit)
  }
  const source = unpacked(request)
  const taken = new Taken(limit)
  try {
    // An iterator that ends what it reads would end the request, and with it the way of the answer.
    const chunks = source.iterator({ destroyOnReturn: false }) as AsyncIterable<Buffer>
    for await (const chunk of chunks) await taken.add(chunk)
    return await taken.whole()
  } catch (error) {
    await taken.drop()
    if (source !== request) {
      request.unpipe()
      source.destroy()
    }
    await discarded(request)
    throw whyNot(error)
  } finally {
    taken.end()
  }
}

/** What has come of one body: in memory at first, in a file once it is large. */
class Taken {
  private size = 0
  private chunks: Buffer[] = []
  private held = 0
  private file: string | null = null
  private isSpooling = false
  private spool: FileHandle | null = null

  constructor(private readonly limit: number) {}

  async add(chunk: Buffer): Promise<void> {
    this.size += chunk.length
    if (this.size > this.limit) throw tooLarge(this.limit)
    if (!this.spool && this.size > ordinaryBytes) await this.toFile()
    if (this.spool) {
      await this.spool.writeFile(chunk)
      return
    }
    if (inMemory + chunk.length > mostInMemory) throw busy()
    inMemory += chunk.length
    this.held += chunk.length
    this.chunks.push(chunk)
  }

  private async toFile(): Promise<void> {
    if (spooling >= mostSpooling) throw busy()
    spooling++
    this.file = spoolFile()
    this.isSpooling = true
    this.spool = await open(this.file, 'wx', 0o600)
    for (const chunk of this.chunks) await this.spool.writeFile(chunk)
    this.forget()
  }

  async whole(): Promise<Body> {
    if (!this.spool || this.file === null) return { bytes: Buffer.concat(this.chunks) }
    await this.spool.close()
    return { file: this.file }
  }

  async drop(): Promise<void> {
    await this.spool?.close().catch(() => undefined)
    if (this.file !== null) await rm(this.file, { force: true })
  }

  /** From here on nothing more comes. */
  end(): void {
    if (this.isSpooling) spooling--
    this.forget()
  }

  private forget(): void {
    inMemory -= this.held
    this.held = 0
    this.chunks = []
  }
}
