/** Computations over calendars: what rest saves, and when maintenance windows are. */
import { z } from 'zod'
import { isTimeZone, minutesOf, restSavings, weekdays } from '~/core/scaling'
import { occurrences } from '~/core/windows'
import { type Computation, computation, instant, refused, value, wrong } from './computation'

const text = z.string().max(1000)
/** A wide bound that keeps sums of products inside what a double holds. */
const finite = z.number().min(0).max(1e15)
/** Windows times days that savings are added up over. */
const mostWindowDays = 4_000_000

export const timeComputations: readonly Computation[] = [
  computation({
    name: 'rest-savings',
    says: 'What a rest calendar saves, to the hour that the clocks change.',
    input: z.object({
      zone: text,
      from: instant,
      until: instant,
      hourly: finite,
      windows: z
        .array(z.object({ days: z.array(z.enum(weekdays)).max(7), stop: text, start: text }))
        .max(1000),
    }),
    output: z.object({
      hours: z.number(),
      hoursRunning: z.number(),
      spendWithout: z.number(),
      spendWith: z.number(),
      saved: z.number(),
    }),
    compute: ({ zone, from, until, hourly, windows }) => {
      if (!isTimeZone(zone))
        return wrong(
          'zone',
          `“${zone.slice(0, 60)}” is no time zone. Use a name like Europe/Berlin.`,
        )
      const within = { from: Date.parse(from), to: Date.parse(until) }
      if (within.to < within.from)
        return wrong('until', 'It ends before it begins. Give an instant after `from`.')
      if (within.to - within.from > 100 * 366 * 86_400_000)
        return wrong('until', 'It is longer than 100 years. Ask about a shorter time.')
      const days = Math.ceil((within.to - within.from) / 86_400_000)
      if (days * windows.length > mostWindowDays)
        return {
          ok: false,
          path: 'windows',
          says: `${windows.length} windows over ${days} days are more than are added up at a time. Ask about a shorter time, or fewer windows.`,
          tooLarge: true,
        }
      for (const [index, window] of windows.entries()) {
        for (const field of ['stop', 'start'] as const) {
          if (minutesOf(window[field]) === null)
            return wrong(
              `windows[${index}].${field}`,
              `“${window[field].slice(0, 20)}” is no time of day. Write it from 00:00 to 23:59; midnight is 00:00.`,
            )
        }
        if (window.stop === window.start)
          return wrong(
            `windows[${index}].start`,
            'It starts when it stops. Give two different times; a whole day is two windows.',
          )
      }
      return value(restSavings(zone, windows, within, hourly))
    },
  }),
  computation({
    name: 'maintenance-windows',
    says: 'When maintenance windows are, over changes of the clocks.',
    input: z.object({
      windows: z
        .array(
          z.object({
            name: text,
            start: text,
            zone: text,
            minutes: z.int().min(1).max(1_000_000),
            rule: text.optional(),
            except: z.array(text).max(10_000).optional(),
          }),
        )
        .max(10_000),
      from: instant,
      until: instant,
    }),
    output: z.object({
      occurrences: z.array(z.object({ window: z.string(), start: z.string(), end: z.string() })),
    }),
    compute: ({ windows, from, until }) => {
      const [first, last] = [Date.parse(from), Date.parse(until)]
      if (last < first)
        return wrong('until', 'It ends before it begins. Give an instant after `from`.')
      const read = occurrences(windows, first, last)
      return read.ok
        ? value({
            occurrences: read.occurrences.map(({ window, start, end }) => ({
              window,
              start: new Date(start).toISOString(),
              end: new Date(end).toISOString(),
            })),
          })
        : refused(read)
    },
  }),
]
