// @vitest-environment jsdom
import { screen, within } from '@testing-library/react'
import userEvent from '@testing-library/user-event'
import { beforeAll, describe, expect, it } from 'vitest'
import { draftAndRun } from '~/server/testing/open'
import { pagesOf, reason } from '../../testing/pages'
import * as journal from './journal'

const pages = pagesOf({ '/journal': journal })

interface Read {
  readonly lines: readonly {
    readonly seq: number
    readonly kind: string
    readonly change: string | null
    readonly says: string
  }[]
  readonly older: number | null
}
const read = async (path: string): Promise<Read> => (await pages.read(path)) as Read

beforeAll(async () => {
  for (const count of [4, 3]) {
    const intent = { cluster: 'bramble', pool: 'base', count }
    const { state } = await draftAndRun(pages.gyrarch, 'pool.resize', intent)
    expect(state).toBe('done')
  }
})

describe('the journal', () => {
  it('is told newest first, each line under an address of its own', async () => {
    const { lines } = await read('/journal')
    const numbers = lines.map(({ seq }) => seq)
    expect(numbers).toEqual(numbers.toSorted((a, b) => b - a))
    await pages.open('/journal')
    const newest = String(numbers[0])
    expect(screen.getAllByRole('link', { name: newest })[0]?.getAttribute('href')).toBe(
      `/journal/${newest}`,
    )
  })

  it.each(['run', 'step', 'change'])('is narrowed to lines of the kind %s', async (kind) => {
    const { lines } = await read(`/journal?kind=${kind}`)
    expect(lines.length).toBeGreaterThan(0)
    for (const line of lines) expect(line.kind.startsWith(`${kind}.`)).toBe(true)
    await pages.open(`/journal?kind=${kind}`)
    const kinds = within(screen.getByRole('group', { name: 'Kind of line' })).getAllByRole('link')
    expect(
      kinds
        .filter((link) => link.getAttribute('aria-current') === 'true')
        .map(({ textContent }) => textContent),
    ).toEqual([kind])
  })

  it('is narrowed to the lines of one change', async () => {
    const { lines } = await read('/journal?change=c-1')
    expect(lines.length).toBeGreaterThan(2)
    expect(new Set(lines.map(({ change }) => change))).toEqual(new Set(['c-1']))
  })

  it('is searched as a whole, and says so where no line answers', async () => {
    await pages.open('/journal')
    await userEvent.type(screen.getByLabelText('Search the whole journal'), 'unicorn{Enter}')
    expect(await screen.findByText(/No line answers to this/)).toBeTruthy()
    expect(within(reason()).getByText('Nothing yet')).toBeTruthy()
  })

  it('goes on to older lines, and back to the newest', async () => {
    const { lines } = await read('/journal')
    const [newest] = lines
    const { lines: older } = await read(`/journal?before=${newest?.seq}`)
    expect(older[0]?.seq).toBe((newest?.seq ?? 0) - 1)
    await pages.open(`/journal?before=${newest?.seq}`)
    await userEvent.click(within(reason()).getByRole('link', { name: 'Back to the newest' }))
    expect((await screen.findAllByRole('link', { name: String(newest?.seq) })).length).toBe(1)
  })

  it('what is asked for and cannot be is taken for everything', async () => {
    const { lines } = await read('/journal')
    for (const odd of ['kind=weather', 'before=soon', 'change=oak'])
      expect((await read(`/journal?${odd}`)).lines).toEqual(lines)
  })
})
