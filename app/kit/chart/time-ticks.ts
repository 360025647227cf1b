/** Where a time axis is marked, and how: at steps people count in, each label once. */

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
  readonly label: string
}

type Parts = Intl.DateTimeFormatOptions

const dayAndMonth: Parts = { day: 'numeric', month: 'short' }
const clock: Parts = { hour: '2-digit', minute: '2-digit', hourCycle: 'h23' }

/** Names a tick: the hour within a day, the weekday too over several, the date for whole days, the month for more. */
function formatOf(step: number, span: number): Parts {
  if (step >= 365 * day) return { year: 'numeric' }
  if (step >= 30 * day) return { month: 'short', year: 'numeric' }
  if (step >= day) return dayAndMonth
  return span > day ? { weekday: 'short', day: 'numeric', ...clock } : clock
}

/** How far the clock of a zone is ahead of UTC at an instant, in milliseconds. */
function aheadOf(zone: string, at: number): number {
  const parts = new Intl.DateTimeFormat('en-US', {
    timeZone: zone,
    year: 'numeric',
    month: 'numeric',
    day: 'numeric',
    hour: 'numeric',
    minute: 'numeric',
    second: 'numeric',
    hourCycle: 'h23',
  }).formatToParts(at)
  const of = (type: string): number => Number(parts.find((part) => part.type === type)?.value)
  const shown = Date.UTC(
    of('year'),
    of('month') - 1,
    of('day'),
    of('hour'),
    of('minute'),
    of('second'),
  )
  return shown - Math.floor(at / 1000) * 1000
}

/**
 * The ticks between two instants, both included, at most `max` of them: at whole steps of the clock of a time zone, so
 * that three-hour steps fall on 03:00 and 06:00 there. An interval of no length has one.
 */
export function timeTicks(
  from: number,
  until: number,
  max: number,
  zone = 'UTC',
): readonly TimeTick[] {
  const span = Math.max(0, until - from)
  const step = steps.find((candidate) => span / candidate < max) ?? 365 * day
  const format = new Intl.DateTimeFormat('en-GB', { timeZone: zone, ...formatOf(step, span) })
  const ahead = aheadOf(zone, from)
  const ticks: TimeTick[] = []
  const midnight = Math.floor((from + ahead) / day) * day - ahead
  for (let at = midnight; at <= until && ticks.length < max; at += step) {
    if (at < from) continue
    const label = format.format(at)
    if (ticks.at(-1)?.label !== label) ticks.push({ at, label })
  }
  if (ticks.length === 0) ticks.push({ at: from, label: format.format(from) })
  return ticks
}
