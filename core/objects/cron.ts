/**
 * Schedules of CronJobs, in the grammar that the API takes and no other: five fields of numbers, ranges, steps, lists and
 * names; the words that stand for some of them; `@every` with a length of time. Source: the CronJob reference of
 * Kubernetes and the parser it uses (robfig/cron v3, standard).
 */

export type CronSchedule =
  | {
      readonly kind: 'fields'
      readonly minutes: ReadonlySet<number>
      readonly hours: ReadonlySet<number>
      readonly days: ReadonlySet<number>
      readonly months: ReadonlySet<number>
      readonly weekdays: ReadonlySet<number>
      /** Whether a day is chosen by either of its fields: so if neither is a star. */
      readonly isEither: boolean
    }
  | { readonly kind: 'every'; readonly seconds: number }

export type CronRead =
  | { readonly ok: true; readonly schedule: CronSchedule }
  | { readonly ok: false; readonly says: string }

interface FieldKind {
  readonly name: string
  readonly first: number
  readonly last: number
  readonly names: readonly string[]
}

const kinds: readonly FieldKind[] = [
  { name: 'minute', first: 0, last: 59, names: [] },
  { name: 'hour', first: 0, last: 23, names: [] },
  { name: 'day of the month', first: 1, last: 31, names: [] },
  {
    name: 'month',
    first: 1,
    last: 12,
    names: ['jan', 'feb', 'mar', 'apr', 'may', 'jun', 'jul', 'aug', 'sep', 'oct', 'nov', 'dec'],
  },
  {
    name: 'day of the week',
    first: 0,
    last: 6,
    names: ['sun', 'mon', 'tue', 'wed', 'thu', 'fri', 'sat'],
  },
]

const words: Readonly<Record<string, string>> = {
  '@yearly': '0 0 1 1 *',
  '@annually': '0 0 1 1 *',
  '@monthly': '0 0 1 * *',
  '@weekly': '0 0 * * 0',
  '@daily': '0 0 * * *',
  '@midnight': '0 0 * * *',
  '@hourly': '0 * * * *',
}

/** A number of a field, by figure or name; null if it is none. */
function numberOf(text: string, kind: FieldKind): number | null {
  const named = kind.names.indexOf(text.toLowerCase())
  if (named >= 0) return named + kind.first
  return /^\d{1,9}$/.test(text) ? Number(text) : null
}

const wrong = (says: string): CronRead => ({ ok: false, says })

interface FieldRead {
  readonly numbers: ReadonlySet<number>
  readonly isStar: boolean
}

/** One field: ranges and steps, joined by commas. */
function fieldOf(text: string, kind: FieldKind): FieldRead | string {
  const numbers = new Set<number>()
  let isStar = false
  for (const part of text.split(',')) {
    const [range = '', step, ...more] = part.split('/')
    if (more.length > 0) return `“${part}” has more than one step.`
    const size = step === undefined ? 1 : Number(step)
    if (step !== undefined && (!/^\d{1,9}$/.test(step) || size === 0))
      return `“${step}” is no step: a whole number from 1.`
    let first: number
    let last: number
    if (range === '*' || range === '?') {
      first = kind.first
      last = kind.last
      if (size === 1) isStar = true
    } else {
      const [low = '', high, ...rest] = range.split('-')
      const from = numberOf(low, kind)
      const to = high === undefined ? from : numberOf(high, kind)
      if (from === null || to === null || rest.length > 0)
        return `“${part}” is nothing that a ${kind.name} can be.`
      first = from
      // A step after a single number goes on to the end.
      last = high === undefined && step !== undefined ? kind.last : to
    }
    if (first < kind.first || last > kind.last)
      return `“${part}” lies outside ${kind.first} to ${kind.last}, which a ${kind.name} can be.`
    if (first > last) return `“${part}” runs backwards.`
    for (let number = first; number <= last; number += size) numbers.add(number)
  }
  return { numbers, isStar }
}

const units: Readonly<Record<string, number>> = {
  h: 3600,
  m: 60,
  s: 1,
  ms: 1e-3,
  us: 1e-6,
  µs: 1e-6,
  ns: 1e-9,
}

/** Seconds of a length of time like 1h30m; null if it is none. */
function secondsOf(text: string): number | null {
  if (!/^(?:\d+(?:\.\d*)?|\.\d+)(?:ns|us|µs|ms|s|m|h)/.test(text)) return null
  let total = 0
  const rest = text.replace(
    /(\d+(?:\.\d*)?|\.\d+)(ns|us|µs|ms|s|m|h)/g,
    (_all, amount: string, unit: string) => {
      total += Number(amount) * (units[unit] ?? 0)
      return ''
    },
  )
  return rest === '' ? total : null
}

