/** Cases as an Atom feed (RFC 4287): each an entry of its own, updated when it closes. */
import { Feed } from 'feed'
import { caseSummary } from '../case-told'
import { asHtml } from '../../renew/feed'
import type { CaseRow } from '../case-row'

/** `origin` is the address that the server was asked by; `now` an ISO time. */
export function casesFeed(rows: readonly CaseRow[], origin: string, now: string): string {
  const feed = new Feed({
    id: `${origin}/api/v1/cases`,
    title: 'Gyrarch: cases',
    link: `${origin}/mend`,
    feedLinks: { atom: `${origin}/api/v1/cases.atom` },
    copyright: '',
    generator: 'Gyrarch',
    updated: new Date(now),
    author: { name: 'Gyrarch' },
  })
  for (const row of rows) {
    const { id, state, symptom, says, cluster, closedBy, openedAt, closedAt } = caseSummary(row)
    const title = says === '' ? symptom : says
    feed.addItem({
      id: `${origin}/api/v1/cases/${id}`,
      title: asHtml(state === 'open' ? title : `closed: ${title}`),
      link: `${origin}/mend/${id}`,
      description: asHtml(`${cluster}: ${symptom}${closedBy === null ? '' : `. ${closedBy}`}`),
      date: new Date(closedAt ?? openedAt),
    })
  }
  return feed.atom1()
}
