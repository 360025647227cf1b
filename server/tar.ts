/** Files as one tar. */
import { pack } from 'tar-stream'

export interface TarFile {
  readonly name: string
  readonly body: string | Uint8Array
}

/** The archive of the files in their order, all of one time and mode. */
export function tarOf(
  files: readonly TarFile[],
  { mtime, mode }: { readonly mtime: Date; readonly mode: number },
): Promise<Buffer> {
  const archive = pack()
  const chunks: Buffer[] = []
  const done = new Promise<Buffer>((resolve, reject) => {
    archive.on('data', (chunk: unknown) => void (Buffer.isBuffer(chunk) && chunks.push(chunk)))
    archive.on('end', () => resolve(Buffer.concat(chunks)))
    archive.on('error', reject)
  })
  for (const { name, body } of files) archive.entry({ name, mtime, mode }, Buffer.from(body))
  archive.finalize()
  return done
}
