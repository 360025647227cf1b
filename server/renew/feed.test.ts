/** The feed of notices, read back as the specification has it. */
import { expect, it } from 'vitest'
import type { Notice } from '~/core/notices'
import { noticesFeed } from './feed'

const notice = (id: string, day: string | null, says: string): Notice => ({
  id,
  kind: 'support',
  about: 'cedar',
  day,
  daysLeft: null,
  says,
  path: '/renew/upgrades?cluster=cedar',
})

it('has an entry with its id, title and link for each notice, whatever stands in it', () => {
  const origin = 'http://127.0.0.1:4800'
  const text = noticesFeed(
    [
      notice('support-cedar-1.32.4', '2026-02-28', 'cedar: support of <1.32.4> ended & more'),
      notice('lag-dill-base', null, 'dill: base is 2 minors behind'),
      notice('support-alder', '2026-06-28', 'alder ends'),
    ],
    origin,
    '2026-03-02T06:00:00Z',
  )
  expect(text).toContain('<feed xmlns="http://www.w3.org/2005/Atom">')
  expect(text.match(/<entry>/g)).toHaveLength(3)
  expect(text).not.toContain('of <1.32.4>')
  expect(text).toContain(`${origin}/api/v1/notices#support-cedar-1.32.4`)
  expect(text.match(/<updated>[^<]*<\/updated>/g)).toEqual([
    '<updated>2026-03-02T06:00:00.000Z</updated>',
    '<updated>2026-02-28T00:00:00.000Z</updated>',
    // What ends later was written today, not then.
    '<updated>2026-03-02T06:00:00.000Z</updated>',
    '<updated>2026-03-02T06:00:00.000Z</updated>',
  ])
})
