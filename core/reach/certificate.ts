/** Whether bytes are an X.509 certificate, by its outermost shape (RFC 5280, 4.1): who trusts it reads it whole. */

/** The bodies of the PEM blocks in a text that say they are certificates (RFC 7468). */
export function pemBody(text: string): readonly Uint8Array[] {
  const blocks = text.matchAll(/-----BEGIN CERTIFICATE-----([\s\S]*?)-----END CERTIFICATE-----/g)
  return [...blocks].flatMap(([, body = '']) => {
    const compact = body.replace(/\s+/g, '')
    if (!/^[A-Za-z0-9+/]+={0,2}$/.test(compact) || compact.length % 4 !== 0) return []
    return [Uint8Array.from(atob(compact), (sign) => sign.charCodeAt(0))]
  })
}

interface Part {
  readonly tag: number
  readonly from: number
  readonly to: number
}

/** The element of DER that begins at a place; null where it is cut off. */
function partAt(bytes: Uint8Array, at: number): Part | null {
  const first = bytes[at + 1]
  if (first === undefined) return null
  const counted = first < 0x80 ? 0 : first & 0x7f
  if (counted > 4) return null
  let length = counted === 0 ? first : 0
  for (let i = 0; i < counted; i++) length = length * 256 + (bytes[at + 2 + i] ?? 0)
  const from = at + 2 + counted
  return from + length <= bytes.length ? { tag: bytes[at] ?? 0, from, to: from + length } : null
}

const sequence = 0x30
const bitString = 0x03

export function isCertificate(bytes: Uint8Array): boolean {
  const whole = partAt(bytes, 0)
  if (whole?.tag !== sequence || whole.to !== bytes.length) return false
  const tags: number[] = []
  for (let at = whole.from; at < whole.to;) {
    const part = partAt(bytes, at)
    if (!part) return false
    tags.push(part.tag)
    at = part.to
  }
  return tags.length === 3 && tags[0] === sequence && tags[1] === sequence && tags[2] === bitString
}
