// @vitest-environment jsdom
import { screen, within } from '@testing-library/react'
import userEvent from '@testing-library/user-event'
import { describe, expect, it } from 'vitest'
import { siteOf } from '~/core/fleet'
import { draftAndRun } from '~/server/testing/open'
import { dropped, pagesOf, press, reason } from '../../testing/pages'
import * as names from './names'

const pages = pagesOf({ '/ground/names': names })
const ofMossgate = '/ground/names?site=mossgate'

interface RecordIntent {
  readonly site: string
  readonly set: readonly { readonly name: string; readonly type: string; readonly value: string }[]
  readonly remove: readonly { readonly name: string; readonly value: string }[]
}

const domain = async (): Promise<string> =>
  siteOf(await pages.gyrarch.fleet.view(), 'mossgate')?.nameDomain ?? ''
const reading = (): HTMLElement => screen.getByRole('region', { name: 'Read a zone file' })

describe('names of a site', () => {
  it('are those that its name server serves, and the site can be changed', async () => {
    await pages.open(ofMossgate)
    expect(screen.getByRole('heading', { level: 1 }).textContent).toContain(await domain())
    const sites = within(screen.getByRole('group', { name: 'Site' })).getAllByRole('link')
    expect(sites.length).toBeGreaterThan(1)
    expect(
      sites
        .filter((link) => link.getAttribute('aria-current') === 'true')
        .map((x) => x.textContent),
    ).toEqual(['mossgate'])
  })

  it('that clusters need lead where they should', async () => {
    await pages.open(ofMossgate)
    expect(within(reason()).getByText('What should resolve does')).toBeTruthy()
  })

  it('one that leads elsewhere is told with where it should lead, and drafted back', async () => {
    const { records = [] } = siteOf(await pages.gyrarch.fleet.view(), 'mossgate') ?? {}
    const api = records.find(({ name, type }) => name.startsWith('api.cedar') && type === 'A')
    if (!api) throw new Error('cedar has no record')
    await draftAndRun(pages.gyrarch, 'wire.record', {
      site: 'mossgate',
      set: [{ name: api.name, type: 'A', ttl: 60, value: '10.20.0.9' }],
      remove: [{ name: api.name, type: 'A', value: api.value }],
    })
    await pages.open(ofMossgate)
    expect(within(reason()).getByText(/1 name of \d+ should lead elsewhere/)).toBeTruthy()
    expect(reason().textContent).toContain(`10.20.0.9, not ${api.value}`)
    await press('Add it', reason())
    const { kind, intent } = await pages.drafted()
    const { set, remove } = intent as RecordIntent
    expect([kind, set[0]?.value, remove.map(({ value }) => value)]).toEqual([
      'wire.record',
      api.value,
      ['10.20.0.9'],
    ])
    const { state, proof } = await draftAndRun(pages.gyrarch, kind, intent)
    expect([state, proof?.every(({ holds }) => holds)]).toEqual(['done', true])
    await pages.again(ofMossgate)
    expect(within(reason()).getByText('What should resolve does')).toBeTruthy()
  })

  it('one is asked for, with the way its answer was found', async () => {
    await pages.open(`${ofMossgate}&name=api.cedar.${await domain()}`)
    expect(within(reason()).getByRole('status').textContent).toMatch(
      /api\.cedar → \d+\.\d+\.\d+\.\d+$/,
    )
    await pages.again(`${ofMossgate}&name=nobody.${await domain()}`)
    expect(within(reason()).getByRole('status').textContent).toContain('no answer')
  })

  it('a first record is drafted with its fields still empty', async () => {
    await pages.open(ofMossgate)
    await press('Set a record')
    const { kind, findings } = await pages.drafted()
    expect(kind).toBe('wire.record')
    expect(findings.some(({ level }) => level === 'stop')).toBe(true)
  })
})

describe('a zone file', () => {
  it('is read with its bad lines, and what is new in it drafted', async () => {
    await pages.open(ofMossgate)
    const text = ['$TTL 1h', 'frost  A  10.20.3.77', 'thaw  A  10.20.300.1', ''].join('\n')
    await dropped('zone file', 'mossgate.zone', 'text/plain', text)
    const told = await within(reading()).findByRole('status')
    expect(told.textContent).toContain('1 bad line')
    expect(told.textContent).toContain('line 3')
    await userEvent.click(within(told).getByRole('button', { name: /^Draft: set 1, remove \d+$/ }))
    const { intent } = await pages.drafted()
    const { site, set } = intent as RecordIntent
    expect([site, set.map(({ name, value }) => [name, value])]).toEqual([
      'mossgate',
      [['frost', '10.20.3.77']],
    ])
  })

  it('that is typed is read by a press, which waits for something to read', async () => {
    await pages.open(ofMossgate)
    const read = within(reading()).getByRole<HTMLButtonElement>('button', { name: 'Read it' })
    expect(read.disabled).toBe(true)
    await userEvent.click(within(reading()).getByLabelText('Zone file'))
    await userEvent.paste('this is no zone file')
    await userEvent.click(read)
    expect((await within(reading()).findByRole('status')).textContent).toContain('bad line')
  })
})
