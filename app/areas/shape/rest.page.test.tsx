// @vitest-environment jsdom
import { screen, within } from '@testing-library/react'
import userEvent from '@testing-library/user-event'
import { describe, expect, it } from 'vitest'
import { restSavings } from '~/core/scaling'
import { draftAndRun } from '~/server/testing/open'
import { pagesOf, press, reason } from '../../testing/pages'
import * as rest from './rest'

const pages = pagesOf({ '/shape/rest': rest })
const ofDill = '/shape/rest?aim=cluster/dill'

const saved = () => screen.getByRole('status', { name: '' }).textContent
const button = (name: string) => screen.getByRole('button', { name })
const isDisabled = (name: string): boolean => (button(name) as HTMLButtonElement).disabled

describe('without an aim', () => {
  it('lists every cluster with what it costs an hour and what its calendar saves', async () => {
    await pages.open('/shape/rest')
    const { clusters } = await pages.gyrarch.fleet.view()
    for (const { name } of clusters) expect(screen.getByRole('link', { name })).toBeTruthy()
    const row = screen.getByRole('link', { name: 'dill' }).closest('[role=row], tr')
    const dill = clusters.find(({ name }) => name === 'dill')
    expect(dill?.rest?.windows.length).toBeGreaterThan(0)
    expect(row?.textContent).toContain(String(dill?.rest?.windows.length))
  })

  it('a link leads to the week of that cluster', async () => {
    await pages.open('/shape/rest')
    await userEvent.click(screen.getByRole('link', { name: 'dill' }))
    expect(await screen.findByRole('heading', { name: 'Rest of dill' })).toBeTruthy()
  })
})

describe('the calendar of a cluster', () => {
  it('says what the month saves, as computed', async () => {
    await pages.open(ofDill)
    const { clusters } = await pages.gyrarch.fleet.view()
    const { zone = '', windows = [] } = clusters.find(({ name }) => name === 'dill')?.rest ?? {}
    const march = { from: Date.UTC(2026, 1, 28, 23), to: Date.UTC(2026, 2, 31, 22) }
    const { hoursRunning, hours } = restSavings(zone, windows, march, 1)
    expect(saved()).toContain(`March 2026: runs ${hoursRunning.toFixed(2).replace(/\.?0+$/, '')}`)
    expect(saved()).toContain(`of ${hours} h`)
  })

  it('cannot be drafted as it is', async () => {
    await pages.open(ofDill)
    expect(isDisabled('Draft this calendar')).toBe(true)
  })

  it('saves less with a day taken out, and is drafted like that', async () => {
    await pages.open(ofDill)
    const before = saved()
    const days = screen.getByRole('group', { name: 'Days of window 1' })
    const monday = within(days).getByRole('button', { name: 'mon' })
    const was = monday.getAttribute('aria-pressed') === 'true'
    await userEvent.click(monday)
    expect(saved()).not.toBe(before)
    await press('Draft this calendar')
    const { kind, intent, findings } = await pages.drafted()
    expect(kind).toBe('cluster.rest')
    const [window] = (intent as { windows: { days: string[] }[] }).windows
    expect(window?.days.includes('mon')).toBe(!was)
    expect(findings.filter(({ level }) => level === 'stop')).toEqual([])
  })

  it('takes another window, and gives it up again', async () => {
    await pages.open(ofDill)
    const before = screen.getAllByRole('button', { name: /^Remove window/ }).length
    await press('Add a window')
    expect(screen.getAllByRole('button', { name: /^Remove window/ })).toHaveLength(before + 1)
    expect(isDisabled('Draft this calendar')).toBe(false)
    await press(`Remove window ${before + 1}`)
    expect(isDisabled('Draft this calendar')).toBe(true)
  })

  it('a cluster without one is offered the usual week of nights', async () => {
    await pages.open('/shape/rest?aim=cluster/bramble')
    expect(saved()).toContain('0 saved')
    await press('Add a window')
    expect(screen.getByText('over midnight')).toBeTruthy()
    expect(saved()).not.toContain(': 0 saved')
  })

  it('a cluster that drives others says that it cannot rest', async () => {
    const { clusters } = await pages.gyrarch.fleet.view()
    const driving = clusters.find(({ drives }) => drives.length > 0)
    await pages.open(`/shape/rest?aim=cluster/${driving?.name ?? ''}`)
    expect(reason().textContent).toContain('so it cannot rest')
  })
})

describe('by hand', () => {
  it('stopping is drafted for one that runs, starting for one that rests', async () => {
    await pages.open(ofDill)
    await press('Draft stopping it now')
    const { id, kind, intent } = await pages.drafted()
    expect([kind, intent]).toEqual(['cluster.stop', { cluster: 'dill' }])
    await pages.gyrarch.changes.discard(id)
    const { state } = await draftAndRun(pages.gyrarch, 'cluster.stop', { cluster: 'dill' })
    expect(state).toBe('done')
    await pages.again(ofDill)
    expect(screen.getByText(/^rests since/)).toBeTruthy()
    expect(reason().textContent).toContain('kept until')
    await press('Draft starting it')
    expect((await pages.drafted()).kind).toBe('cluster.start')
  })
})
