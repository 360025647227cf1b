/** Ranges entered by hand into the address ledger: one by one, or from CSV with its bad lines named. */
import { unreadableRange } from '../changes'
import { said } from './says'
import { command } from '../contract'
import Papa from 'papaparse'
import { z } from 'zod'
import { caution, type ChangeKind, longestPath, type RawFinding, ref, stop } from '../changes'
import { contains, formatRange, intersection, parseRange } from '../addresses'
import { addressBook, type FleetView } from '../fleet'
import { countText, listText, unguarded } from '../units'
import { estimates, step } from '../provisioning/steps'

export interface LedgerLine {
  readonly domain: string
  readonly range: string
  readonly name: string
}

export interface LedgerCsv {
  readonly good: readonly LedgerLine[]
  /** Lines are counted from 1, the heading included. */
  readonly bad: readonly { readonly line: number; readonly says: string }[]
  /** Lines that say what the ledger says already. */
  readonly alreadyKnown: number
}

export const mostLedgerLines = 20_000

/** Reads CSV with the columns domain, range and name (others are passed over). O(n log n) for n lines. */
export function readLedgerCsv(text: string, view: FleetView): LedgerCsv {
  const bad: { line: number; says: string }[] = []
  const parsed = Papa.parse<string[]>(text.replace(/^\uFEFF/, ''), { skipEmptyLines: false })
  const rows = parsed.data
  const heading = (rows[0] ?? []).map((cell) => cell.trim().toLowerCase())
  const at = {
    domain: heading.indexOf('domain'),
    range: heading.indexOf('range'),
    name: heading.indexOf('name'),
  }
  const missing = Object.entries(at)
    .filter(([, index]) => index < 0)
    .map(([column]) => column)
  if (missing.length > 0)
    return {
      good: [],
      bad: [
        {
          line: 1,
          says: `The heading lacks ${listText(missing)}. Columns wanted: domain, range, name.`,
        },
      ],
      alreadyKnown: 0,
    }
  for (const error of parsed.errors)
    if (error.row !== undefined && error.code !== 'UndetectableDelimiter')
      bad.push({
        line: error.row + 1,
        says: error.code === 'MissingQuotes' ? 'A quoted field is not closed.' : error.message,
      })
  const broken = new Set(bad.map((entry) => entry.line))
  // What the address book shows of networks and clusters is known as well as what was entered by hand.
  const present = new Set(
    addressBook(view).flatMap((entry) => {
      const range = parseRange(entry.range)
      return range.ok
        ? [`${entry.domain.trim()}\n${formatRange(range.value)}\n${entry.name.trim()}`]
        : []
    }),
  )
  const seen = new Map<string, number>()
  const good: LedgerLine[] = []
  let alreadyKnown = 0
  rows.slice(1).forEach((cells, i) => {
    const line = i + 2
    if (broken.has(line) || cells.every((cell) => cell.trim() === '')) return
    if (good.length >= mostLedgerLines) {
      if (good.length === mostLedgerLines)
        bad.push({
          line,
          says: `Only ${mostLedgerLines} lines are taken at once; import the rest afterwards.`,
        })
      return
    }
    const cell = (index: number): string => unguarded((cells[index] ?? '').trim())
    const [domain, rangeText, name] = [cell(at.domain), cell(at.range), cell(at.name)]
    const range = parseRange(rangeText)
    if (domain === '') bad.push({ line, says: 'No routing domain is given.' })
    else if (name === '') bad.push({ line, says: `${rangeText || 'The range'} has no name.` })
    else if (name.length > 200 || domain.length > 200)
      bad.push({ line, says: 'A name or a domain has over 200 characters.' })
    else if (!range.ok)
      bad.push({
        line,
        says: range.suggest ? `${range.says} Meant: ${range.suggest}?` : range.says,
      })
    else {
      const key = `${domain}\n${formatRange(range.value)}\n${name}`
      const before = seen.get(key)
      if (present.has(key)) alreadyKnown++
      else if (before !== undefined) bad.push({ line, says: `The same as line ${before}.` })
      else {
        seen.set(key, line)
        good.push({ domain, range: formatRange(range.value), name })
      }
    }
  })
  return { good, bad: bad.sort((a, b) => a.line - b.line), alreadyKnown: alreadyKnown }
}

const text = z.string().min(1).max(200)
const line = z.strictObject({ domain: text, range: z.string().max(120), name: text })
const intent = z.strictObject({
  add: z.array(line).max(mostLedgerLines).default([]),
  remove: z.array(line).max(mostLedgerLines).default([]),
})
type Intent = z.infer<typeof intent>

