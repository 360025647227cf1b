/**
 * The bytes of image layers. They are made from the name of what they hold, so that a layer is the same bytes wherever it
 * lies and its digest verifies; real layers are a thousandth of the size that the catalogue gives.
 */

/** How many bytes of the catalogue one real byte stands for. */
export const catalogueScale = 1000

/** How many bytes a layer has in the end, of those that the catalogue gives. */
export const layerBytes = (catalogueBytes: number): number =>
  Math.ceil(catalogueBytes / catalogueScale)

function seedOf(name: string): number {
  let state = 0x811c9dc5
  for (let at = 0; at < name.length; at += 1)
    state = Math.imul(state ^ name.charCodeAt(at), 0x01000193)
  return state >>> 0 || 1
}

/** The layer of that name, of a thousandth of `catalogueBytes`: a stream of Marsaglia’s xorshift. */
export function layerContent(name: string, catalogueBytes: number): Uint8Array {
  const bytes = layerBytes(catalogueBytes)
  const words = new Uint32Array(Math.ceil(bytes / 4))
  let state = seedOf(name)
  for (let at = 0; at < words.length; at += 1) {
    state ^= state << 13
    state ^= state >>> 17
    state ^= state << 5
    words[at] = state
  }
  return new Uint8Array(words.buffer, 0, bytes)
}
