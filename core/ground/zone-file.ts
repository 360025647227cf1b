/**
 * Zone files: read and written.
 * Source: RFC 1035 section 5 with RFC 2308 ($TTL), 3596 (AAAA), 2782 (SRV), 4592 (wild cards), 2181 (a CNAME stands
 * alone) and 1982 (serials). $INCLUDE and $GENERATE are refused, by line: a file says all there is in it.
 */
import type { RecordView } from '../fleet'
import { said } from './says'
import { type Said, saidOf } from '../contract'
import { nameObjection, recordValue, ttlSeconds } from './record-value'
import { decodedName, decodedText } from './zone-text'

export interface ZoneProblem extends Said {
  /** Counted from 1. */
  readonly line: number
  readonly level: 'stop' | 'caution'
}

export interface ZoneFile {
  /** Names relative to the origin; `@` for the origin itself. */
  readonly records: readonly RecordView[]
  readonly problems: readonly ZoneProblem[]
}

/** The serial after `serial`, by RFC 1982: one more, and from 2³² − 1 to 0. */
export const nextSerial = (serial: number): number => (serial + 1) % 2 ** 32

/** Whether serial `a` is newer than `b` by RFC 1982; false where the two are exactly half the circle apart. */
export const serialNewer = (a: number, b: number): boolean =>
  a !== b && (a - b + 2 ** 32) % 2 ** 32 < 2 ** 31

interface Entry {
  readonly line: number
  readonly blank: boolean
  readonly words: readonly { readonly text: string; readonly quoted: boolean }[]
}

