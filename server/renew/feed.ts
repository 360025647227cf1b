/** Notices as an Atom feed (RFC 4287): each an entry of its own, told anew only where what it says has changed. */
import { Feed } from 'feed'
import type { Notice } from '~/core/notices'

/** Titles of the feed are HTML: a text stands in them as it is read. */
export const asHtml = (text: string): string =>
  text.replaceAll('&', '&amp;').replaceAll('<', '&lt;').replaceAll('>', '&gt;')

/** `origin` is the address that the server was asked by; `now` an ISO time. */
export function noticesFeed(notices: readonly Notice[], origin: string, now: string): string {
  const feed = new Feed({
    id: `${origin}/api/v1/notices`,
    title: 'Gyrarch: what is to be decided',
    link: `${origin}/renew`,
    feedLinks: { atom: `${origin}/api/v1/notices.atom` },
    copyright: '',
    generator: 'Gyrarch',
    updated: new Date(now),
    author: { name: 'Gyrarch' },
  })
  for (const { id, says, path, day } of notices)
    feed.addItem({
      id: `${origin}/api/v1/notices#${encodeURIComponent(id)}`,
      title: asHtml(says),
      link: `${origin}${path}`,
      description: asHtml(says),
      date: new Date(day === null || day > now ? now : `${day}T00:00:00Z`),
    })
  return feed.atom1()
}
