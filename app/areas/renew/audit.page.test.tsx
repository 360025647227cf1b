// @vitest-environment jsdom
import { screen, within } from '@testing-library/react'
import userEvent from '@testing-library/user-event'
import { describe, expect, it } from 'vitest'
import { parseAllDocuments } from 'yaml'
import { draftAndRun } from '~/server/testing/open'
import { pagesOf, press, reason } from '../../testing/pages'
import * as audit from './audit'

const pages = pagesOf({ '/renew/audit': audit })
const ofBurdock = '/renew/audit?cluster=burdock&target=1.33'

interface Read {
  readonly target: string
  readonly rows: readonly {
    readonly cluster: string
    readonly object: string
    readonly apiVersion: string
    readonly gone: boolean
    readonly successor: string | null
  }[]
  readonly anew: { readonly count: number; readonly left: readonly unknown[] } | null
  readonly clients: readonly { readonly cluster: string }[]
}
const read = async (path: string): Promise<Read> => (await pages.read(path)) as Read

describe('the removal audit', () => {
  it('is of the whole fleet until a cluster is chosen', async () => {
    const all = await read('/renew/audit?target=1.33')
    const own = await read(ofBurdock)
    expect(own.rows).toEqual(all.rows.filter(({ cluster }) => cluster === 'burdock'))
    expect(all.rows.length).toBeGreaterThan(0)
  })

  it('tells how many objects are gone at the target, and which versions take their place', async () => {
    const { rows } = await read(ofBurdock)
    const gone = rows.filter((row) => row.gone)
    expect(gone.length).toBeGreaterThan(0)
    await pages.open(ofBurdock)
    expect(within(reason()).getByRole('heading').textContent).toMatch(
      new RegExp(`${gone.length} objects? of what lives (is|are) gone at 1.33`),
    )
    for (const { object } of gone) expect(screen.getAllByText(object).length).toBeGreaterThan(0)
  })

  it('what can be written anew is drafted as one manifest without what goes', async () => {
    const { anew, rows } = await read(ofBurdock)
    expect(anew?.count).toBeGreaterThan(0)
    await pages.open(ofBurdock)
    await press(new RegExp(`^Write ${anew?.count} objects? anew$`))
    const { kind, intent } = await pages.drafted()
    const { cluster, text } = intent as { cluster: string; text: string }
    expect([kind, cluster]).toEqual(['manifest.apply', 'burdock'])
    const written = parseAllDocuments(text).map(
      (document) => document.toJS() as { apiVersion: string },
    )
    expect(written).toHaveLength(anew?.count ?? -1)
    const going = new Set(rows.filter((row) => row.gone).map(({ apiVersion }) => apiVersion))
    for (const { apiVersion } of written) expect(going.has(apiVersion)).toBe(false)
  })

  it('no longer tells of what was written anew', async () => {
    await pages.open(ofBurdock)
    const before = await read(ofBurdock)
    await press(/^Write \d+ objects? anew$/)
    const { kind, intent } = await pages.drafted()
    const { state } = await draftAndRun(pages.gyrarch, kind, intent)
    expect(state).toBe('done')
    const after = await read(ofBurdock)
    expect(after.rows.length).toBe(before.rows.length - (before.anew?.count ?? 0))
    expect(after.anew?.count ?? 0).toBe(0)
  })

  it('another target is chosen from the list', async () => {
    await pages.open(ofBurdock)
    await userEvent.click(screen.getByRole('combobox', { name: 'Target' }))
    await userEvent.click(await screen.findByRole('option', { name: '1.25' }))
    expect(await screen.findByText('what 1.25 no longer serves')).toBeTruthy()
  })

  it('what a cluster’s own release cannot guard is not offered to be refused there', async () => {
    await pages.open(ofBurdock)
    expect(screen.queryByRole('button', { name: 'Refuse it' })).toBeNull()
    await pages.again('/renew/audit?cluster=cedar&target=1.34')
    await press('Refuse it')
    const { kind, intent } = await pages.drafted()
    expect(kind).toBe('renew.guard')
    expect(intent).toMatchObject({ cluster: 'cedar', target: '1.34', action: 'refuse' })
  })
})
