import { describe, expect, it } from 'vitest'
import { demoFleet } from '../testing/demo-fleet'
import { priceBook, readPrices, writePrices } from '.'

const view = demoFleet()

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
})
