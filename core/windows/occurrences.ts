/**
 * When maintenance windows are. A rule yields local times; each becomes an instant in the window’s time zone: one that
 * the clocks skip is read with the offset before the gap (RFC 5545, 3.3.5), one that is repeated is the first. The
 * length is exact minutes. O(occurrences from the start of the window on).
 */
import { IANAZone } from 'luxon'
import { RRule, Weekday } from 'rrule'
import { readRule, type Rule } from './rule'

export interface WindowSpec {
  readonly name: string
  /** Local, `2026-03-02T22:00`. */
  readonly start: string
  readonly zone: string
  readonly minutes: number
  readonly rule?: string | undefined
  /** Local dates on which it is not. */
  readonly except?: readonly string[] | undefined
}

export interface Occurrence {
  readonly window: string
  /** Milliseconds. */
  readonly start: number
  readonly end: number
}

export type OccurrencesRead =
  | { readonly ok: true; readonly occurrences: readonly Occurrence[] }
  | {
      readonly ok: false
      readonly path: string
      readonly says: string
      readonly tooLarge?: boolean
    }

/** A window as it was read: local times in milliseconds as if in UTC. */
interface Ready {
  readonly name: string
  readonly start: number
  readonly zone: IANAZone
  readonly lengthMs: number
  readonly rule: Rule | null
  readonly except: ReadonlySet<string>
}

const minuteMs = 60_000
const dayMs = 86_400_000
/** More occurrences than this are not listed at once. */
const mostOccurrences = 200_000

const dateText = (at: number): string => new Date(at).toISOString().slice(0, 10)

/** A date that there is, in milliseconds as if in UTC; null for any other text. */
function dateOf(text: string): number | null {
  if (!/^\d{4}-\d{2}-\d{2}$/.test(text)) return null
  const at = Date.parse(`${text}T00:00:00Z`)
  return Number.isNaN(at) || dateText(at) !== text ? null : at
}

function localOf(text: string): number | null {
  const match = /^(\d{4}-\d{2}-\d{2})T([01]\d|2[0-3]):([0-5]\d)(?::([0-5]\d))?$/.exec(text)
  const date = match ? dateOf(match[1] ?? '') : null
  return match && date !== null
    ? date + ((Number(match[2]) * 60 + Number(match[3])) * 60 + Number(match[4] ?? 0)) * 1000
    : null
}

/** The instant of a local time. */
function instantAt(zone: IANAZone, local: number): number {
  const [before, after] = [zone.offset(local - dayMs), zone.offset(local + dayMs)]
  const candidates = [before, after]
    .map((offset) => local - offset * minuteMs)
    .filter((at) => at + zone.offset(at) * minuteMs === local)
  return candidates.length > 0 ? Math.min(...candidates) : local - before * minuteMs
}

type Prepared =
  | { readonly ok: true; readonly window: Ready }
  | { readonly ok: false; readonly field: string; readonly says: string }

function prepared(window: WindowSpec): Prepared {
  const wrong = (field: string, says: string): Prepared => ({ ok: false, field, says })
  const start = localOf(window.start)
  if (start === null)
    return wrong('start', `“${window.start.slice(0, 40)}” is no local time like 2026-03-02T22:00.`)
  const zone = IANAZone.create(window.zone)
  if (!zone.isValid)
    return wrong(
      'zone',
      `“${window.zone.slice(0, 60)}” is no time zone. Use a name like Europe/Berlin.`,
    )
  const bad = window.except?.findIndex((date) => dateOf(date) === null) ?? -1
  if (bad >= 0)
    return wrong(
      `except[${bad}]`,
      `“${window.except?.[bad]?.slice(0, 40)}” is no date like 2026-04-04.`,
    )
  const rule = window.rule === undefined ? null : readRule(window.rule)
  if (rule && !rule.ok) return wrong('rule', rule.says)
  return {
    ok: true,
    window: {
      name: window.name,
      start,
      zone,
      lengthMs: window.minutes * minuteMs,
      rule: rule?.rule ?? null,
      except: new Set(window.except ?? []),
    },
  }
}

