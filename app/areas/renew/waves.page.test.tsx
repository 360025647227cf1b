// @vitest-environment jsdom
import { screen, within } from '@testing-library/react'
import userEvent from '@testing-library/user-event'
import { describe, expect, it } from 'vitest'
import { draftAndRun } from '~/server/testing/open'
import { pagesOf, press, reason } from '../../testing/pages'
import * as waves from './waves'

const pages = pagesOf({ '/renew/waves': waves })
const to134 = '/renew/waves?to=1.34'

interface Read {
  readonly names: readonly string[]
  readonly among: readonly string[]
  readonly to: string
  readonly lanes: readonly {
    readonly cluster: string
    readonly wave: number
    readonly from: string
    readonly laid: { readonly start: string; readonly end: string } | null
  }[]
}
const read = async (path: string): Promise<Read> => (await pages.read(path)) as Read
const table = (): HTMLElement => screen.getByRole('table', { name: 'Waves' })
const form = (): HTMLElement => screen.getByRole('search', { name: 'Which clusters go where' })

describe('waves', () => {
  it('are laid for every cluster that is older, what drives others first', async () => {
    const { lanes, names } = await read(to134)
    await pages.open(to134)
    const rows = within(table()).getAllByRole('row').slice(1)
    expect(rows).toHaveLength(lanes.length)
    const driver = lanes.find(({ cluster }) => cluster === 'alder')
    expect(driver?.wave).toBe(Math.min(...lanes.map(({ wave }) => wave)))
    expect(lanes.length).toBeLessThanOrEqual(names.length)
    const laid = lanes.filter((lane) => lane.laid !== null)
    expect(within(table()).getAllByRole('img', { name: /^laid into (?!no)/ })).toHaveLength(
      laid.length,
    )
  })

  it('those that cannot be laid say why, and where a window is given', async () => {
    const { lanes } = await read(to134)
    const unlaid = lanes.filter(({ laid }) => laid === null)
    expect(unlaid.length).toBeGreaterThan(0)
    await pages.open(to134)
    expect(within(reason()).getByRole('heading').textContent).toContain(
      `${unlaid.length} ${unlaid.length === 1 ? 'cluster' : 'clusters'} could not be laid`,
    )
    expect(
      within(reason()).getByRole('link', { name: 'Give them a window' }).getAttribute('href'),
    ).toBe('/shape/windows')
  })

  it('are drafted as one change with the waves that are shown', async () => {
    await pages.open('/renew/waves?to=1.34&clusters=alder,cedar')
    await press('Draft them as one')
    const { kind, intent } = await pages.drafted()
    const { clusters } = intent as { clusters: readonly { cluster: string; wave: number }[] }
    expect(kind).toBe('fleet.upgrade')
    expect(clusters.map(({ cluster, wave }) => [cluster, wave])).toEqual([
      ['alder', 1],
      ['cedar', 2],
    ])
  })

  it('nobody has to go where all run the release', async () => {
    await pages.open('/renew/waves?to=1.24&clusters=alder')
    expect(within(reason()).getByRole('heading').textContent).toMatch(/All of them run .* or newer/)
    expect(screen.queryByRole('button', { name: 'Draft them as one' })).toBeNull()
  })
})

describe('which clusters go', () => {
  it('is chosen by a label, and a label that is written wrong is refused at its field', async () => {
    const ran = await draftAndRun(pages.gyrarch, 'cluster.label', {
      cluster: 'cedar',
      labels: { stage: 'trial' },
    })
    expect([ran.state, ran.cause?.says]).toEqual(['done', undefined])
    await pages.open(to134)
    await userEvent.type(within(form()).getByLabelText('Labels'), 'stage=trial')
    await press('Lay', form())
    expect(await within(table()).findByRole('link', { name: 'cedar' })).toBeTruthy()
    expect((await read(`${to134}&labels=stage%3Dtrial`)).among).toEqual(['cedar'])
    await pages.again(`${to134}&labels=${encodeURIComponent('stage in (')}`)
    expect(within(form()).getByLabelText('Labels').getAttribute('aria-invalid')).toBe('true')
  })

  it('none that has the label is told with the label', async () => {
    await pages.open(`${to134}&labels=stage%3Dnowhere`)
    expect(within(reason()).getByText('None of them is labelled stage=nowhere.')).toBeTruthy()
  })

  it('names that no cluster has are left out', async () => {
    expect((await read(`${to134}&clusters=alder,nobody`)).among).toEqual(['alder'])
  })
})
