/** Names and values of records in their one form, and what is wrong with them. */

import { parseAddress, formatAddress } from '../addresses'
import type { Said } from '../contract'
import { quoted } from '../contract'
import { said } from './says'
import { octetCount, quotedText } from './zone-text'

export const recordTypes = [
  'A',
  'AAAA',
  'CNAME',
  'MX',
  'NS',
  'PTR',
  'SOA',
  'SRV',
  'TXT',
  'CAA',
] as const

/** Seconds of a TTL: a number, or units as in 1h30m; null if it is none. */
export function ttlSeconds(text: string): number | null {
  if (/^\d{1,10}$/.test(text)) return Number(text) <= 2 ** 31 - 1 ? Number(text) : null
  if (!/^(\d+[smhdw])+$/i.test(text)) return null
  const unit: Readonly<Record<string, number>> = { s: 1, m: 60, h: 3600, d: 86_400, w: 604_800 }
  const total = [...text.toLowerCase().matchAll(/(\d+)([smhdw])/g)].reduce(
    (sum, [, count, letter]) => sum + Number(count) * (unit[letter ?? ''] ?? 0),
    0,
  )
  return total <= 2 ** 31 - 1 ? total : null
}

export const label = /^(\*|[a-z0-9_]([a-z0-9_-]{0,61}[a-z0-9_])?)$/i
/** A host name’s objection, or null. A wild card is the leftmost label alone. */
export function nameObjection(name: string): Said | null {
  if (name === '@') return null
  const bare = name.replace(/\.$/, '')
  if (bare === '' || bare.length > 253) return said('name.length', { name: name.slice(0, 60) })
  const labels = bare.split('.')
  const wrong = labels.find((part, i) => !label.test(part) || (part === '*' && i > 0))
  if (wrong === undefined) return null
  if (wrong === '*' || wrong.includes('*')) return said('name.wild-card', { name })
  return said('name.label', { label: wrong.slice(0, 63), name: name.slice(0, 80) })
}

export const whole = (text: string | undefined, max: number): number | null =>
  text !== undefined && /^\d{1,10}$/.test(text) && Number(text) <= max ? Number(text) : null
type ValueRead = { readonly ok: true; readonly value: string } | (Said & { readonly ok: false })

const bad = (objection: Said): ValueRead => ({ ok: false, ...objection })
const good = (value: string): ValueRead => ({ ok: true, value })

/** The words of a value, and how a target among them is written in full. */
interface Written {
  readonly type: string
  readonly words: readonly string[]
  readonly target: (name: string) => string
}

const miscounted = ({ type, words }: Written, wanted: number): Said | null =>
  words.length === wanted ? null : said('value.count', { type, wanted, given: words.length })

function addressValue(written: Written): ValueRead {
  const { type, words } = written
  const [first = ''] = words
  const wanted = type === 'A' ? 4 : 6
  const objection = miscounted(written, 1)
  if (objection !== null) return bad(objection)
  const parsed = parseAddress(first)
  if (!parsed.ok) return bad(quoted('address.unreadable', parsed.says))
  const { family } = parsed.value
  if (family !== wanted) return bad(said('ipv-address-takes', { first, family, type, wanted }))
  return good(formatAddress(parsed.value))
}

function targetValue(written: Written): ValueRead {
  const [first = ''] = written.words
  const objection = miscounted(written, 1) ?? nameObjection(first)
  return objection === null ? good(written.target(first)) : bad(objection)
}

/** A lone dot as the host says that no mail is taken (RFC 7505), or that the service is not there (RFC 2782). */
const hostOr = (host: string, target: Written['target']): string =>
  host === '.' ? '.' : target(host)
const hostObjection = (host: string): Said | null => (host === '.' ? null : nameObjection(host))

function mailValue(written: Written): ValueRead {
  const [preference = '', host = ''] = written.words
  const objection =
    miscounted(written, 2) ??
    (whole(preference, 65_535) === null
      ? said('value.preference', { preference })
      : hostObjection(host))
  return objection === null
    ? good(`${Number(preference)} ${hostOr(host, written.target)}`)
    : bad(objection)
}

function serviceValue(written: Written): ValueRead {
  const numbers = written.words.slice(0, 3)
  const [, , , host = ''] = written.words
  const objection =
    miscounted(written, 4) ??
    (numbers.some((word) => whole(word, 65_535) === null)
      ? said('value.service')
      : hostObjection(host))
  return objection === null
    ? good(`${numbers.map(Number).join(' ')} ${hostOr(host, written.target)}`)
    : bad(objection)
}

function authorityValue(written: Written): ValueRead {
  const { words, target } = written
  const [server = '', mailbox = ''] = words
  const objection =
    miscounted(written, 7) ??
    nameObjection(server) ??
    // A dot within the name of the mailbox is escaped.
    nameObjection(mailbox.replace(/\\\./g, '-'))
  if (objection !== null) return bad(objection)
  const numbers = words
    .slice(2)
    .map((word, i) => (i === 0 ? whole(word, 2 ** 32 - 1) : ttlSeconds(word)))
  if (numbers.some((number) => number === null)) return bad(said('serial-refresh-retry'))
  return good(`${target(server)} ${target(mailbox)} ${numbers.join(' ')}`)
}

function textValue({ words }: Written): ValueRead {
  if (words.length === 0) return bad(said('txt-record-least'))
  if (words.some((word) => octetCount(word) > 255)) return bad(said('text-txt-record'))
  return good(words.map(quotedText).join(' '))
}

function issuerValue(written: Written): ValueRead {
  const [flags = '', tag = '', value = ''] = written.words
  const isFormed = whole(flags, 255) !== null && /^[A-Za-z0-9]{1,15}$/.test(tag)
  const objection = miscounted(written, 3) ?? (isFormed ? null : said('value.flag'))
  return objection === null ? good(`${Number(flags)} ${tag} ${quotedText(value)}`) : bad(objection)
}

const valueOf: Readonly<Record<(typeof recordTypes)[number], (written: Written) => ValueRead>> = {
  A: addressValue,
  AAAA: addressValue,
  CNAME: targetValue,
  NS: targetValue,
  PTR: targetValue,
  MX: mailValue,
  SRV: serviceValue,
  SOA: authorityValue,
  TXT: textValue,
  CAA: issuerValue,
}

/** The value of a record in its one form, or what is wrong with it. `target` writes a name as it stands in the zone. */
export function recordValue(
  type: string,
  words: readonly string[],
  target: (name: string) => string,
): ValueRead {
  const recordType = recordTypes.find((candidate) => candidate === type)
  return recordType
    ? valueOf[recordType]({ type, words, target })
    : bad(said('type-not-known', { type, recordTypes }))
}
