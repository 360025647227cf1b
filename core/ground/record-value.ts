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
/** The value of a record in its one form, or what is wrong with it. `absolute` writes a target as it stands. */
export function recordValue(
  type: string,
  words: readonly string[],
  target: (name: string) => string,
): { readonly ok: true; readonly value: string } | (Said & { readonly ok: false }) {
  const bad = (objection: Said) => ({ ok: false as const, ...objection })
  const miscounted = (wanted: number): Said | null =>
    words.length === wanted ? null : said('value.count', { type, wanted, given: words.length })
  const first = words[0] ?? ''
  switch (type) {
    case 'A':
    case 'AAAA': {
      const parsed = parseAddress(first)
      const objection = miscounted(1)
      if (objection !== null) return bad(objection)
      if (!parsed.ok) return bad(quoted('address.unreadable', parsed.says))
      if (parsed.value.family !== (type === 'A' ? 4 : 6))
        return bad(
          said('ipv-address-takes', {
            first,
            family: parsed.value.family,
            type,
            wanted: type === 'A' ? 4 : 6,
          }),
        )
      return { ok: true, value: formatAddress(parsed.value) }
    }
    case 'CNAME':
    case 'NS':
    case 'PTR': {
      const objection = miscounted(1) ?? nameObjection(first)
      return objection === null ? { ok: true, value: target(first) } : bad(objection)
    }
    case 'MX': {
      // A lone dot says that no mail is taken (RFC 7505).
      const isNull = words[1] === '.'
      let objection = miscounted(2)
      if (!objection && whole(first, 65_535) === null)
        objection = said('value.preference', { preference: first })
      else if (!objection && !isNull) objection = nameObjection(words[1] ?? '')
      return objection === null
        ? { ok: true, value: `${Number(first)} ${isNull ? '.' : target(words[1] ?? '')}` }
        : bad(objection)
    }
    case 'SRV': {
      const numbers = words.slice(0, 3)
      let objection = miscounted(4)
      if (!objection && numbers.some((word) => whole(word, 65_535) === null))
        objection = said('value.service')
      else if (!objection && words[3] !== '.') objection = nameObjection(words[3] ?? '')
      return objection === null
        ? {
            ok: true,
            value: `${words.slice(0, 3).map(Number).join(' ')} ${words[3] === '.' ? '.' : target(words[3] ?? '')}`,
          }
        : bad(objection)
    }
    case 'SOA': {
      const objection =
        miscounted(7) ??
        nameObjection(first) ??
        nameObjection((words[1] ?? '').replace(/\\\./g, '-'))
      const numbers = words
        .slice(2)
        .map((word, i) => (i === 0 ? whole(word, 2 ** 32 - 1) : ttlSeconds(word)))
      if (objection !== null) return bad(objection)
      if (numbers.some((number) => number === null)) return bad(said('serial-refresh-retry'))
      return { ok: true, value: `${target(first)} ${target(words[1] ?? '')} ${numbers.join(' ')}` }
    }
    case 'TXT':
      if (words.length === 0) return bad(said('txt-record-least'))
      if (words.some((word) => octetCount(word) > 255)) return bad(said('text-txt-record'))
      return {
        ok: true,
        value: words.map(quotedText).join(' '),
      }
    case 'CAA': {
      const objection =
        miscounted(3) ??
        (whole(first, 255) === null || !/^[A-Za-z0-9]{1,15}$/.test(words[1] ?? '')
          ? said('value.flag')
          : null)
      return objection === null
        ? { ok: true, value: `${Number(first)} ${words[1] ?? ''} ${quotedText(words[2] ?? '')}` }
        : bad(objection)
    }
    default:
      return bad(said('type-not-known', { type, recordTypes }))
  }
}
