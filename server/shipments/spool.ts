/** Bodies that are kept as files before they are read: so many bytes at most, and a refusal for what does not arrive whole. */
import { createWriteStream } from 'node:fs'
import { rm } from 'node:fs/promises'
import type { Readable } from 'node:stream'
import { pipeline } from 'node:stream/promises'
import { Refusal } from '../changes/errors'

/** Passes so many bytes on, and refuses what is longer. */
const limited = (limit: number) =>
  async function* passed(source: AsyncIterable<Buffer>): AsyncGenerator<Buffer> {
    let size = 0
    for await (const chunk of source) {
      size += chunk.length
      if (size > limit)
        throw new Refusal(
          'too-large',
          `The archive has more than ${limit / 1024 ** 3} GiB. Send it as several, each with a part of it.`,
        )
      yield chunk
    }
  }

/** Writes a body to a file; what is refused leaves none. */
export async function spool(body: Readable, file: string, limit: number): Promise<void> {
  try {
    await pipeline(body, limited(limit), createWriteStream(file, { flush: true }))
  } catch (error) {
    await rm(file, { force: true })
    if (error instanceof Refusal) throw error
    if ((error as NodeJS.ErrnoException).code === 'ENOSPC')
      throw new Refusal('unavailable', 'The disk here is full: make room and send it again.')
    throw new Refusal('invalid', 'The archive did not arrive whole. Send it again.')
  }
}
