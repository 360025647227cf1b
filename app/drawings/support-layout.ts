/** Where a support chart draws what: releases as bars along a calendar, who runs each, today and the day that is asked for. */

export interface SupportLine {
  readonly minor: string
  /** ISO dates. */
  readonly from: string
  readonly until: string
}

export interface SupportBar {
  readonly minor: string
  readonly y: number
  readonly x: number
  readonly width: number
  /** Where what is over by the day asked for begins to be counted as such: the part of the bar that has passed. */
  readonly passed: number
  readonly isOver: boolean
}

export interface SupportLayout {
  readonly height: number
  readonly bars: readonly SupportBar[]
  readonly months: readonly {
    readonly x: number
    readonly says: string
    readonly isYear: boolean
  }[]
  readonly dayX: number
  readonly todayX: number
  /** The day (ISO date) under an x. */
  readonly dayAt: (x: number) => string
}

const dayMs = 86_400_000
export const rowHeight = 26
export const labelWidth = 48
/** Right of the calendar: the names of those who run a release. */
export const nameWidth = 190
const head = 22

const isoDay = (at: number): string => new Date(at).toISOString().slice(0, 10)

/** A calendar from a year before today until all that is listed has ended. */
export function supportLayout(
  lines: readonly SupportLine[],
  today: string,
  day: string,
  width: number,
): SupportLayout {
  const from = Date.parse(today) - 365 * dayMs
  const last = Math.max(...lines.map(({ until }) => Date.parse(until)), Date.parse(day))
  const until = Math.max(last, Date.parse(today) + 180 * dayMs) + 30 * dayMs
  const left = labelWidth
  const right = Math.max(left + 200, width - nameWidth)
  const xOf = (at: number): number =>
    left + ((Math.min(Math.max(at, from), until) - from) / (until - from)) * (right - left)
  const months: { x: number; says: string; isYear: boolean }[] = []
  const first = new Date(from)
  for (let month = 1; month < 80; month++) {
    const at = Date.UTC(first.getUTCFullYear(), first.getUTCMonth() + month, 1)
    if (at > until) break
    const [year, number] = isoDay(at).split('-')
    if (Number(number) % 3 !== 1) continue
    months.push({
      x: xOf(at),
      says:
        number === '01'
          ? (year ?? '')
          : new Date(at).toLocaleString('en-GB', { month: 'short', timeZone: 'UTC' }),
      isYear: number === '01',
    })
  }
  const dayX = xOf(Date.parse(day))
  return {
    height: head + lines.length * rowHeight + 6,
    months,
    dayX,
    todayX: xOf(Date.parse(today)),
    bars: lines.map((line, row) => {
      const x = xOf(Date.parse(line.from))
      const end = xOf(Date.parse(line.until) + dayMs)
      return {
        minor: line.minor,
        y: head + row * rowHeight,
        x,
        width: Math.max(0, end - x),
        passed: Math.max(0, Math.min(dayX, end) - x),
        isOver: day > line.until,
      }
    }),
    dayAt: (x) => isoDay(from + ((x - left) / (right - left)) * (until - from)),
  }
}
