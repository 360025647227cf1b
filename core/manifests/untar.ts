/** Text files out of a tar archive (POSIX ustar), for manifests dropped as one. Anything but plain files is passed over. */

const block = 512

const textAt = (bytes: Uint8Array, from: number, length: number): string => {
  const part = bytes.subarray(from, from + length)
  const end = part.indexOf(0)
  return new TextDecoder().decode(end < 0 ? part : part.subarray(0, end))
}

/** Names and texts of the files in an archive; null for bytes that are none. */
export function untar(
  bytes: Uint8Array,
): readonly { readonly name: string; readonly text: string }[] | null {
  if (bytes.length < block || !textAt(bytes, 257, 5).startsWith('ustar')) return null
  const files: { name: string; text: string }[] = []
  for (let at = 0; at + block <= bytes.length;) {
    const name = textAt(bytes, at, 100)
    if (name === '') break
    const size = Number.parseInt(textAt(bytes, at + 124, 12).trim() || '0', 8)
    if (!Number.isFinite(size) || size < 0 || at + block + size > bytes.length) return null
    const kind = bytes[at + 156]
    const prefix = textAt(bytes, at + 345, 155)
    if (kind === 0 || kind === 0x30)
      files.push({
        name: prefix === '' ? name : `${prefix}/${name}`,
        text: new TextDecoder().decode(bytes.subarray(at + block, at + block + size)),
      })
    at += block + Math.ceil(size / block) * block
  }
  return files
}
