/**
 * IPv4 and IPv6 addresses as integers, so that containment and arithmetic are plain comparisons.
 * Text follows RFC 4291 section 2.2 on reading and RFC 5952 on writing. IPv4 octets with leading zeros
 * (some programs read them as octal) and IPv4-mapped IPv6 (::ffff:0:0/96) are refused as ambiguous.
 */

export type Family = 4 | 6

export interface Address {
  readonly family: Family
  readonly value: bigint
}

export type AddressResult<T> =
  | { readonly ok: true; readonly value: T }
  /** `suggest` is the corrected form where there is exactly one, else null. */
  | { readonly ok: false; readonly says: string; readonly suggest: string | null }

export const bitsOf = (family: Family): number => (family === 4 ? 32 : 128)

const refuse = (says: string, suggest: string | null = null) =>
  ({ ok: false, says, suggest }) as const

const shown = (text: string): string => `“${text.length > 60 ? `${text.slice(0, 60)}…` : text}”`

function parseIpv4(text: string): AddressResult<bigint> {
  const octets = text.split('.')
  if (octets.length !== 4 || !octets.every((octet) => /^\d{1,3}$/.test(octet)))
    return refuse(`${shown(text)} is no address.`)
  const zeros = octets.find((octet) => octet.length > 1 && octet.startsWith('0'))
  if (zeros !== undefined)
    return refuse(`${shown(text)} has a leading zero in “${zeros}”. Write it without.`)
  const over = octets.find((octet) => Number(octet) > 255)
  if (over !== undefined) return refuse(`${shown(text)} is no address: ${over} is over 255.`)
  return { ok: true, value: BigInt(octets.reduce((sum, octet) => sum * 256 + Number(octet), 0)) }
}

function parseIpv6(text: string): AddressResult<bigint> {
  const bad = refuse(`${shown(text)} is no address.`)
  let body = text
  const dotted = /^(.*:)(\d+\.\d+\.\d+\.\d+)$/.exec(text)
  if (dotted) {
    const tail = parseIpv4(dotted[2] ?? '')
    if (!tail.ok) return tail
    body = `${dotted[1] ?? ''}${(tail.value >> 16n).toString(16)}:${(tail.value & 0xffffn).toString(16)}`
  }
  const halves = body.split('::')
  if (halves.length > 2) return bad
  const groupsOf = (half: string | undefined): string[] =>
    half === undefined || half === '' ? [] : half.split(':')
  const head = groupsOf(halves[0])
  const tail = groupsOf(halves[1])
  const missing = 8 - head.length - tail.length
  if (halves.length === 1 ? missing !== 0 : missing < 1) return bad
  const groups = [
    ...head,
    ...Array.from({ length: halves.length === 2 ? missing : 0 }, () => '0'),
    ...tail,
  ]
  if (!groups.every((group) => /^[0-9a-fA-F]{1,4}$/.test(group))) return bad
  const value = groups.reduce((sum, group) => (sum << 16n) | BigInt(`0x${group}`), 0n)
  if (value >> 32n === 0xffffn) {
    return refuse(
      `${shown(text)} is an IPv4 address mapped into IPv6. Write ${formatIpv4(value & 0xffff_ffffn)}.`,
    )
  }
  return { ok: true, value }
}

/** Reads one IPv4 or IPv6 address; blanks around it are ignored. */
export function parseAddress(text: string): AddressResult<Address> {
  const trimmed = text.trim()
  if (trimmed === '') return refuse('An address is missing.')
  const family: Family = trimmed.includes(':') ? 6 : 4
  const parsed = family === 6 ? parseIpv6(trimmed) : parseIpv4(trimmed)
  return parsed.ok ? { ok: true, value: { family, value: parsed.value } } : parsed
}

function formatIpv4(value: bigint): string {
  const bits = Number(value)
  return `${(bits >>> 24) & 255}.${(bits >>> 16) & 255}.${(bits >>> 8) & 255}.${bits & 255}`
}

/** RFC 5952: lower case, no leading zeros, the longest run of two or more zero groups (the first of equals) as "::". */
function formatIpv6(value: bigint): string {
  const groups = Array.from({ length: 8 }, (_, i) =>
    Number((value >> BigInt(16 * (7 - i))) & 0xffffn),
  )
  let best = { at: -1, length: 1 }
  for (let at = 0; at < 8; at++) {
    let length = 0
    while (at + length < 8 && groups[at + length] === 0) length++
    if (length > best.length) best = { at, length }
  }
  const hex = (part: number[]): string => part.map((group) => group.toString(16)).join(':')
  return best.at < 0
    ? hex(groups)
    : `${hex(groups.slice(0, best.at))}::${hex(groups.slice(best.at + best.length))}`
}

/** The canonical text of an address. */
export const formatAddress = (address: Address): string =>
  address.family === 4 ? formatIpv4(address.value) : formatIpv6(address.value)
