import { describe, expect, it } from 'vitest'
import { gyrarchForAll, runOut, type Opened } from '~/server/testing/open'
import type { FleetView } from '../fleet'
import { priceBook, projectSpend, readPrices, writePrices } from '.'

let opened: Opened
let view: FleetView
gyrarchForAll((made, seen) => {
  opened = made
  view = seen
})

describe('price books', () => {
  it('come back from CSV as they went out', () => {
    const prices = view.sites.flatMap(priceBook)
    expect(prices.length).toBeGreaterThan(20)
    expect(readPrices(writePrices(prices), view)).toEqual({ good: prices, bad: [] })
  })
  it('name bad lines by number and keep the good ones', () => {
    const { good, bad } = readPrices(
      'site,item,units\npalisade-east,size/post-4-16,0.2\nnowhere,kwh,1\npalisade-east,size/rack-8,1\npalisade-east,kwh,cheap\npalisade-east,size/post-4-16,0.3\n',
      view,
    )
    expect(good).toEqual([{ site: 'palisade-east', item: 'size/post-4-16', units: 0.2 }])
    expect(bad.map(({ line }) => line)).toEqual([3, 4, 5, 6])
    expect(readPrices('a,b\n1,2', view).bad[0]?.says).toContain('site,item,units')
  })
  it('are entered as a change, and what they cost follows; taken back, it is as before', async () => {
    const { gyrarch } = opened
    const month = async () => {
      const now = await gyrarch.fleet.view()
      return projectSpend(
        now,
        Date.parse('2026-03-01T00:00:00Z'),
        Date.parse('2026-04-01T00:00:00Z'),
      )
        .lines.filter((line) => line.cluster === 'bramble' && line.pool === 'general')
        .reduce((sum, line) => sum + line.units, 0)
    }
    const before = await month()
    const drafted = await gyrarch.changes.draft('spend.prices', {
      prices: [{ site: 'palisade-east', item: 'size/post-4-16', units: 0.336 }],
    })
    await gyrarch.changes.run(drafted.id, { accept: [] })
    expect((await runOut(gyrarch, drafted.id)).state).toBe('done')
    expect(await month()).toBeCloseTo(2 * before, 9)
  })
})
