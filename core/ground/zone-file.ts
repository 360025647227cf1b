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

/** Reads a zone file. Good lines are given even where others are bad; each bad one is named with its line. O(n log n). */
export function readZone(text: string, domain: string): ZoneFile {
  const problems: ZoneProblem[] = []
  const records: (RecordView & { readonly line: number })[] = []
  const root = domain.toLowerCase().replace(/\.$/, '')
  let origin = root
  let ttl: number | null = null
  let last: string | null = null
  let lastTtl: number | null = null
  /** Full name without the final dot. */
  const full = (name: string): string => {
    if (name === '@') return origin
    if (name.endsWith('.')) return name.slice(0, -1)
    if (origin === '') return name
    return `${name}.${origin}`
  }
  const relative = (name: string): string | null => {
    if (name === root) return '@'
    if (name.endsWith(`.${root}`)) return name.slice(0, -root.length - 1)
    return null
  }
  for (const entry of entriesOf(text, problems)) {
    const stop = (objection: Said): void =>
      void problems.push({ line: entry.line, level: 'stop', ...objection })
    if (records.length >= mostRecords) {
      stop(said('too-many-records', { mostRecords }))
      break
    }
    const words = entry.words.map((word) => word.text)
    const directive = entry.words[0]?.quoted ? '' : (words[0] ?? '').toUpperCase()
    if (directive === '$ORIGIN') {
      const next = full(words[1] ?? '').toLowerCase()
      const objection = nameObjection(words[1] ?? '') ?? nameObjection(`${next}.`)
      if (objection !== null) stop(objection)
      else origin = next
      continue
    }
    if (directive === '$TTL') {
      ttl = ttlSeconds(words[1] ?? '')
      if (ttl === null) stop(said('no-time-live', { word: words[1] ?? '' }))
      continue
    }
    if (directive === '$INCLUDE' || directive === '$GENERATE') {
      stop(said('not-taken-write', { directive }))
      continue
    }
    if (directive.startsWith('$')) {
      stop(said('no-directive-zone', { word: words[0] ?? '' }))
      continue
    }
    let at = 0
    let owner: string | null = last
    if (!entry.blank) {
      const name = decodedName(words[at++] ?? '')
      const objection = nameObjection(name)
      if (objection !== null) {
        stop(objection)
        continue
      }
      owner = full(name).toLowerCase()
      last = owner
    }
    if (owner === null) {
      stop(said('first-record-no'))
      continue
    }
    let own: number | null = null
    for (; at < words.length; at++) {
      const word = words[at] ?? ''
      if (/^(IN|CH|HS|CS)$/i.test(word)) {
        if (word.toUpperCase() !== 'IN')
          stop(said('class-not-taken', { class: word.toUpperCase() }))
      } else if (/^\d/.test(word) && ttlSeconds(word) !== null) own = ttlSeconds(word)
      else break
    }
    const type = (words[at++] ?? '').toUpperCase()
    const values = entry.words
      .slice(at)
      .map(({ text, quoted }) =>
        quoted || type === 'TXT' || type === 'CAA' ? decodedText(text) : decodedName(text),
      )
    const doubled: string[] = []
    const read = recordValue(type, values, (name) => {
      const absolute = full(name).toLowerCase()
      // Written with the origin but without the final dot: it is doubled.
      if (
        !name.endsWith('.') &&
        name !== '@' &&
        (name.toLowerCase() === origin || name.toLowerCase().endsWith(`.${origin}`))
      )
        doubled.push(`${absolute}.`)
      return `${absolute}.`
    })
    if (!read.ok) {
      stop(saidOf(read))
      continue
    }
    for (const name of doubled)
      problems.push({
        line: entry.line,
        level: 'caution',
        ...said('target-ends-without', { origin, target: name }),
      })
    const short = relative(owner)
    if (short === null) {
      stop(said('lies-outside', { owner, root }))
      continue
    }
    const time: number | null = own ?? ttl ?? lastTtl
    lastTtl = time
    records.push({ line: entry.line, name: short, type, ttl: time ?? 3600, value: read.value })
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
