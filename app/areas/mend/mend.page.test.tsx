// @vitest-environment jsdom
import { screen, within } from '@testing-library/react'
import userEvent from '@testing-library/user-event'
import { beforeAll, describe, expect, it } from 'vitest'
import { draftAndRun } from '~/server/testing/open'
import { pagesOf, reason } from '../../testing/pages'
import * as caseOf from './case'
import * as duty from './duty'

const pages = pagesOf({ '/mend': duty, '/mend/:id': caseOf })

interface Listed {
  readonly cases: readonly {
    readonly id: string
    readonly state: string
    readonly says: string
    readonly cluster: string
  }[]
}
const listed = async (): Promise<Listed['cases']> => ((await pages.read('/mend')) as Listed).cases

async function minutes(count: number): Promise<void> {
  for (let minute = 0; minute < count; minute++) {
    await pages.gyrarch.outside.advance(60)
    await pages.gyrarch.cases.atRest()
  }
}

/** Breaks something for longer than a minute, after which its case is open. */
async function broken(fault: string, about: string): Promise<void> {
  await pages.gyrarch.putFault({ fault, about, mode: 'permanent', times: 1, afterSeconds: 0 })
  await minutes(4)
}

beforeAll(() => broken('machine-off', 'machine/mossgate/cedar-general-2'))

describe('on duty', () => {
  it('what is broken is listed with its cluster and for how long', async () => {
    const open = (await listed()).filter(({ state }) => state === 'open')
    expect(open.map(({ cluster }) => cluster)).toContain('cedar')
    await pages.open('/mend')
    const lines = within(screen.getByRole('list', { name: 'Open cases' })).getAllByRole('listitem')
    expect(lines).toHaveLength(open.length)
    for (const line of lines) expect(line.textContent).toMatch(/for \d+/)
    expect(within(reason()).getByRole('heading').textContent).toContain(
      `${open.length} ${open.length === 1 ? 'case' : 'cases'}`,
    )
  })

  it('a case leads from its cause to what suffers from it, and offers what was proven', async () => {
    const row = (await listed()).find(({ cluster }) => cluster === 'cedar')
    await pages.open(`/mend/${row?.id}`)
    expect(screen.getByText('From cause to symptom')).toBeTruthy()
    expect(screen.getByRole('table', { name: 'What it could be' }).textContent).toContain(
      'the machine is gone',
    )
    expect(within(reason()).getAllByRole('button').length).toBeGreaterThan(1)
  })

  it('whoever takes a case is named at it and on duty', async () => {
    const row = (await listed()).find(({ cluster }) => cluster === 'cedar')
    await pages.open(`/mend/${row?.id}`)
    const who = within(reason()).getByLabelText('Who is on it')
    await userEvent.clear(who)
    await userEvent.type(who, 'Ines')
    await userEvent.type(within(reason()).getByLabelText('Note'), 'looked at its host')
    await userEvent.click(within(reason()).getByRole('button', { name: 'Write it down' }))
    expect(await within(reason()).findByText(/looked at its host/)).toBeTruthy()
    expect(within(reason()).getByLabelText<HTMLInputElement>('Note').value).toBe('')
    await pages.again('/mend')
    expect(document.body.textContent).toContain('Ines is on it')
  })

  it('a case is mended by what it offers, and stands among the closed ones', async () => {
    await broken('selector-turned', 'service/bramble/market/ledger-view')
    const row = (await listed()).find(({ says }) => says.includes('ledger-view'))
    await pages.open(`/mend/${row?.id}`)
    const [offered] = within(reason()).getAllByRole('button', { name: 'Draft it' })
    if (!offered) throw new Error('nothing is offered')
    await userEvent.click(offered)
    const { kind, intent } = await pages.drafted()
    const ran = await draftAndRun(pages.gyrarch, kind, intent)
    expect([ran.state, ran.cause?.says]).toEqual(['done', undefined])
    await minutes(5)
    await pages.again('/mend')
    const closed = screen.getByRole('table', { name: 'Closed cases' })
    expect(within(closed).getByText(row?.id ?? '')).toBeTruthy()
  })
})
