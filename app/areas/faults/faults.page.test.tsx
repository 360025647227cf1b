// @vitest-environment jsdom
import { screen, waitFor, within } from '@testing-library/react'
import userEvent from '@testing-library/user-event'
import { describe, expect, it } from 'vitest'
import { pagesOf, press, reason } from '../../testing/pages'
import * as faults from './faults'

const pages = pagesOf({ '/faults': faults })

interface Read {
  readonly possible: readonly { readonly fault: string; readonly says: string }[]
  readonly active: readonly {
    readonly fault: string
    readonly about: string
    readonly left: number | null
  }[]
  readonly subjects: Readonly<Record<string, readonly string[]>>
}
const read = async (): Promise<Read> => (await pages.read('/faults')) as Read

async function choose(label: string, option: string): Promise<void> {
  await userEvent.click(screen.getByRole('combobox', { name: label }))
  await userEvent.click(await screen.findByRole('option', { name: option }))
}

describe('the fault tray', () => {
  it('offers for every fault what it can be about', async () => {
    const { possible, subjects } = await read()
    expect(possible.length).toBeGreaterThan(20)
    const view = await pages.gyrarch.fleet.view()
    const without = possible.filter(({ fault }) => (subjects[fault] ?? []).length === 0)
    // What needs something that the demo has none of yet is offered nothing.
    expect(without.length).toBeLessThan(possible.length / 3)
    for (const [fault, abouts] of Object.entries(subjects))
      for (const about of abouts.slice(0, 5)) {
        const objection = await pages.gyrarch.outside.faultObjection(fault, about)
        expect(`${fault} ${about}: ${objection ?? 'can be'}`).toBe(`${fault} ${about}: can be`)
      }
    expect(subjects['certificate-expired']).toHaveLength(view.clusters.length)
  })

  it('says what it is for while nothing is wrong outside', async () => {
    // The demo begins with one.
    for (const { id } of (await pages.gyrarch.outside.faults()).active)
      await pages.gyrarch.endFault(id)
    await pages.open('/faults')
    expect(screen.getByText('Nothing is wrong outside')).toBeTruthy()
    expect(within(reason()).getByRole('heading').textContent).toBe('No fault is active')
  })

  it('one is put in until it is taken away, and taken away in its row', async () => {
    await pages.open('/faults')
    await choose('About', 'site/tarn-north')
    await press('Put it in')
    const row = (await screen.findByText('until taken away', { selector: 'td' })).closest('tr')
    expect(row?.textContent).toContain('site/tarn-north')
    expect((await read()).active).toEqual([
      expect.objectContaining({
        fault: 'machine-unavailable',
        about: 'site/tarn-north',
        left: null,
      }),
    ])
    expect(within(reason()).getByRole('heading').textContent).toBe('1 active')
    await press('Take away machine-unavailable about site/tarn-north')
    await waitFor(() => expect(screen.getByText('Nothing is wrong outside')).toBeTruthy())
    expect((await read()).active).toEqual([])
  })

  it('one that strikes a number of times tells how many are left', async () => {
    await pages.open('/faults')
    await choose('About', 'site/tarn-north')
    await choose('Lasts', 'some times')
    const times = screen.getByLabelText('Times')
    await userEvent.clear(times)
    await userEvent.type(times, '1')
    await press('Put it in')
    expect(await screen.findByText('1 more time', { selector: 'td' })).toBeTruthy()
    for (const { id } of (await pages.gyrarch.outside.faults()).active)
      await pages.gyrarch.endFault(id)
  })

  it('a number of times that cannot be is refused with the bounds', async () => {
    await pages.open('/faults')
    await choose('Lasts', 'some times')
    await userEvent.clear(screen.getByLabelText('Times'))
    await press('Put it in')
    expect((await screen.findByRole('alert')).textContent).toContain('between 1 and 10,000 times')
    expect((await read()).active).toEqual([])
  })
})
