/**
 * Rest calendars: weekly windows in an IANA time zone during which something is stopped, laid over real hours. A window belongs
 * to the days on which it stops; one that ends before it begins runs over midnight; windows are united. A local time that is
 * skipped by the clocks means the first instant after the gap, one that is repeated means the first. Nothing is rounded.
 */
import { DateTime, IANAZone } from 'luxon'

export const weekdays = ['mon', 'tue', 'wed', 'thu', 'fri', 'sat', 'sun'] as const
export type Weekday = (typeof weekdays)[number]

export interface RestWindow {
  readonly days: readonly Weekday[]
  /** Local time, `HH:MM`. */
  readonly stop: string
  readonly start: string
}

/** From and to in milliseconds; the end is not part of it. */
export interface Interval {
  readonly from: number
  readonly to: number
}

/** Every time zone that there is a name for, in order. */
export const timeZones = (): readonly string[] =>
  [...new Set([...Intl.supportedValuesOf('timeZone'), 'UTC'])].sort()

export const isTimeZone = (zone: string): boolean => IANAZone.isValidZone(zone)

const clock = /^([01]\d|2[0-3]):([0-5]\d)$/

/** Minutes after midnight, or null for what is no time of day. `24:00` is none: it is `00:00` of the day after. */
export function minutesOf(text: string): number | null {
  const match = clock.exec(text)
  return match ? Number(match[1]) * 60 + Number(match[2]) : null
}

/** The instant of a local time on a local day, in milliseconds. */
export function instantOf(
  zone: string,
  day: { readonly year: number; readonly month: number; readonly day: number },
  minutes: number,
): number {
  const wall = Date.UTC(day.year, day.month - 1, day.day) + minutes * 60_000
  // The offsets a day before and after are those around any change in between.
  const before = offsetAt(zone, wall - 86_400_000)
  const after = offsetAt(zone, wall + 86_400_000)
  const candidates = [...new Set([before, after])]
    .map((offset) => wall - offset * 60_000)
    .filter((at) => at + offsetAt(zone, at) * 60_000 === wall)
  if (candidates.length > 0) return Math.min(...candidates)
  // Skipped: the first instant after the gap is where the offset changes.
  let low = wall - Math.max(before, after) * 60_000 - 1
  let high = wall - Math.min(before, after) * 60_000 + 1
  while (high - low > 1) {
    const middle = Math.floor((low + high) / 2)
    if (offsetAt(zone, middle) === before) low = middle
    else high = middle
  }
  return high
}

const dayMs = 86_400_000

/** An instant as its clocks show it there: Tue 3 Mar 06:00. */
export const localText = (at: number, zone: string): string =>
  DateTime.fromMillis(at, { zone, locale: 'en' }).toFormat('ccc d LLL HH:mm')

/** Minutes ahead of UTC. A day on which the clocks do not change is asked about once, at its two ends. */
function offsetsOf(zone: string): (at: number) => number {
  const iana = IANAZone.create(zone)
  const days = new Map<number, number | null>()
  return (at) => {
    const day = Math.floor(at / dayMs)
    let existingDay = days.get(day)
    if (existingDay === undefined) {
      const first = iana.offset(day * dayMs)
      existingDay = first === iana.offset((day + 1) * dayMs) ? first : null
      if (days.size > 50_000) days.clear()
      days.set(day, existingDay)
    }
    return existingDay ?? iana.offset(at)
  }
}

const zones = new Map<string, (at: number) => number>()

function offsetAt(zone: string, at: number): number {
  let offsets = zones.get(zone)
  if (!offsets) {
    if (zones.size > 20) zones.clear()
    zones.set(zone, (offsets = offsetsOf(zone)))
  }
  return offsets(at)
}

const dateOf = (date: number) => {
  const at = new Date(date)
  return { year: at.getUTCFullYear(), month: at.getUTCMonth() + 1, day: at.getUTCDate() }
}

/** When the windows rest within an interval: united, in order, cut to it. */
export function restIntervals(
  zone: string,
  windows: readonly RestWindow[],
  within: Interval,
): readonly Interval[] {
  const intervals: Interval[] = []
  // A window is at most a day long and the clocks change by less than one.
  const firstDay = DateTime.fromMillis(within.from, { zone })
  const last = within.to + 2 * dayMs
  // Days as dates alone, counted in UTC where every day has 24 hours.
  for (
    let date = Date.UTC(firstDay.year, firstDay.month - 1, firstDay.day) - 2 * dayMs;
    date <= last;
    date += dayMs
  ) {
    const day = dateOf(date)
    const name = weekdays[(new Date(date).getUTCDay() + 6) % 7]
    for (const window of windows) {
      const stop = minutesOf(window.stop)
      const start = minutesOf(window.start)
      if (name === undefined || stop === null || start === null || !window.days.includes(name))
        continue
      const next = start <= stop ? dateOf(date + dayMs) : day
      const from = Math.max(instantOf(zone, day, stop), within.from)
      const to = Math.min(instantOf(zone, next, start), within.to)
      if (to > from) intervals.push({ from, to })
    }
  }
  return united(intervals)
}

/** Intervals without overlaps, in order; those that touch are one. */
export function united(intervals: readonly Interval[]): readonly Interval[] {
  const joined: { from: number; to: number }[] = []
  for (const { from, to } of [...intervals].sort((a, b) => a.from - b.from || a.to - b.to)) {
    const last = joined[joined.length - 1]
    if (last && from <= last.to) last.to = Math.max(last.to, to)
    else joined.push({ from, to })
  }
  return joined
}

export interface RestSavings {
  readonly hours: number
  readonly hoursRunning: number
  readonly spendWithout: number
  readonly spendWith: number
  readonly saved: number
}

/** What resting saves of something that costs `hourly` while it runs. */
export function restSavings(
  zone: string,
  windows: readonly RestWindow[],
  within: Interval,
  hourly: number,
): RestSavings {
  const resting = restIntervals(zone, windows, within).reduce(
    (sum, { from, to }) => sum + (to - from),
    0,
  )
  const hours = (within.to - within.from) / 3_600_000
  const hoursRunning = (within.to - within.from - resting) / 3_600_000
  const spendWithout = hours * hourly
  const spendWith = hoursRunning * hourly
  return { hours, hoursRunning, spendWithout, spendWith, saved: (resting / 3_600_000) * hourly }
}