/** Splits into entries: parentheses join lines, semicolons begin comments, quotes keep both. */
function entriesOf(text: string, problems: ZoneProblem[]): readonly Entry[] {
  const entries: Entry[] = []
  let depth = 0
  let words: { text: string; quoted: boolean }[] = []
  let start = 1
  let blank = false
  const lines = text.split(/\r\n|\n|\r/)
  lines.forEach((source, i) => {
    const line = i + 1
    if (depth === 0) {
      words = []
      start = line
      blank = /^[ \t]/.test(source)
    }
    let at = 0
    while (at < source.length) {
      const char = source[at] ?? ''
      if (char === ';') break
      if (char === ' ' || char === '\t') at++
      else if (char === '(') {
        depth++
        at++
      } else if (char === ')') {
        depth--
        at++
        if (depth < 0) {
          problems.push({ line, level: 'stop', ...said('closing-parenthesis-no') })
          depth = 0
        }
      } else if (char === '"') {
        let body = ''
        at++
        while (at < source.length && source[at] !== '"') {
          // What is escaped stays so until the whole is read: a quote in it ends nothing.
          if (source[at] === '\\') body += source[at++] ?? ''
          body += source[at] ?? ''
          at++
        }
        if (at >= source.length) problems.push({ line, level: 'stop', ...said('quoted-text-not') })
        at++
        words.push({ text: body, quoted: true })
      } else {
        let body = ''
        while (at < source.length && !/[\s;()"]/.test(source[at] ?? '')) {
          if (source[at] === '\\') {
            body += source[at] ?? ''
            at++
          }
          body += source[at] ?? ''
          at++
        }
        words.push({ text: body, quoted: false })
      }
    }
    if (depth === 0 && words.length > 0) entries.push({ line: start, blank, words })
  })
  if (depth > 0) problems.push({ line: start, level: 'stop', ...said('parenthesis-never-closed') })
  return entries
}

interface LinedRecord extends RecordView {
  readonly line: number
}

/** What holds from one entry of a file to the next. Names are full, without the final dot. */
interface Reading {
  readonly root: string
  origin: string
  /** By `$TTL`. */
  ttl: number | null
  lastOwner: string | null
  lastTtl: number | null
}

/** A name with the origin it is relative to. */
function fullName(name: string, origin: string): string {
  if (name === '@') return origin
  if (name.endsWith('.')) return name.slice(0, -1)
  return origin === '' ? name : `${name}.${origin}`
}

/** A full name as the zone has it, or null where it lies outside. */
function nameInZone(name: string, root: string): string | null {
  if (name === root) return '@'
  return name.endsWith(`.${root}`) ? name.slice(0, -root.length - 1) : null
}

/** Does what a directive says, or says what is wrong with it. */
function direct(
  directive: string,
  [written = '', argument = '']: readonly string[],
  reading: Reading,
): Said | null {
  switch (directive) {
    case '$ORIGIN': {
      const next = fullName(argument, reading.origin).toLowerCase()
      const objection = nameObjection(argument) ?? nameObjection(`${next}.`)
      if (objection === null) reading.origin = next
      return objection
    }
    case '$TTL':
      reading.ttl = ttlSeconds(argument)
      return reading.ttl === null ? said('no-time-live', { word: argument }) : null
    case '$INCLUDE':
    case '$GENERATE':
      return said('not-taken-write', { directive })
    default:
      return said('no-directive-zone', { word: written })
  }
}

interface RecordRead {
  /** Given with its objections where it could be read all the same: it takes part in what is wrong with the set. */
  readonly record: LinedRecord | null
  readonly objections: readonly Said[]
  readonly cautions: readonly Said[]
}

const refused = (...objections: readonly Said[]): RecordRead => ({
  record: null,
  objections,
  cautions: [],
})

/** Time and class, in either order, before the type. */
function timeAndClass(words: readonly string[]): {
  readonly ttl: number | null
  readonly foreignClass: string | null
  readonly count: number
} {
  let ttl: number | null = null
  let foreignClass: string | null = null
  let count = 0
  for (const word of words) {
    if (/^(IN|CH|HS|CS)$/i.test(word)) {
      if (word.toUpperCase() !== 'IN') foreignClass = word.toUpperCase()
    } else if (/^\d/.test(word) && ttlSeconds(word) !== null) ttl = ttlSeconds(word)
    else break
    count++
  }
  return { ttl, foreignClass, count }
}

/** The record of an entry. What it leaves for the next entry is kept in `reading`. */
function readRecord(entry: Entry, reading: Reading): RecordRead {
  const words = entry.words.map((word) => word.text)
  let at = 0
  if (!entry.blank) {
    const name = decodedName(words[at++] ?? '')
    const objection = nameObjection(name)
    if (objection !== null) return refused(objection)
    reading.lastOwner = fullName(name, reading.origin).toLowerCase()
  }
  const owner = reading.lastOwner
  if (owner === null) return refused(said('first-record-no'))
  const { ttl: own, foreignClass, count } = timeAndClass(words.slice(at))
  const objections = foreignClass === null ? [] : [said('class-not-taken', { class: foreignClass })]
  at += count
  const type = (words[at++] ?? '').toUpperCase()
  const values = entry.words
    .slice(at)
    .map(({ text, quoted }) =>
      quoted || type === 'TXT' || type === 'CAA' ? decodedText(text) : decodedName(text),
    )
  const { origin, root } = reading
  const cautions: Said[] = []
  const read = recordValue(type, values, (name) => {
    const target = `${fullName(name, origin).toLowerCase()}.`
    const written = name.toLowerCase()
    // Written with the origin but without the final dot: it is doubled.
    const isDoubled =
      name !== '@' && !name.endsWith('.') && (written === origin || written.endsWith(`.${origin}`))
    if (isDoubled) cautions.push(said('target-ends-without', { origin, target }))
    return target
  })
  if (!read.ok) return refused(...objections, saidOf(read))
  const name = nameInZone(owner, root)
  if (name === null)
    return {
      record: null,
      objections: [...objections, said('lies-outside', { owner, root })],
      cautions,
    }
  const ttl = own ?? reading.ttl ?? reading.lastTtl
  reading.lastTtl = ttl
  const record = { line: entry.line, name, type, ttl: ttl ?? 3600, value: read.value }
  return { record, objections, cautions }
}

/** Reads a zone file. Good lines are given even where others are bad; each bad one is named with its line. O(n log n). */
export function readZone(text: string, domain: string): ZoneFile {
  const problems: ZoneProblem[] = []
  const records: LinedRecord[] = []
  const root = domain.toLowerCase().replace(/\.$/, '')
  const reading: Reading = { root, origin: root, ttl: null, lastOwner: null, lastTtl: null }
  for (const entry of entriesOf(text, problems)) {
    const stop = (objection: Said): void =>
      void problems.push({ line: entry.line, level: 'stop', ...objection })
    if (records.length >= mostRecords) {
      stop(said('too-many-records', { mostRecords }))
      break
    }
    const words = entry.words.map((word) => word.text)
    const directive = entry.words[0]?.quoted ? '' : (words[0] ?? '').toUpperCase()
    if (directive.startsWith('$')) {
      const objection = direct(directive, words, reading)
      if (objection !== null) stop(objection)
      continue
    }
    const read = readRecord(entry, reading)
    for (const caution of read.cautions)
      problems.push({ line: entry.line, level: 'caution', ...caution })
    read.objections.forEach(stop)
    if (read.record) records.push(read.record)
  }
  problems.push(...setProblems(records, root))
  const bad = new Set(
    problems.filter((problem) => problem.level === 'stop').map((problem) => problem.line),
  )
  return {
    records: records
      .filter((record) => !bad.has(record.line))
      .map(({ line: _line, ...record }) => record),
    problems: problems.sort((a, b) => a.line - b.line),
  }
}

/** A zone of more records is given in parts. */
const mostRecords = 50_000
/** So many names of a circle are written out. */
const mostShown = 8

/** The circles among names of which each leads to at most one other. Each name is followed once. */
function circlesOf(next: ReadonlyMap<string, string>): readonly (readonly string[])[] {
  const circles: string[][] = []
  const passed = new Set<string>()
  for (const start of next.keys()) {
    const path = new Map<string, number>()
    let at: string | undefined = start
    while (at !== undefined && !passed.has(at)) {
      passed.add(at)
      path.set(at, path.size)
      at = next.get(at)
    }
    const begin = at === undefined ? undefined : path.get(at)
    if (begin !== undefined) circles.push([...path.keys()].slice(begin))
  }
  return circles
}

/** What is wrong with a set of records taken together: CNAMEs that are not alone or run in circles, doubles, differing TTLs. */
export function setProblems(
  records: readonly (RecordView & { readonly line?: number })[],
  domain: string,
): readonly ZoneProblem[] {
  const problems: ZoneProblem[] = []
  const byName = new Map<string, (RecordView & { readonly line?: number })[]>()
  for (const record of records) {
    const list = byName.get(record.name)
    if (list) list.push(record)
    else byName.set(record.name, [record])
  }
  const absolute = (name: string): string => (name === '@' ? `${domain}.` : `${name}.${domain}.`)
  const next = new Map<string, { to: string; line: number; name: string }>()
  for (const [name, list] of byName) {
    const alias = list.find((record) => record.type === 'CNAME')
    const line = alias?.line ?? list[0]?.line ?? 0
    if (alias && list.length > 1)
      problems.push({
        line,
        level: 'stop',
        ...said('cname-other-cname', { name, others: list.length - 1 }),
      })
    if (alias) next.set(absolute(name), { to: alias.value, line, name })
    const seen = new Set<string>()
    for (const record of list) {
      const key = `${record.type} ${record.value}`
      if (seen.has(key))
        problems.push({
          line: record.line ?? 0,
          level: 'caution',
          ...said('stands-twice', { name, type: record.type, record: record.value }),
        })
      seen.add(key)
    }
    for (const type of new Set(list.map((record) => record.type))) {
      const times = new Set(
        list.filter((record) => record.type === type).map((record) => record.ttl),
      )
      if (times.size > 1)
        problems.push({
          line,
          level: 'caution',
          ...said('records-different-times', { type, name }),
        })
    }
  }
  if ((byName.get('@') ?? []).filter((record) => record.type === 'SOA').length > 1)
    problems.push({ line: 0, level: 'stop', ...said('there-more-one') })
  for (const circle of circlesOf(new Map([...next].map(([name, { to }]) => [name, to])))) {
    const [first = ''] = circle
    const shown =
      circle.length > mostShown ? [...circle.slice(0, mostShown), '…', first] : [...circle, first]
    for (const name of circle)
      problems.push({
        line: next.get(name)?.line ?? 0,
        level: 'stop',
        ...said('cnames-run-circle', { circle: shown }),
      })
  }
  return problems
}

/** Records with the SOA’s serial one higher; without a SOA as they are. */
export const withNextSerial = (records: readonly RecordView[]): readonly RecordView[] =>
  records.map((record) => {
    if (record.type !== 'SOA') return record
    const words = record.value.split(' ')
    return {
      ...record,
      value: words.map((word, i) => (i === 2 ? String(nextSerial(Number(word))) : word)).join(' '),
    }
  })

/** The addresses a full or short name leads to, CNAMEs followed, wild cards matched where nothing closer stands. */
export function resolve(
  records: readonly RecordView[],
  domain: string,
  name: string,
): { readonly addresses: readonly string[]; readonly path: readonly string[] } {
  const short = (full: string): string => {
    const bare = full.replace(/\.$/, '').toLowerCase()
    if (bare === domain) return '@'
    if (bare.endsWith(`.${domain}`)) return bare.slice(0, -domain.length - 1)
    return bare
  }
  const path = [short(name)]
  for (let hops = 0; hops < 16; hops++) {
    const at = path[path.length - 1] ?? ''
    const exact = records.filter((record) => record.name === at)
    // A wild card covers a name only where neither it nor anything below it stands (RFC 4592).
    const parts = at.split('.')
    const wild =
      exact.length > 0 || records.some((record) => record.name.endsWith(`.${at}`))
        ? []
        : (parts
            .map((_, i) =>
              records.filter((record) => record.name === ['*', ...parts.slice(i + 1)].join('.')),
            )
            .find((matches) => matches.length > 0) ?? [])
    const results = exact.length > 0 ? exact : wild
    const alias = results.find((record) => record.type === 'CNAME')
    if (!alias)
      return {
        addresses: results
          .filter((record) => record.type === 'A' || record.type === 'AAAA')
          .map((record) => record.value),
        path,
      }
    path.push(short(alias.value))
  }
  return { addresses: [], path }
}
