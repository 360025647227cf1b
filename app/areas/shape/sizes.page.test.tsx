// @vitest-environment jsdom
import { screen, within } from '@testing-library/react'
import { describe, expect, it } from 'vitest'
import { pagesOf, reason } from '../../testing/pages'
import * as sizes from './sizes'

const pages = pagesOf({ '/shape/sizes': sizes })

const rowOf = (text: string): HTMLElement => {
  const row = screen
    .getAllByRole('row')
    .find((candidate) => within(candidate).queryByText(text) !== null)
  if (!row) throw new Error(`no row of ${text}`)
  return row
}

interface Row {
  readonly cluster: string
  readonly workload: string
  readonly cpu: { readonly asked: number; readonly proposed: number }
  readonly memory: { readonly asked: number; readonly proposed: number }
}

const rowsRead = async (): Promise<readonly Row[]> =>
  ((await pages.read('/shape/sizes')) as { readonly rows: readonly Row[] }).rows

const isDeployment = ({ workload }: Row): boolean => workload.startsWith('Deployment/')
/** The page with the first row of some sort chosen. */
async function choose(takes: (row: Row) => boolean): Promise<Row> {
  const row = (await rowsRead()).find(takes)
  if (!row) throw new Error('there is no such row')
  const chosen = encodeURIComponent(`${row.cluster} ${row.workload}`)
  await pages.open(`/shape/sizes?workload=${chosen}`)
  return row
}

describe('right sizes', () => {
  it('adds up what is asked for and not used, over all clusters', async () => {
    await pages.open('/shape/sizes')
    expect(screen.getByText(/^up to [\d.]+ cores and [\d.]+ GiB are asked for/)).toBeTruthy()
    expect(new Set(['cedar', 'bramble', 'sorrel'].map((name) => rowOf(name).tagName)).size).toBe(1)
  })

  it('is of one cluster where that is the aim', async () => {
    await pages.open('/shape/sizes?aim=cluster/sorrel')
    expect(screen.getAllByText('sorrel').length).toBeGreaterThan(0)
    expect(screen.queryByText('bramble')).toBeNull()
  })

  it('puts what was killed for its memory first', async () => {
    await pages.open('/shape/sizes')
    const [, first] = screen.getAllByRole('row')
    expect(first?.textContent).toMatch(/killed (once|twice|\d+ times)/)
  })

  it('a proposal says what it would be, and what that frees', async () => {
    const { cpu } = await choose((row) => isDeployment(row) && row.cpu.proposed < row.cpu.asked)
    const facts = reason().textContent ?? ''
    expect(facts).toContain('95 % of the last day')
    expect(facts).toContain(`CPU proposed${cpu.proposed.toLocaleString('en')} m`)
    const button = screen.getByRole<HTMLButtonElement>('button', { name: 'Draft these requests' })
    expect(button.disabled).toBe(false)
  })

  it('leads to the workload on the board', async () => {
    const { cluster, workload } = await choose(isDeployment)
    const { href } = screen.getByRole<HTMLAnchorElement>('link', { name: 'On the board' })
    const { searchParams } = new URL(href, 'http://page.test')
    expect(searchParams.get('aim')).toBe(`cluster/${cluster}`)
    expect(searchParams.get('workload')).toBe(workload)
  })
})
