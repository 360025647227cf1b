// @vitest-environment jsdom
import { cleanup, render, screen, within } from '@testing-library/react'
import { createRoutesStub } from 'react-router'
import { afterEach, describe, expect, it } from 'vitest'
import { gathered, type Want } from './rows'
import { Wants } from './wants'

afterEach(cleanup)

const want = (name: string, more: Partial<Want> = {}): Want => ({
  ref: `cluster/${name}`,
  name,
  state: 'strained',
  says: 'release 1.31.9: support ended 2026-02-28',
  path: null,
  ...more,
})

async function show(wants: readonly Want[], at: string | null = null, more = 0) {
  const groups = gathered(wants).map((group) => ({ ...group, count: group.wants.length }))
  const Here = () => <Wants groups={groups} more={more} at={at} />
  const Stub = createRoutesStub([{ path: '*', Component: Here }])
  render(<Stub initialEntries={['/fleet?size=pods']} />)
  return screen.findByRole('region', { name: 'Wants you' })
}

describe('what wants you', () => {
  it('that says the same is one line, which unfolds to each', async () => {
    const section = await show(['alder', 'cedar', 'dill'].map((name) => want(name)))
    expect(within(section).getByText('3 clusters')).toBeTruthy()
    const group = section.querySelector('details')
    expect(group?.open).toBe(false)
    expect([...(group?.querySelectorAll('a') ?? [])].map((link) => link.textContent)).toEqual([
      'alder',
      'cedar',
      'dill',
    ])
  })

  it('is unfolded where one of a line is selected', async () => {
    const section = await show(
      ['alder', 'cedar', 'dill'].map((name) => want(name)),
      'cluster/cedar',
    )
    expect(section.querySelector('details')?.open).toBe(true)
    expect(section.querySelectorAll('[aria-current="true"]')).toHaveLength(1)
  })

  it('leads to where it is, and keeps what the drawing shows', async () => {
    const section = await show([
      want('cedar'),
      want('raise birch', { ref: 'change/c-1', state: 'broken', path: '/changes/c-1' }),
    ])
    const hrefs = within(section)
      .getAllByRole('link')
      .map((link) => link.getAttribute('href'))
    expect(hrefs).toEqual(['/fleet?size=pods&on=cluster%2Fcedar', '/changes/c-1'])
  })

  it('shows a change as what it does, and all else as how it is', async () => {
    const section = await show([
      want('halted', { ref: 'change/c-1', state: 'broken' }),
      want('waits', { ref: 'change/c-2', state: 'resting' }),
      want('dill', { state: 'unknown' }),
    ])
    expect(
      [...section.querySelectorAll('.state-glyph')].map((glyph) =>
        glyph.getAttribute('data-state'),
      ),
    ).toEqual(['broken', 'resting', 'unknown'])
  })

  it('is nothing where all is well, and says how much more there is', async () => {
    expect((await show([])).textContent).toContain('Nothing. All is well.')
    cleanup()
    expect((await show([want('cedar')], null, 7)).textContent).toContain('and 7 more in the table')
  })
})