/** Reads a schedule, or says what is wrong with it. */
export function readCron(text: string): CronRead {
  const trimmed = text.trim()
  if (/^(?:CRON_)?TZ=/.test(trimmed))
    return wrong('A time zone stands in the field timeZone, not in the schedule.')
  if (trimmed.startsWith('@every ')) {
    const seconds = secondsOf(trimmed.slice('@every '.length).trim())
    return seconds === null
      ? wrong(`“${trimmed}” names no length of time like 1h30m.`)
      : { ok: true, schedule: { kind: 'every', seconds: Math.max(1, Math.floor(seconds)) } }
  }
  if (trimmed.startsWith('@') && !Object.hasOwn(words, trimmed))
    return wrong(`“${trimmed}” is none of ${Object.keys(words).join(', ')} and @every.`)
  const fields = (Object.hasOwn(words, trimmed) ? (words[trimmed] ?? '') : trimmed).split(/\s+/)
  if (fields.length !== 5)
    return wrong(
      `A schedule has five fields: minute, hour, day of the month, month, day of the week. “${trimmed}” has ${trimmed === '' ? 0 : fields.length}.`,
    )
  const reads = kinds.map((kind, i) => fieldOf(fields[i] ?? '', kind))
  const bad = reads.find((read): read is string => typeof read === 'string')
  if (bad !== undefined) return wrong(bad)
  const [minutes, hours, days, months, weekdays] = reads as readonly FieldRead[]
  if (!minutes || !hours || !days || !months || !weekdays) return wrong('It cannot be read.')
  return {
    ok: true,
    schedule: {
      kind: 'fields',
      minutes: minutes.numbers,
      hours: hours.numbers,
      days: days.numbers,
      months: months.numbers,
      weekdays: weekdays.numbers,
      isEither: !days.isStar && !weekdays.isStar,
    },
  }
}

/** Whether a time zone is one that a CronJob may name. */
export function isCronZone(name: string): boolean {
  if (name === '' || name === 'Local') return false
  try {
    return new Intl.DateTimeFormat('en', { timeZone: name }).resolvedOptions().timeZone !== ''
  } catch {
    return false
  }
}

const clocks = new Map<string, Intl.DateTimeFormat>()

/** Minutes by which a zone is ahead of UTC at an instant (ms). */
function offsetAt(zone: string, at: number): number {
  let clock = clocks.get(zone)
  if (!clock) {
    clock = new Intl.DateTimeFormat('en-US', {
      timeZone: zone,
      hourCycle: 'h23',
      year: 'numeric',
      month: 'numeric',
      day: 'numeric',
      hour: 'numeric',
      minute: 'numeric',
      second: 'numeric',
    })
    clocks.set(zone, clock)
  }
  const parts = new Map(clock.formatToParts(at).map(({ type, value }) => [type, Number(value)]))
  const local = Date.UTC(
    parts.get('year') ?? 0,
    (parts.get('month') ?? 1) - 1,
    parts.get('day') ?? 1,
    parts.get('hour') ?? 0,
    parts.get('minute') ?? 0,
    parts.get('second') ?? 0,
  )
  return Math.round((local - Math.floor(at / 1000) * 1000) / 60_000)
}

const dayMs = 86_400_000
/** A schedule that names no day within these years names none. */
const mostDays = 5 * 366

/**
 * The next instant (ms) after another at which a schedule is due in a zone, or null. A local time that a change of clocks
 * leaves out is not due that day; one that it repeats is due twice.
 */
export function nextCron(schedule: CronSchedule, zone: string, after: number): number | null {
  if (schedule.kind === 'every') return Math.floor(after / 1000) * 1000 + schedule.seconds * 1000
  const { minutes, hours, days, months, weekdays, isEither } = schedule
  const begin = after + offsetAt(zone, after) * 60_000
  const firstDay = Math.floor(begin / dayMs) * dayMs
  for (let i = 0; i < mostDays; i++) {
    const day = firstDay + i * dayMs
    const date = new Date(day)
    if (!months.has(date.getUTCMonth() + 1)) continue
    const byDay = days.has(date.getUTCDate())
    const byWeekday = weekdays.has(date.getUTCDay())
    if (isEither ? !(byDay || byWeekday) : !(byDay && byWeekday)) continue
    const offsets = new Set([offsetAt(zone, day - dayMs / 2), offsetAt(zone, day + 1.5 * dayMs)])
    let best: number | null = null
    for (const hour of hours)
      for (const minute of minutes)
        for (const offset of offsets) {
          const at = day + (hour * 60 + minute - offset) * 60_000
          if (at <= after || (best !== null && at >= best)) continue
          if (offsetAt(zone, at) === offset) best = at
        }
    if (best !== null) return best
  }
  return null
}
