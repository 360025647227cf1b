/** Small files that are there whole or as they were before. */
import { mkdir, rename, writeFile } from 'node:fs/promises'
import { dirname } from 'node:path'

/** Puts a text in the place of a file at once: a stop in the middle leaves what was there before. */
export async function writeWhole(file: string, text: string): Promise<void> {
  await mkdir(dirname(file), { recursive: true })
  await writeFile(`${file}.partial`, text, { flush: true, mode: 0o600 })
  await rename(`${file}.partial`, file)
}
