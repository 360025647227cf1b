// @vitest-environment jsdom
import { screen, within } from '@testing-library/react'
import userEvent from '@testing-library/user-event'
import { describe, expect, it } from 'vitest'
import { dropped, pagesOf, reason } from '../../testing/pages'
import * as spend from './spend'

const pages = pagesOf({ '/shape/spend': spend })
const ofBramble = '/shape/spend?aim=cluster/bramble'

interface Read {
  readonly whole: number
  readonly rows: readonly {
    readonly site: string
    readonly cluster: string | null
    readonly units: number
    readonly soFar: number
  }[]
  readonly chosen: {
    readonly namespaces: readonly {
      readonly namespace: string | null
      readonly units: number
      readonly share: number
    }[]
    readonly whatIfs: readonly {
      readonly says: string
      readonly before: number
      readonly after: number
    }[]
  } | null
}
const read = async (path: string): Promise<Read> => (await pages.read(path)) as Read
const sum = (numbers: readonly number[]): number => numbers.reduce((total, each) => total + each, 0)

describe('spend', () => {
  it('of the coming month is the sum of its lines', async () => {
    const { rows, whole } = await read('/shape/spend')
    expect(sum(rows.map(({ units }) => units))).toBeCloseTo(whole, 6)
    expect(whole).toBeGreaterThan(0)
  })

  it('of a cluster is its own lines, of the whole fleet’s', async () => {
    const all = await read('/shape/spend')
    const own = await read(ofBramble)
    expect(own.rows).toEqual(all.rows.filter(({ cluster }) => cluster === 'bramble'))
    expect(own.whole).toBe(all.whole)
    await pages.open(ofBramble)
    expect(screen.getByRole('heading', { level: 1 }).textContent).toBe('Spend of bramble')
    expect(document.body.textContent).toMatch(/of [\d,.]+ for the fleet/)
  })

  it('is shared out over namespaces, and what nobody asks for is idle', async () => {
    const { chosen } = await read(ofBramble)
    const shares = (chosen?.namespaces ?? []).map(({ share }) => share)
    expect(sum(shares)).toBeCloseTo(1, 6)
    expect(chosen?.namespaces.some(({ namespace }) => namespace === null)).toBe(true)
    await pages.open(ofBramble)
    expect(within(reason()).getByRole('img', { name: /^Shares: .*idle \d/ })).toBeTruthy()
    expect(within(reason()).getByText('idle: asked for by nobody')).toBeTruthy()
  })

  it('says what else it could be, before and after', async () => {
    const { chosen } = await read(ofBramble)
    expect(chosen?.whatIfs.length).toBeGreaterThan(0)
    await pages.open(ofBramble)
    for (const { says } of chosen?.whatIfs ?? [])
      expect(within(reason()).getByText(says).closest('li')?.textContent).toContain('→')
  })

  it('a cluster is chosen in the table', async () => {
    await pages.open('/shape/spend')
    await userEvent.click(screen.getAllByRole('link', { name: 'bramble' })[0] ?? document.body)
    expect(await screen.findByRole('heading', { level: 1, name: 'Spend of bramble' })).toBeTruthy()
  })
})

describe('a price book', () => {
  it('is read line by line: good lines are drafted, bad ones told', async () => {
    const text = await pages.gyrarch.fleet.view().then(({ sites }) => {
      const site = sites.find(({ kind }) => kind === 'cloud')
      const [size] = site?.sizes ?? []
      return `site,what,name,price\n${site?.name},size,${size?.name},1.5\nnowhere,size,huge,2\n`
    })
    await pages.open('/shape/spend')
    await dropped('price book', 'prices.csv', 'text/csv', text)
    const part = within(await screen.findByRole('region', { name: 'Price book' }))
    expect(await part.findByText(/^line \d+: /)).toBeTruthy()
  })

  it('without a price in it is refused', async () => {
    await pages.open('/shape/spend')
    await dropped('price book', 'prices.csv', 'text/csv', 'nothing,of,the,kind\n')
    expect(await screen.findByText('No line of it is a price.')).toBeTruthy()
  })
})
