// @vitest-environment jsdom
import { screen, waitFor, within } from '@testing-library/react'
import userEvent from '@testing-library/user-event'
import { describe, expect, it } from 'vitest'
import { draftAndRun } from '~/server/testing/open'
import { pagesOf, press, reason } from '../../testing/pages'
import * as workloads from './workloads'

const pages = pagesOf({ '/shape/workloads': workloads })
const ledger = '/shape/workloads?workload=StatefulSet/gathering/gathering-ledger&in=cedar'
const ofBramble = '/shape/workloads?aim=cluster/bramble'

interface Read {
  readonly rows: readonly {
    readonly key: string
    readonly cluster: string
    readonly name: string
    readonly state: string
    readonly ready: number
    readonly wanted: number
  }[]
  readonly silent: readonly string[]
}
const read = async (path: string): Promise<Read> => (await pages.read(path)) as Read
const said = (): string => within(reason()).getByRole('status').textContent

describe('workloads', () => {
  it('of the whole fleet are those of every cluster, what is not well first', async () => {
    const { rows } = await read('/shape/workloads')
    const view = await pages.gyrarch.fleet.view()
    expect(new Set(rows.map(({ cluster }) => cluster)).size).toBeGreaterThan(
      view.clusters.length / 2,
    )
    const order = ['broken', 'strained', 'working', 'well', 'resting']
    const places = rows.map(({ state }) => order.indexOf(state))
    expect(places).toEqual(places.toSorted((a, b) => a - b))
  })

  it('of a cluster that is aimed at are its own', async () => {
    const { rows } = await read(ofBramble)
    expect(new Set(rows.map(({ cluster }) => cluster))).toEqual(new Set(['bramble']))
    await pages.open(ofBramble)
    expect(screen.getByRole('heading', { level: 1 }).textContent).toBe('Workloads of bramble')
  })

  it('one is told down to its pods and the nodes that they are on', async () => {
    await pages.open(ledger)
    const part = within(reason())
    for (const number of [0, 1, 2])
      expect(part.getAllByText(`gathering-ledger-${number}`).length).toBeGreaterThan(0)
    const nodes = part
      .getAllByRole('link')
      .filter((link) => link.getAttribute('href')?.startsWith('/clusters/cedar?on='))
    expect(nodes).toHaveLength(3)
    for (const link of nodes) expect(link.textContent).toBe(link.textContent.trim())
  })

  it('is restarted by a draft that says which', async () => {
    await pages.open(ledger)
    await press('Draft restarting it')
    const { kind, intent } = await pages.drafted()
    expect([kind, intent]).toEqual([
      'workload.restart',
      { cluster: 'cedar', kind: 'StatefulSet', namespace: 'gathering', name: 'gathering-ledger' },
    ])
  })

  it('another is chosen in the table', async () => {
    await pages.open(ofBramble)
    const [cell] = screen.getAllByText('price-feed', { selector: '.mono' })
    if (!cell) throw new Error('it has no row')
    await userEvent.click(cell)
    expect(await within(reason()).findByRole('heading', { name: 'price-feed' })).toBeTruthy()
  })
})

describe('from inside a pod', () => {
  it('a name is looked up, and one that is none is told to be so', async () => {
    await pages.open(ledger)
    await press('Ask')
    await waitFor(() => expect(said()).toMatch(/10\.\d+\.\d+\.\d+/))
    const target = within(reason()).getByLabelText('Target')
    await userEvent.clear(target)
    await userEvent.type(target, 'nobody.nowhere')
    await press('Ask')
    await waitFor(() => expect(said()).toContain('nobody.nowhere'))
    expect(within(reason()).getByRole('status').dataset['good']).toBe('false')
  })

  it('its log is read', async () => {
    await pages.open(ledger)
    await press('Log')
    await waitFor(() => expect(said()).not.toBe(''))
  })
})

describe('a roll-out', () => {
  const deployment = { kind: 'Deployment', namespace: 'market', name: 'price-feed' }

  it('leaves a revision, which a draft goes back to', async () => {
    const restarted = await draftAndRun(pages.gyrarch, 'workload.restart', {
      cluster: 'bramble',
      ...deployment,
    })
    expect([restarted.state, restarted.cause?.says]).toEqual(['done', undefined])
    await pages.open(`${ofBramble}&workload=Deployment/market/price-feed`)
    expect(within(reason()).getByRole('heading', { name: 'Revisions' })).toBeTruthy()
    await press('Draft going back')
    const { kind, intent } = await pages.drafted()
    expect([kind, intent]).toEqual(['workload.undo', { cluster: 'bramble', ...deployment }])
  })
})
