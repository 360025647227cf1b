/** Where a time axis is marked, and how: at steps people count in, each label once. */
import { DateTime } from 'luxon'

const minute = 60_000
const hour = 60 * minute
const day = 24 * hour
const steps = [
  minute,
  5 * minute,
  15 * minute,
  30 * minute,
  hour,
  2 * hour,
  3 * hour,
  6 * hour,
  12 * hour,
  day,
  2 * day,
  7 * day,
  14 * day,
  30 * day,
  90 * day,
  365 * day,
]

export interface TimeTick {
  /** Milliseconds since 1970. */
  readonly at: number
  readonly says: string
}

/** Names a tick: the hour within a day, the weekday too over several, the date for whole days, the month for more. */
function formatOf(step: number, span: number): string {
  if (step >= 365 * day) return 'yyyy'
  if (step >= 30 * day) return 'LLL yyyy'
  if (step >= day) return 'd LLL'
  return span > day ? 'ccc d, HH:mm' : 'HH:mm'
}

/**
 * The ticks between two instants, both included, at most `max` of them: at whole steps of the clock of a time zone, so
 * that three-hour steps fall on 03:00 and 06:00 there. An interval of no length has one.
 */
export function timeTicks(
  from: number,
  until: number,
  max: number,
  zone = 'utc',
): readonly TimeTick[] {
  const span = Math.max(0, until - from)
  const step = steps.find((candidate) => span / candidate < max) ?? 365 * day
  const format = formatOf(step, span)
  const ticks: TimeTick[] = []
  const midnight = DateTime.fromMillis(from, { zone }).startOf('day').toMillis()
  for (let at = midnight; at <= until && ticks.length < max; at += step) {
    if (at < from) continue
    const says = DateTime.fromMillis(at, { zone, locale: 'en' }).toFormat(format)
    if (ticks.at(-1)?.says !== says) ticks.push({ at, says })
  }
  if (ticks.length === 0)
    ticks.push({
      at: from,
      says: DateTime.fromMillis(from, { zone, locale: 'en' }).toFormat('HH:mm'),
    })
  return ticks
}
