/** JSON from the bytes of a body: its depth and size are counted before anything is made of it. */
import { Refusal } from '../changes/errors'
import type { JsonLimits } from './limits'

const byte = {
  quote: 0x22,
  comma: 0x2c,
  colon: 0x3a,
  backslash: 0x5c,
  openList: 0x5b,
  closeList: 0x5d,
  openObject: 0x7b,
  closeObject: 0x7d,
}

const refused = (says: string): Refusal => new Refusal('invalid', says, [{ path: '', says }])
const tooMuch = (says: string): Refusal => new Refusal('too-large', says, [{ path: '', says }])

/** What stands against parsing these bytes, or null. One pass, nothing kept but two counts. */
export function jsonObjection(bytes: Uint8Array, limits: JsonLimits): Refusal | null {
  let depth = 0
  let values = 1
  let isText = false
  for (let at = 0; at < bytes.length; at++) {
    const here = bytes[at]
    if (isText) {
      if (here === byte.backslash) at++
      else if (here === byte.quote) isText = false
      continue
    }
    if (here === byte.quote) isText = true
    else if (here === byte.comma || here === byte.colon) values++
    else if (here === byte.openList || here === byte.openObject) {
      values++
      if (++depth > limits.depth)
        return tooMuch(
          `The body nests lists and objects more than ${limits.depth} deep. Flatten it.`,
        )
    } else if (here === byte.closeList || here === byte.closeObject) depth--
    if (values > limits.values)
      return tooMuch(
        `The body holds more than ${limits.values.toLocaleString('en')} values. Send it in parts, or leave out what the question does not need.`,
      )
  }
  return null
}

/** The text of bytes that have to be UTF-8. A byte order mark is passed over. */
export function textOf(bytes: Uint8Array): string {
  try {
    return new TextDecoder('utf-8', { fatal: true }).decode(bytes)
  } catch {
    throw refused('The body is not valid UTF-8.')
  }
}

/** What a body of JSON holds; nothing where it is empty. */
export function jsonOf(bytes: Uint8Array, limits: JsonLimits): unknown {
  if (bytes.length === 0) return undefined
  const objection = jsonObjection(bytes, limits)
  if (objection) throw objection
  const text = textOf(bytes)
  try {
    return JSON.parse(text) as unknown
  } catch {
    throw refused('The body is not valid JSON.')
  }
}
