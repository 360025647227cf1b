// @vitest-environment jsdom
import { screen, within } from '@testing-library/react'
import userEvent from '@testing-library/user-event'
import { describe, expect, it } from 'vitest'
import { pagesOf, press, reason } from '../../testing/pages'
import * as names from './names'

const pages = pagesOf({ '/wire/names': names })
const ofBramble = '/wire/names?aim=cluster/bramble'

interface Read {
  readonly pods: readonly string[]
  readonly tries: readonly {
    readonly name: string
    readonly addresses: readonly string[]
  }[]
}
const tried = async (name: string): Promise<Read['tries']> =>
  (
    (await pages.read(
      `${ofBramble}&pod=market/broker-bot&name=${encodeURIComponent(name)}`,
    )) as Read
  ).tries
const table = (): HTMLElement => screen.getByRole('table', { name: 'Tries' })

describe('a name as a pod asks it', () => {
  it('without an aim a cluster is chosen first', async () => {
    await pages.open('/wire/names')
    expect(
      screen.getByRole('heading', { name: 'Names, as a pod asks them', level: 2 }),
    ).toBeTruthy()
    expect(screen.getByRole('button', { name: 'bramble' })).toBeTruthy()
  })

  it('is tried with its own namespace first, and answered by the service there', async () => {
    const tries = await tried('ledger-view')
    expect(tries[0]?.name).toBe('ledger-view.market.svc.cluster.local')
    expect(tries.at(-1)?.addresses).toHaveLength(1)
    await pages.open(`${ofBramble}&pod=market/broker-bot&name=ledger-view`)
    expect(within(table()).getAllByRole('row')).toHaveLength(1 + tries.length)
    expect(within(reason()).getByRole('heading').textContent).toBe(
      `ledger-view is ${tries.at(-1)?.addresses[0]}`,
    )
    const walk = within(reason()).getByRole('link', { name: 'Walk there' }).getAttribute('href')
    expect(new URL(walk ?? '', 'http://page.test').searchParams.get('to')).toBe(tries.at(-1)?.name)
  })

  it('of another namespace is found by both of its names', async () => {
    const tries = await tried('sensor-intake.climate')
    expect(tries.at(-1)).toMatchObject({ name: 'sensor-intake.climate.svc.cluster.local' })
    expect(tries.slice(0, -1).every(({ addresses }) => addresses.length === 0)).toBe(true)
  })

  it('that ends in a dot is asked for as it stands, once', async () => {
    expect((await tried('ledger-view.market.svc.cluster.local.')).map(({ name }) => name)).toEqual([
      'ledger-view.market.svc.cluster.local',
    ])
  })

  it('that nobody answers is told with all that was asked in vain', async () => {
    const tries = await tried('frost')
    await pages.open(`${ofBramble}&pod=market/broker-bot&name=frost`)
    expect(within(reason()).getByText('Nobody answers for frost')).toBeTruthy()
    expect(reason().textContent).toContain(`All ${tries.length} names of its search path`)
    const rows = within(table()).getAllByRole('row').slice(1)
    expect(rows).toHaveLength(tries.length)
    for (const { textContent } of rows) expect(textContent).toContain('no such name')
  })

  it('is asked by the form, and a pod that is not there is refused', async () => {
    await pages.open(ofBramble)
    const form = screen.getByRole('search', { name: 'Ask a name' })
    await userEvent.clear(within(form).getByLabelText('Pod'))
    await userEvent.type(within(form).getByLabelText('Pod'), 'market/nobody')
    await userEvent.type(within(form).getByLabelText('Name'), 'ledger-view')
    await press('Ask', form)
    expect((await screen.findByRole('alert')).textContent).toContain('nobody')
    expect(screen.queryByRole('table', { name: 'Tries' })).toBeNull()
  })
})
