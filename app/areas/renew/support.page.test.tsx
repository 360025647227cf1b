// @vitest-environment jsdom
import { screen, within } from '@testing-library/react'
import { describe, expect, it } from 'vitest'
import { draftAndRun } from '~/server/testing/open'
import { pagesOf, reason } from '../../testing/pages'
import * as support from './support'

const pages = pagesOf({ '/renew': support })

interface Read {
  readonly today: string
  readonly day: string
  readonly lines: readonly {
    readonly minor: string
    readonly until: string
    readonly runs: readonly string[]
  }[]
  readonly clusters: readonly {
    readonly cluster: string
    readonly release: string
    readonly state: 'supported' | 'ending' | 'lapsed' | 'unknown'
    readonly daysLeft: number | null
    readonly until: string | null
    readonly window: string | null
  }[]
}
const read = async (path = '/renew'): Promise<Read> => (await pages.read(path)) as Read
const headings = (): readonly string[] =>
  within(reason())
    .getAllByRole('heading')
    .map(({ textContent }) => textContent.trim())

describe('support', () => {
  it('of every cluster is told by the day until which its minor is supported', async () => {
    const { clusters, lines, today } = await read()
    const view = await pages.gyrarch.fleet.view()
    expect(clusters.map(({ cluster }) => cluster).toSorted()).toEqual(
      view.clusters.map(({ name }) => name).toSorted(),
    )
    for (const { cluster, until, daysLeft, state } of clusters) {
      if (until === null || daysLeft === null) continue
      const days = Math.round((Date.parse(until) - Date.parse(today)) / 86_400_000)
      expect([cluster, daysLeft, state === 'lapsed']).toEqual([cluster, days, days < 0])
      expect(lines.some((line) => line.until === until && line.runs.includes(cluster))).toBe(true)
    }
  })

  it('that has lapsed leads, each with the way on', async () => {
    const { clusters } = await read()
    const lapsed = clusters.filter(({ state }) => state === 'lapsed')
    await pages.open('/renew')
    expect(headings()[0]).toBe(`${lapsed.length} clusters are out of support today`)
    for (const { cluster, daysLeft } of lapsed) {
      const line = within(reason()).getByRole('link', { name: cluster }).closest('li')
      expect(line?.textContent).toContain(`over for ${-(daysLeft ?? 0)} days`)
    }
  })

  it('on another day is what will have lapsed by then', async () => {
    const now = await read()
    const later = await read('/renew?on=2027-06-01')
    const lapsedBy = ({ clusters }: Read): readonly string[] =>
      clusters.filter(({ state }) => state === 'lapsed').map(({ cluster }) => cluster)
    expect(later.day).toBe('2027-06-01')
    expect(lapsedBy(later)).toEqual(expect.arrayContaining([...lapsedBy(now)]))
    expect(lapsedBy(later).length).toBeGreaterThan(lapsedBy(now).length)
    await pages.open('/renew?on=2027-06-01')
    expect(headings()[0]).toContain('out of support on 2027-06-01')
  })

  it.each(['soon', '2026-02-31', '', '99999-01-01'])(
    'on a day that is none (%s) is that of today',
    async (on) => {
      const { day, today } = await read(`/renew?on=${on}`)
      expect(Number.isNaN(Date.parse(day))).toBe(false)
      if (on !== '2026-02-31') expect(day).toBe(today)
    },
  )

  it('says which clusters have no window for an upgrade', async () => {
    const { clusters } = await read()
    const windowless = clusters.filter(({ window }) => window === null)
    expect(windowless.length).toBeGreaterThan(0)
    await pages.open('/renew')
    expect(headings()).toContain(
      windowless.length === 1
        ? '1 cluster has no maintenance window'
        : `${windowless.length} clusters have no maintenance window`,
    )
    expect(within(reason()).getByRole('link', { name: 'give them one' }).getAttribute('href')).toBe(
      '/shape/windows',
    )
  })

  it('is as long as that of the release a cluster was taken to', async () => {
    const before = (await read()).clusters.find(({ cluster }) => cluster === 'alder')
    const ran = await draftAndRun(
      pages.gyrarch,
      'fleet.upgrade',
      { to: '1.34.1', clusters: [{ cluster: 'alder' }] },
      12,
    )
    expect([ran.state, ran.cause?.says]).toEqual(['done', undefined])
    const after = (await read()).clusters.find(({ cluster }) => cluster === 'alder')
    expect(after?.release).toBe('1.34.1')
    expect((after?.until ?? '') > (before?.until ?? '')).toBe(true)
    await pages.open('/renew')
    expect(screen.getAllByText('1.34.1').length).toBeGreaterThan(0)
  })
})
