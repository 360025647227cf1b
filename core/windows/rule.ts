/**
 * Recurrence rules of maintenance windows: the parts of RFC 5545 (3.3.10) that say on which days something is, read
 * strictly, so that a rule that means something else elsewhere is refused here. Times of day are not theirs: every
 * occurrence begins at the local time of its start.
 */
import { type Options, RRule, type Weekday } from 'rrule'

/** When occurrences end: an instant, a local time, or the end of a local day; milliseconds, local ones as if in UTC. */
export type Until =
  | { readonly kind: 'instant'; readonly at: number }
  | { readonly kind: 'local'; readonly at: number }

export interface Rule {
  /** As the library takes them, without start, end and positions: it counts some days twice, and past the end of a set. */
  readonly options: Partial<Options>
  /** Which of each day, week, month or year are taken, negative ones counted from its end; null takes all. */
  readonly positions: readonly number[] | null
  /** How many occurrences there are, excepted ones counted; null is no end. */
  readonly count: number | null
  readonly until: Until | null
}

export type RuleRead =
  { readonly ok: true; readonly rule: Rule } | { readonly ok: false; readonly says: string }

const frequencies: Readonly<Record<string, number>> = {
  DAILY: RRule.DAILY,
  WEEKLY: RRule.WEEKLY,
  MONTHLY: RRule.MONTHLY,
  YEARLY: RRule.YEARLY,
}

const days: Readonly<Record<string, Weekday>> = {
  MO: RRule.MO,
  TU: RRule.TU,
  WE: RRule.WE,
  TH: RRule.TH,
  FR: RRule.FR,
  SA: RRule.SA,
  SU: RRule.SU,
}

class BadRule extends Error {}

const partNames = new Set([
  'FREQ',
  'INTERVAL',
  'COUNT',
  'UNTIL',
  'BYDAY',
  'BYMONTHDAY',
  'BYSETPOS',
  'BYMONTH',
  'WKST',
])

/** The parts of a rule by name; each stands once. */
function partsOf(text: string): ReadonlyMap<string, string> {
  const parts = new Map<string, string>()
  for (const part of text
    .trim()
    .replace(/^RRULE:/i, '')
    .split(';')) {
    const [name = '', value = '', ...more] = part.toUpperCase().split('=')
    if (more.length > 0 || value === '') throw new BadRule(`“${part}” is no part of a rule.`)
    if (!partNames.has(name))
      throw new BadRule(
        `${name} is not taken here. A rule has FREQ, INTERVAL, COUNT, UNTIL, BYDAY, BYMONTHDAY, BYSETPOS, BYMONTH and WKST.`,
      )
    if (parts.has(name)) throw new BadRule(`${name} stands twice.`)
    parts.set(name, value)
  }
  return parts
}

function whole(name: string, text: string | undefined): number | undefined {
  if (text === undefined) return undefined
  if (!/^\d{1,6}$/.test(text) || Number(text) < 1)
    throw new BadRule(`${name} is a whole number of at least 1.`)
  return Number(text)
}

/** A list of numbers that are not 0, of which the largest is `max`; negative ones count from the end where they may. */
function numbers(
  name: string,
  text: string | undefined,
  max: number,
  isSigned: boolean,
): number[] | undefined {
  if (text === undefined) return undefined
  return text.split(',').map((part) => {
    const value = /^[+-]?\d{1,3}$/.test(part) ? Number(part) : 0
    if (value === 0 || Math.abs(value) > max || (value < 0 && !isSigned))
      throw new BadRule(
        `${name} has “${part}”: give ${isSigned ? `±1 to ±${max}` : `1 to ${max}`}.`,
      )
    return value
  })
}

