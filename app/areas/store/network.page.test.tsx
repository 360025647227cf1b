// @vitest-environment jsdom
import { screen, within } from '@testing-library/react'
import userEvent from '@testing-library/user-event'
import { describe, expect, it } from 'vitest'
import type { Pair } from '~/core/storage'
import { pagesOf, press, reason } from '../../testing/pages'
import * as network from './network'

const pages = pagesOf({ '/store/network': network })
const ofCedar = '/store/network?aim=cluster/cedar'

interface Told {
  readonly network: string
  readonly storage: { readonly network: string }
  readonly all: number
  readonly failing: number
  readonly pairs: readonly Pair[]
}
const told = async (): Promise<Told> => (await pages.read(ofCedar)) as Told

describe('the network that copies travel', () => {
  it('is looked at on the one they could move to, and says how many pairs would fail', async () => {
    const { network: other, storage, all, failing } = await told()
    expect(other).not.toBe(storage.network)
    await pages.open(ofCedar)
    expect(within(reason()).getByRole('heading', { level: 2 }).textContent).toContain(
      failing === 0 ? `All ${all} pairs reach each other` : `${failing} of ${all} pairs would fail`,
    )
  })

  it('has a cell for each pair, by what arrives or why nothing does', async () => {
    const { pairs } = await told()
    await pages.open(ofCedar)
    const table = screen.getByRole('table', { name: 'Pairs of nodes' })
    expect(within(table).getAllByRole('button')).toHaveLength(pairs.length)
    for (const { from, to, state, sent } of pairs.slice(0, 6)) {
      const cell = within(table).getByRole('button', { name: new RegExp(`^${from} to ${to}:`) })
      expect(cell.textContent).toBe(
        state === 'good'
          ? String(sent)
          : { 'no-link': 'no link', barred: 'refused', 'too-large': 'too large' }[state],
      )
    }
  })

  it('a pair whose packets are too large is mended by the link at its end', async () => {
    const { pairs, network: name } = await told()
    const pair = pairs.find(({ state }) => state === 'too-large')
    if (!pair) throw new Error('every pair takes full packets')
    await pages.open(ofCedar)
    await userEvent.click(
      screen.getByRole('button', { name: new RegExp(`^${pair.from} to ${pair.to}:`) }),
    )
    expect(await within(reason()).findByText(/Large packets do not arrive/)).toBeTruthy()
    await press(`Set the link of ${pair.to} to ${pair.sent} bytes`)
    const { kind, intent } = await pages.drafted()
    expect(kind).toBe('storage.link')
    expect(intent).toEqual({ cluster: 'cedar', node: pair.to, network: name, mtu: pair.sent })
  })

  it('copies are moved by a change that says what would fail', async () => {
    const { network: name, failing } = await told()
    await pages.open(ofCedar)
    await press(`Move copies to ${name}`)
    const { kind, intent, findings } = await pages.drafted()
    expect(kind).toBe('storage.network')
    expect(intent).toEqual({ cluster: 'cedar', network: name, detach: false })
    expect(findings.some(({ level }) => level === 'stop')).toBe(failing > 0)
  })

  it('a cluster that keeps no copies has none', async () => {
    await pages.open('/store/network?aim=cluster/bramble')
    expect(screen.getByText('No copies travel here')).toBeTruthy()
  })
})
