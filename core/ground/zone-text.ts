/**
 * Text of zone files: escapes read once and written back. A backslash and three digits is an octet, a backslash and any
 * other character that character. Octets that are no UTF-8 are kept as they are. Source: RFC 1035, section 5.1; RFC 4343.
 */

/** Octets that are no text stand at these code points meanwhile, so that none is lost. */
const strayBase = 0xdc00

const encoder = new TextEncoder()

/** The octets of a text with its escapes read. */
function octetsOf(raw: string): readonly number[] {
  const octets: number[] = []
  for (let at = 0; at < raw.length;) {
    if (raw[at] === '\\') {
      const digits = /^\d{3}/.exec(raw.slice(at + 1))?.[0]
      if (digits !== undefined && Number(digits) <= 255) {
        octets.push(Number(digits))
        at += 4
        continue
      }
      at++
      if (at >= raw.length) break
    }
    const character = String.fromCodePoint(raw.codePointAt(at) ?? 0)
    octets.push(...encoder.encode(character))
    at += character.length
  }
  return octets
}

/** Text with its escapes read. */
export function decodedText(raw: string): string {
  const octets = octetsOf(raw)
  let text = ''
  for (let at = 0; at < octets.length;) {
    const lead = octets[at] ?? 0
    let length = 1
    if (lead >= 0xf0) length = 4
    else if (lead >= 0xe0) length = 3
    else if (lead >= 0xc0) length = 2
    const part = Uint8Array.from(octets.slice(at, at + length))
    try {
      text += new TextDecoder('utf-8', { fatal: true, ignoreBOM: true }).decode(part)
      at += part.length
    } catch {
      text += String.fromCharCode(strayBase + lead)
      at++
    }
  }
  return text
}

const octal = (octet: number): string => `\\${String(octet).padStart(3, '0')}`

/** How many octets a text has. */
export const octetCount = (text: string): number =>
  [...text].reduce((sum, character) => {
    const code = character.codePointAt(0) ?? 0
    return sum + (code >= 0xdc80 && code <= 0xdcff ? 1 : encoder.encode(character).length)
  }, 0)

/** Text in quotes, as a record’s value shows it: what would end it, and what cannot be seen, is escaped. */
export const quotedText = (text: string): string =>
  `"${[...text]
    .map((character) => {
      const code = character.codePointAt(0) ?? 0
      if (code >= 0xdc80 && code <= 0xdcff) return octal(code - strayBase)
      if (code < 0x20 || code === 0x7f) return octal(code)
      return character === '"' || character === '\\' ? `\\${character}` : character
    })
    .join('')}"`

/** A value as any name server reads it: whatever is not ASCII as octets. */
export const asciiValue = (value: string): string =>
  [...value]
    .map((character) =>
      (character.codePointAt(0) ?? 0) < 0x80
        ? character
        : [...encoder.encode(character)].map(octal).join(''),
    )
    .join('')

/** A name with escapes of ordinary characters read: `\065pi` is `Api`. A dot that is part of a label stays escaped. */
export const decodedName = (raw: string): string =>
  raw.replace(/\\(\d{3})|\\([A-Za-z_-])/g, (all, digits: string | undefined, letter?: string) => {
    if (letter !== undefined) return letter
    const character = String.fromCharCode(Number(digits))
    return /[A-Za-z0-9_-]/.test(character) ? character : all
  })