function weekdays(text: string | undefined, frequency: string): Weekday[] | undefined {
  return text?.split(',').map((part) => {
    const match = /^([+-]?\d{1,2})?(MO|TU|WE|TH|FR|SA|SU)$/.exec(part)
    const day = days[match?.[2] ?? '']
    if (!match || !day) throw new BadRule(`BYDAY has “${part}”: give days like SA or 1MO.`)
    if (match[1] === undefined) return day
    const nth = Number(match[1])
    const max = frequency === 'MONTHLY' ? 5 : 53
    if (frequency !== 'MONTHLY' && frequency !== 'YEARLY')
      throw new BadRule(`BYDAY counts “${part}” only in a month or a year: FREQ is ${frequency}.`)
    if (nth === 0 || Math.abs(nth) > max)
      throw new BadRule(`BYDAY has “${part}”: give ±1 to ±${max} before the day.`)
    return day.nth(nth)
  })
}

/** UNTIL: with Z an instant, without Z local, a bare date the whole local day. All are inclusive. */
function untilOf(text: string | undefined): Until | null {
  if (text === undefined) return null
  const match = /^(\d{4})(\d{2})(\d{2})(?:T(\d{2})(\d{2})(\d{2})(Z)?)?$/.exec(text)
  const wrong = new BadRule(
    `UNTIL is “${text}”: write 20261231, 20261231T220000 or 20261231T210000Z.`,
  )
  if (!match) throw wrong
  const [year = 0, month = 0, day = 0, hour, minute, second] = match
    .slice(1, 7)
    .map((part) => (part === undefined ? undefined : Number(part))) as (number | undefined)[]
  const date = Date.UTC(year, month - 1, day)
  const read = new Date(date)
  if (read.getUTCMonth() !== month - 1 || read.getUTCDate() !== day) throw wrong
  if (hour === undefined) return { kind: 'local', at: date + 86_400_000 - 1 }
  if (hour > 23 || (minute ?? 0) > 59 || (second ?? 0) > 59) throw wrong
  const at = date + ((hour * 60 + (minute ?? 0)) * 60 + (second ?? 0)) * 1000
  return { kind: match[7] === 'Z' ? 'instant' : 'local', at }
}

function read(text: string): Rule {
  const parts = partsOf(text)
  const frequency = parts.get('FREQ') ?? ''
  const freq = frequencies[frequency]
  if (freq === undefined)
    throw new BadRule(
      frequency === ''
        ? 'A rule says how often: FREQ=DAILY, WEEKLY, MONTHLY or YEARLY.'
        : `FREQ is ${frequency}: it is DAILY, WEEKLY, MONTHLY or YEARLY.`,
    )
  if (parts.has('COUNT') && parts.has('UNTIL'))
    throw new BadRule('A rule ends by COUNT or by UNTIL, not by both.')
  if (parts.has('BYMONTHDAY') && frequency === 'WEEKLY')
    throw new BadRule('BYMONTHDAY says nothing in a week: FREQ is WEEKLY.')
  if (parts.has('BYSETPOS') && !['BYDAY', 'BYMONTHDAY', 'BYMONTH'].some((by) => parts.has(by)))
    throw new BadRule('BYSETPOS chooses among days that BYDAY, BYMONTHDAY or BYMONTH name.')
  const week = parts.get('WKST')
  const weekStart = week === undefined ? undefined : days[week]
  if (week !== undefined && !weekStart) throw new BadRule(`WKST is “${week}”: give a day like MO.`)
  const options = {
    freq,
    interval: whole('INTERVAL', parts.get('INTERVAL')),
    byweekday: weekdays(parts.get('BYDAY'), frequency),
    bymonthday: numbers('BYMONTHDAY', parts.get('BYMONTHDAY'), 31, true),
    bymonth: numbers('BYMONTH', parts.get('BYMONTH'), 12, false),
    wkst: weekStart,
  }
  return {
    options: Object.fromEntries(Object.entries(options).filter(([, value]) => value !== undefined)),
    positions: numbers('BYSETPOS', parts.get('BYSETPOS'), 366, true) ?? null,
    count: whole('COUNT', parts.get('COUNT')) ?? null,
    until: untilOf(parts.get('UNTIL')),
  }
}

export function readRule(text: string): RuleRead {
  try {
    return { ok: true, rule: read(text) }
  } catch (error) {
    if (error instanceof BadRule) return { ok: false, says: error.message }
    throw error
  }
}
