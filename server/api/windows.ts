/** Maintenance windows by API: what is kept, and as iCalendar out and in. */
import { z } from 'zod'
import { coveredBy, nextOccurrence, uncovered, windowIntent, windowsOf } from '~/core/windows'
import { isoTime } from '~/core/units'
import { writeCalendar } from '../windows/icalendar'
import { ok } from './answers'
import { draftShape } from './shapes'
import type { Route } from './route'

export const calendarBody = z.strictObject({ text: z.string().max(4_000_000) })

export const windowRoutes: readonly Route[] = [
  {
    method: 'get',
    path: '/windows',
    says: 'Maintenance windows: what each covers and when it is next, and the clusters that have none.',
    past: true,
    answer: z.object({
      windows: z.array(
        windowIntent.extend({
          rule: z.string().nullable(),
          except: z.array(z.string()),
          clusters: z.array(z.string()),
          labels: z.record(z.string(), z.string()),
          covers: z.array(z.string()),
          next: z.object({ start: z.string(), end: z.string() }).nullable(),
        }),
      ),
      without: z.array(z.string()),
    }),
    handle: async (_gyrarch, { fleet }) => {
      const view = await fleet.view()
      return ok({
        windows: windowsOf(view).map((window) => {
          const next = nextOccurrence(window, Date.parse(view.now))
          return {
            ...window,
            covers: coveredBy(view, window),
            next: next && { start: isoTime(next.start), end: isoTime(next.end) },
          }
        }),
        without: uncovered(view),
      })
    },
  },
  {
    method: 'get',
    path: '/windows.ics',
    says: 'Maintenance windows as iCalendar (RFC 5545).',
    past: true,
    texts: ['text/calendar'],
    handle: async (_gyrarch, { fleet }) => {
      const view = await fleet.view()
      return {
        text: {
          type: 'text/calendar; charset=utf-8',
          body: writeCalendar(windowsOf(view), view.now),
          fileName: 'windows.ics',
        },
      }
    },
  },
  {
    method: 'post',
    path: '/windows/ics',
    says: 'Read windows from iCalendar: the good ones with the changes that would set them, and the bad events with why.',
    body: calendarBody,
    answer: z.object({
      windows: z.array(windowIntent),
      bad: z.array(z.object({ event: z.number(), says: z.string() })),
      changes: z.array(draftShape),
    }),
    handle: async (gyrarch, { body }) => {
      const { text } = body as z.infer<typeof calendarBody>
      const { windows, bad } = await gyrarch.judges.calendar(text)
      return ok({
        windows,
        bad,
        changes: windows.map((intent) => ({ kind: 'window.set', intent })),
      })
    },
  },
]
