// @vitest-environment jsdom
import { fireEvent, screen, waitFor, within } from '@testing-library/react'
import { describe, expect, it } from 'vitest'
import { draftAndRun } from '~/server/testing/open'
import { dropped, pagesOf, reason } from '../../testing/pages'
import * as addresses from './addresses'

const pages = pagesOf({ '/ground/addresses': addresses })

interface Entered {
  readonly add: readonly {
    readonly domain: string
    readonly range: string
    readonly name: string
  }[]
}
const domain = async (): Promise<string> =>
  ((await pages.read('/ground/addresses')) as { domain: string }).domain
const importing = (): HTMLElement => screen.getByRole('region', { name: 'Import' })

describe('the address ledger', () => {
  it('shows what holds addresses in a domain, and that nothing collides', async () => {
    await pages.open('/ground/addresses')
    expect(within(reason()).getByRole('heading').textContent).toContain('Nothing collides')
    const picked = within(screen.getByRole('group', { name: 'Routing domain' }))
    expect(
      picked
        .getAllByRole('link')
        .filter((link) => link.getAttribute('aria-current') === 'true')
        .map(({ textContent }) => textContent),
    ).toEqual([await domain()])
  })

  it('blocks are carved out of what is free', async () => {
    await pages.open('/ground/addresses?within=10.44.0.0/20&prefixes=24%2024')
    const carved = within(reason()).getByRole('list', { name: 'Carved' })
    const blocks = within(carved).getAllByRole('listitem')
    expect(blocks.map(({ textContent }) => /\/(\d+)free$/.exec(textContent)?.[1])).toEqual([
      '24',
      '24',
    ])
  })

  it('a block that does not fit is told with what would have to move', async () => {
    await pages.open('/ground/addresses?within=10.20.0.0/24&prefixes=24')
    const carved = within(reason()).getByRole('list', { name: 'Carved' })
    expect(carved.textContent).toContain('/24 does not fit')
    expect(carved.textContent).toMatch(/would have to move$/)
  })

  it.each([
    ['10.44.0.0/20', '33'],
    ['10.44.0.0/20', 'wide'],
    ['not a range', '24'],
  ])('%s carved into %s is refused with the reason', async (within_, prefixes) => {
    await pages.open(
      `/ground/addresses?within=${encodeURIComponent(within_)}&prefixes=${encodeURIComponent(prefixes)}`,
    )
    expect(within(reason()).queryByRole('list', { name: 'Carved' })).toBeNull()
    expect(within(reason()).getByRole('alert').textContent).not.toBe('')
  })

  it('a collision is told with both holders and where they meet', async () => {
    const add = [
      { domain: await domain(), range: '10.77.0.0/24', name: 'weather masts' },
      { domain: await domain(), range: '10.77.0.128/25', name: 'old masts' },
    ]
    const { state } = await draftAndRun(pages.gyrarch, 'ledger.enter', { add, remove: [] })
    expect(state).toBe('done')
    await pages.open('/ground/addresses')
    const told = within(reason()).queryByText(/weather masts/)
    // Ranges that are entered by hand may lie in each other; both are listed.
    expect(told ?? screen.getAllByText(/weather masts/)[0]).toBeTruthy()
    expect(screen.getAllByText('entered by hand').length).toBeGreaterThanOrEqual(2)
  })
})

describe('ranges of a file', () => {
  it('are read line by line, the good ones drafted, the bad ones told', async () => {
    const of = await domain()
    await pages.open('/ground/addresses')
    await dropped(
      'CSV file',
      'masts.csv',
      'text/csv',
      `domain,range,name\n${of},10.78.0.0/24,frost masts\n${of},10.78.0.0/99,bad\n`,
    )
    const told = await within(importing()).findByRole('status')
    expect(told.textContent).toContain('1 bad line')
    fireEvent.click(within(told).getByRole('button', { name: /^Draft entering 1 range$/ }))
    const { kind, intent } = await pages.drafted()
    expect(kind).toBe('ledger.enter')
    expect((intent as Entered).add).toEqual([
      { domain: of, range: '10.78.0.0/24', name: 'frost masts' },
    ])
    await waitFor(() => expect(screen.queryByRole('status')).toBeNull())
  })
})