/** The day on which the period of a local time begins: the day itself, its week, month or year. */
function periodOf(at: number, { options }: Rule): number {
  const date = new Date(at)
  switch (options.freq) {
    case RRule.YEARLY:
      return Date.UTC(date.getUTCFullYear(), 0, 1)
    case RRule.MONTHLY:
      return Date.UTC(date.getUTCFullYear(), date.getUTCMonth(), 1)
    case RRule.WEEKLY: {
      const first = options.wkst instanceof Weekday ? options.wkst.weekday : 0
      const weekday = (date.getUTCDay() + 6) % 7
      return Math.floor(at / dayMs) * dayMs - ((weekday - first + 7) % 7) * dayMs
    }
    default:
      return Math.floor(at / dayMs) * dayMs
  }
}

/** What a rule that names no days means by its start, said outright: its start may then be moved. */
function withDays({ options }: Rule, start: number): Rule['options'] {
  if (options.byweekday || options.bymonthday) return options
  const date = new Date(start)
  const day = { bymonthday: [date.getUTCDate()] }
  switch (options.freq) {
    case RRule.YEARLY:
      return { bymonth: [date.getUTCMonth() + 1], ...options, ...day }
    case RRule.MONTHLY:
      return { ...options, ...day }
    case RRule.WEEKLY:
      return { ...options, byweekday: [(date.getUTCDay() + 6) % 7] }
    default:
      return options
  }
}

/** The days of a rule up to a local time: where it takes positions, those of whole periods. */
function daysOf(rule: Rule, start: number, limit: number): readonly number[] {
  const between = (options: Rule['options'], first: number, last: number): readonly number[] =>
    new RRule({ ...options, dtstart: new Date(first), until: new Date(last) })
      .all((_date, count) => count < mostOccurrences)
      .map((date) => date.getTime())
  if (rule.positions === null) return between(rule.options, start, limit)
  const { positions } = rule
  const time = start - Math.floor(start / dayMs) * dayMs
  // A month and a year are whole; the first week begins with the start, as other readers of the standard have it.
  const first = rule.options.freq === RRule.WEEKLY ? start : periodOf(start, rule) + time
  const periods = new Map<number, number[]>()
  for (const day of between(withDays(rule, start), first, limit + 366 * dayMs)) {
    const period = periodOf(day, rule)
    periods.set(period, [...(periods.get(period) ?? []), day])
  }
  return [...periods.values()]
    .flatMap((days) => [
      ...new Set(
        positions.flatMap((position) => days.at(position > 0 ? position - 1 : position) ?? []),
      ),
    ])
    .filter((day) => day >= start && day <= limit)
    .sort((a, b) => a - b)
}

/** Local starts up to a local time, those that are excepted among them, as the rule yields them. */
function startsOf({ start, rule }: Ready, limit: number): readonly number[] {
  if (!rule) return start <= limit ? [start] : []
  const localUntil = rule.until?.kind === 'local' ? rule.until.at : Infinity
  return daysOf(rule, start, Math.min(limit, localUntil)).slice(0, rule.count ?? Infinity)
}

/** Occurrences that overlap `[from, until)`, by start, then end, then in the order of the windows; equal ones of a window once. */
export function occurrences(
  windows: readonly WindowSpec[],
  from: number,
  until: number,
): OccurrencesRead {
  const all: Occurrence[] = []
  for (const [index, spec] of windows.entries()) {
    const read = prepared(spec)
    if (!read.ok) return { ok: false, path: `windows[${index}].${read.field}`, says: read.says }
    const { window } = read
    const lastInstant = window.rule?.until?.kind === 'instant' ? window.rule.until.at : Infinity
    let before = -Infinity
    for (const local of startsOf(window, until + 2 * dayMs)) {
      if (window.except.has(dateText(local))) continue
      const start = instantAt(window.zone, local)
      const end = start + window.lengthMs
      // A gap can bring two local times of one window to the same instant.
      if (start > lastInstant || start === before) continue
      before = start
      if (start < until && end > from) all.push({ window: window.name, start, end })
    }
    if (all.length > mostOccurrences)
      return {
        ok: false,
        path: 'until',
        says: `More than ${mostOccurrences} occurrences lie within that time. Ask about a shorter time.`,
        tooLarge: true,
      }
  }
  all.sort((a, b) => a.start - b.start || a.end - b.end)
  return { ok: true, occurrences: all }
}
