// @vitest-environment jsdom
import { screen, within } from '@testing-library/react'
import { describe, expect, it } from 'vitest'
import { uncovered, windowsOf } from '~/core/windows'
import { draftAndRun } from '~/server/testing/open'
import { dropped, pagesOf, press, reason } from '../../testing/pages'
import * as windows from './windows'

const pages = pagesOf({ '/shape/windows': windows })

const lane = (name: string): HTMLElement => {
  const head = screen.getByText(name, { selector: '.window-head b' })
  const item = head.closest('li')
  if (!item) throw new Error(`no lane of ${name}`)
  return item
}

describe('maintenance windows', () => {
  it('draws each with when it opens next and what it covers', async () => {
    await pages.open('/shape/windows')
    const view = await pages.gyrarch.fleet.view()
    for (const { name, clusters } of windowsOf(view)) {
      expect(lane(name).textContent).toMatch(/next|never again/)
      for (const cluster of clusters) expect(lane(name).textContent).toContain(cluster)
      expect(within(lane(name)).getByRole('img').children.length).toBeGreaterThan(1)
    }
  })

  it('names the clusters that have none, and drafts one for each of them', async () => {
    await pages.open('/shape/windows')
    const view = await pages.gyrarch.fleet.view()
    const bare = uncovered(view)
    const [cluster = ''] = bare
    expect(within(reason()).getByRole('heading', { level: 2 }).textContent).toBe(
      `${bare.length} without a window`,
    )
    const item = within(reason()).getByRole('link', { name: cluster }).closest('li')
    await press('Draft one', item ?? undefined)
    const { kind, intent, findings } = await pages.drafted()
    expect(kind).toBe('window.set')
    expect(intent).toMatchObject({ name: `${cluster} nights`, clusters: [cluster], minutes: 240 })
    expect(findings.filter(({ level }) => level === 'stop')).toEqual([])
  })

  it('drafts a change of a window with all that it is now', async () => {
    await pages.open('/shape/windows')
    const [window] = windowsOf(await pages.gyrarch.fleet.view())
    await press('Change', lane(window?.name ?? ''))
    const { kind, intent } = await pages.drafted()
    expect(kind).toBe('window.set')
    expect(intent).toEqual(window)
  })

  it('a window that is removed is gone, and its clusters are without', async () => {
    const name = 'archive'
    await pages.open('/shape/windows')
    await press('Remove', lane(name))
    const { id, kind, intent } = await pages.drafted()
    expect([kind, intent]).toEqual(['window.remove', { name }])
    await pages.gyrarch.changes.discard(id)
    await draftAndRun(pages.gyrarch, kind, intent)
    await pages.again('/shape/windows')
    expect(screen.queryByText(name, { selector: '.window-head b' })).toBeNull()
  })
})

describe('a calendar that is dropped', () => {
  const event = (more: string) =>
    `BEGIN:VCALENDAR\r\nVERSION:2.0\r\nPRODID:-//duty//\r\n${more}END:VCALENDAR\r\n`

  it('is read, and each of its windows can be drafted', async () => {
    await pages.open('/shape/windows')
    await dropped(
      'calendar',
      'duty.ics',
      'text/calendar',
      event(
        'BEGIN:VEVENT\r\nUID:one\r\nSUMMARY:early hours\r\nDTSTART;TZID=Europe/Berlin:20260307T030000\r\nDURATION:PT2H\r\nRRULE:FREQ=WEEKLY;BYDAY=SA\r\nEND:VEVENT\r\n',
      ),
    )
    expect(await screen.findByText('early hours')).toBeTruthy()
    await press('Draft it')
    const { kind, intent } = await pages.drafted()
    expect(kind).toBe('window.set')
    expect(intent).toMatchObject({
      name: 'early hours',
      start: '2026-03-07T03:00',
      zone: 'Europe/Berlin',
      minutes: 120,
      rule: 'FREQ=WEEKLY;BYDAY=SA',
    })
  })

  it('that is none says so, and nothing is lost', async () => {
    await pages.open('/shape/windows')
    await dropped('calendar', 'duty.ics', 'text/calendar', 'not a calendar at all')
    expect(await screen.findByText('the file')).toBeTruthy()
    expect(screen.getByRole('heading', { name: 'Maintenance windows' })).toBeTruthy()
  })
})