const same = (a: LedgerLine, b: LedgerLine): boolean =>
  a.domain === b.domain && a.range === b.range && a.name === b.name

export const ledgerEnter: ChangeKind<Intent> = {
  name: 'ledger.enter',
  title: 'Enter ranges into the address ledger',
  intent,
  needs: () => ['ledger'],
  subjects: () => [ref('ledger', 'ranges')],
  guardedBy: () => null,
  label: (intent) =>
    intent.add.length === 1 && intent.remove.length === 0
      ? `enter ${intent.add[0]?.range ?? ''}`
      : `enter ${countText(intent.add.length, 'range')}${intent.remove.length > 0 ? `, strike ${intent.remove.length}` : ''}`,
  check: (intent, view) => {
    if (intent.add.length + intent.remove.length === 0)
      return [stop('ledger.none', 'add', said('ledger.none'))]
    const findings: RawFinding[] = []
    const ranges = intent.add.map((entry) => parseRange(entry.range))
    ranges.forEach((range, i) => {
      if (!range.ok && findings.length < 50)
        findings.push(unreadableRange('range.readable', `add[${i}].range`, range))
    })
    const missing = intent.remove.filter(
      (gone) => !view.ledger.some((entry) => entry.kind === 'peer' && same(gone, entry)),
    )
    if (missing.length > 0)
      findings.push(
        stop(
          'ledger.known',
          'remove',
          said('ledger.known', {
            ranges: missing.map((entry) => `${entry.name} (${entry.range})`),
          }),
        ),
      )
    // A range that cuts through what others hold is worth a word; one that holds them whole, or lies whole in one, is a block they are cut from.
    const clashes = intent.add.flatMap((item, i) => {
      const range = ranges[i]
      if (!range?.ok || findings.length > 20) return []
      return view.ledger
        .filter(
          (entry) =>
            entry.domain === item.domain && !intent.remove.some((gone) => same(gone, entry)),
        )
        .flatMap((entry) => {
          const candidate = parseRange(entry.range)
          if (
            !candidate.ok ||
            !intersection(candidate.value, range.value) ||
            contains(range.value, candidate.value) ||
            (entry.kind === 'peer' && contains(candidate.value, range.value))
          )
            return []
          return [{ i, item, entry }]
        })
    })
    for (const { i, item, entry } of clashes.slice(0, 20))
      findings.push(
        caution(
          'range.overlap',
          `add[${i}].range`,
          said('ledger.overlap', {
            range: item.range,
            name: item.name,
            other: entry.name,
            otherRange: entry.range,
          }),
          [{ ...said('domain', { domain: item.domain }), source: 'address ledger' }],
          [{ says: 'Leave it out', change: { patchDraft: [{ op: 'remove', path: `/add/${i}` }] } }],
        ),
      )
    return findings
  },
  plan: (intent) => {
    const steps = [
      step({
        id: 'enter',
        after: [],
        group: 'ledger',
        says: `${intent.add.length > 0 ? `enter ${countText(intent.add.length, 'range')}` : ''}${intent.remove.length > 0 ? `${intent.add.length > 0 ? ', ' : ''}strike ${countText(intent.remove.length, 'range')}` : ''}`,
        command: command('ranges.enter', { add: intent.add, remove: intent.remove }),
        undo: command('ranges.enter', { add: intent.remove, remove: intent.add }),
        seconds: estimates.ledger,
      }),
    ]
    return {
      steps,
      creates: intent.add
        .slice(0, 100)
        .map((entry) => ref('range', entry.domain, entry.range.replaceAll('/', '_'))),
      alters: [],
      removes: [],
      ...longestPath(steps),
      spend: { before: 0, after: 0 },
      reserves: [],
    }
  },
  after: (intent, view) => ({
    ...view,
    ledger: [
      ...view.ledger.filter((entry) => !intent.remove.some((gone) => same(gone, entry))),
      ...intent.add.map((entry) => ({ ...entry, holder: entry.name, kind: 'peer' as const })),
    ],
  }),
  prove: (intent, view) => {
    const there = new Set(
      view.ledger.map((entry) => `${entry.domain}\n${entry.range}\n${entry.name}`),
    )
    const missing = intent.add.filter(
      (entry) => !there.has(`${entry.domain}\n${entry.range}\n${entry.name}`),
    )
    return [
      {
        says: 'The ledger holds them',
        holds: missing.length === 0,
        observed:
          missing.length === 0
            ? `${view.ledger.length} entries`
            : `missing: ${listText(
                missing.map((entry) => entry.range),
                4,
              )}`,
      },
    ]
  },
}
