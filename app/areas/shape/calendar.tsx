/** The week of a cluster, with the hours in which it rests. */

import { type RestWindow, type Weekday, restIntervals, weekdays } from '../../../core/scaling'

export const usualZone = 'Europe/Berlin'
/** Resting minutes of each day of a week without changes of the clocks, for the drawing. */
export function weekOf(
  windows: readonly RestWindow[],
): Readonly<Record<Weekday, readonly (readonly [number, number])[]>> {
  const monday = Date.UTC(2026, 5, 1)
  const intervals = restIntervals('UTC', windows, { from: monday, to: monday + 7 * 86400000 })
  const days = Object.fromEntries(
    weekdays.map((day): [Weekday, [number, number][]] => [day, []]),
  ) as Record<Weekday, [number, number][]>
  for (const [i, day] of weekdays.entries()) {
    const from = monday + i * 86400000
    for (const interval of intervals) {
      const start = Math.max(interval.from, from)
      const end = Math.min(interval.to, from + 86400000)
      if (end > start) days[day].push([(start - from) / 60000, (end - from) / 60000])
    }
  }
  return days
}

export function localNow(
  zone: string,
  at: string,
): { readonly day: Weekday; readonly minute: number } {
  const parts = new Intl.DateTimeFormat('en-GB', {
    timeZone: zone,
    weekday: 'short',
    hour: '2-digit',
    minute: '2-digit',
    hour12: false,
  }).formatToParts(Date.parse(at))
  const of = (type: string): string => parts.find((part) => part.type === type)?.value ?? ''
  return {
    day: weekdays.find((day) => of('weekday').toLowerCase().startsWith(day)) ?? 'mon',
    minute: Number(of('hour')) * 60 + Number(of('minute')),
  }
}
