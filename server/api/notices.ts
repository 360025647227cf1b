/** What is to be decided soon, by API: as JSON, as a feed and as a calendar. */
import { z } from 'zod'
import { noticeDays, noticesOf } from '~/core/notices'
import { noticesFeed } from '../renew/feed'
import { writeDays } from '../windows/icalendar'
import { ok } from './answers'
import type { Route } from './route'

const within = z.coerce
  .number('Say within how many days, as a whole number.')
  .int()
  .min(0)
  .max(3650)

export const noticeRoutes: readonly Route[] = [
  {
    method: 'get',
    path: '/notices',
    says: `What is to be decided within so many days (${noticeDays} without \`days\`): support, certificates and credentials that end, pools that lag.`,
    past: true,
    query: z.object({ days: within.optional() }),
    answer: z.object({
      notices: z.array(
        z.object({
          id: z.string(),
          kind: z.enum(['support', 'certificates', 'credential', 'lag']),
          about: z.string(),
          day: z.string().nullable(),
          daysLeft: z.number().nullable(),
          says: z.string(),
          path: z.string(),
        }),
      ),
    }),
    handle: async (_gyrarch, { query, fleet }) => {
      const days = query['days']
      return ok({
        notices: noticesOf(await fleet.view(), days === undefined ? noticeDays : Number(days)),
      })
    },
  },
  {
    method: 'get',
    path: '/notices.atom',
    says: 'The same as an Atom feed (RFC 4287).',
    texts: ['application/atom+xml'],
    handle: async (_gyrarch, { fleet, base }) => {
      const view = await fleet.view()
      return {
        text: {
          type: 'application/atom+xml; charset=utf-8',
          body: noticesFeed(noticesOf(view), base, view.now),
        },
      }
    },
  },
  {
    method: 'get',
    path: '/notices.ics',
    says: 'Their days as iCalendar (RFC 5545).',
    past: true,
    texts: ['text/calendar'],
    handle: async (_gyrarch, { fleet }) => {
      const view = await fleet.view()
      return {
        text: {
          type: 'text/calendar; charset=utf-8',
          body: writeDays(
            noticesOf(view).flatMap(({ id, day, says }) =>
              day === null ? [] : [{ id, day, says }],
            ),
            'To be decided',
            view.now,
          ),
          fileName: 'notices.ics',
        },
      }
    },
  },
]
