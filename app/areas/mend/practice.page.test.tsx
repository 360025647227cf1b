// @vitest-environment jsdom
import { screen, waitFor, within } from '@testing-library/react'
import userEvent from '@testing-library/user-event'
import { describe, expect, it } from 'vitest'
import { pagesOf, press, reason } from '../../testing/pages'
import * as practice from './practice'

const pages = pagesOf({ '/mend/practice': practice })

interface Read {
  readonly current: {
    readonly state: string
    readonly hints: readonly string[]
    readonly named: readonly { readonly cause: string; readonly isRight: boolean }[]
  } | null
  readonly drills: readonly { readonly name: string; readonly title: string }[]
}
const read = async (): Promise<Read> => (await pages.read('/mend/practice')) as Read
const begins = (): readonly HTMLButtonElement[] =>
  screen.getAllByRole<HTMLButtonElement>('button', { name: /^Begin / })

/** Faults of the demo itself. */
let atFirst: readonly unknown[]

describe('practice', () => {
  it('says what a drill is before the first one, and offers them all', async () => {
    atFirst = (await pages.gyrarch.outside.faults()).active
    const { drills, current } = await read()
    expect(current).toBeNull()
    await pages.open('/mend/practice')
    expect(begins()).toHaveLength(drills.length)
    expect(reason().textContent).toContain('Find out what it is, name it, and mend it.')
  })

  it('one at a time is under way, with its story', async () => {
    const { drills } = await read()
    const [drill] = drills
    await pages.open('/mend/practice')
    await press(`Begin ${drill?.title}`)
    expect(
      await within(reason()).findByRole('heading', { name: new RegExp(drill?.title ?? '') }),
    ).toBeTruthy()
    for (const begin of begins()) expect(begin.disabled).toBe(true)
    expect((await read()).current?.state).toBe('on')
  })

  it('a hint is told and stays told', async () => {
    await pages.open('/mend/practice')
    await press(/^Next hint/)
    await waitFor(async () => expect((await read()).current?.hints).toHaveLength(1))
    const [hint] = (await read()).current?.hints ?? []
    await pages.again('/mend/practice')
    expect(within(reason()).getByText(hint ?? '?')).toBeTruthy()
  })

  it('a cause that it is not is told to be wrong', async () => {
    await pages.open('/mend/practice')
    const name = within(reason()).getByRole<HTMLButtonElement>('button', { name: 'Name it' })
    expect(name.disabled).toBe(true)
    await userEvent.click(within(reason()).getByRole('combobox', { name: 'Cause' }))
    await userEvent.click(await screen.findByRole('option', { name: 'certificate-expired' }))
    await userEvent.click(name)
    await waitFor(async () => expect((await read()).current?.named).toHaveLength(1))
    const [named] = (await read()).current?.named ?? []
    expect(named?.cause).toBe('certificate-expired')
    expect(await within(reason()).findByText(named?.isRight ? 'right' : 'not it')).toBeTruthy()
  })

  it('is given up, and another can begin', async () => {
    await pages.open('/mend/practice')
    await press('Give up', reason())
    await waitFor(() => expect(within(reason()).getByText('given up')).toBeTruthy())
    for (const begin of begins()) expect(begin.disabled).toBe(false)
    // What it broke is whole again.
    expect((await pages.gyrarch.outside.faults()).active).toEqual(atFirst)
  })
})
