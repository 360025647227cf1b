import { describe, expect, it } from 'vitest'
import type { Call } from './call'
import { callerIntent, callersBeside, identityOf } from './caller-intent'

const call = (
  caller: string,
  service: string,
  account: string | null,
  namespace: string,
): Call => ({
  caller,
  service,
  port: 8080,
  allowed: false,
  perSecond: 1,
  perDay: 10,
  why: 'namespace market is closed to callers not listed',
  account,
  asks: 'GET /prices',
  listed: [],
  namespace,
})
const desk = call('market/desk', 'market/prices', 'desk', 'market')
const shop = call('shop/front', 'market/prices', 'front', 'shop')

describe('a caller rule', () => {
  it('lists who was chosen, and what it asks', () => {
    expect(
      callerIntent('bramble', desk, {
        methods: 'get, head',
        paths: '/prices',
        callers: ['market/desk'],
      }),
    ).toEqual({
      cluster: 'bramble',
      namespace: 'market',
      rule: {
        name: 'prices-desk',
        service: 'prices',
        callers: [{ serviceAccount: 'desk' }],
        requests: [{ methods: ['GET', 'HEAD'], paths: ['/prices'] }],
      },
    })
  })

  it('names the namespace of callers from elsewhere alone', () => {
    const { rule } = callerIntent('bramble', desk, {
      methods: '',
      paths: '',
      callers: ['market/desk', 'shop/front'],
    })
    expect(rule.callers).toEqual([
      { serviceAccount: 'desk' },
      { serviceAccount: 'front', namespace: 'shop' },
    ])
  })

  it('without methods and paths allows every request', () => {
    const { rule } = callerIntent('bramble', desk, { methods: ' ', paths: '', callers: [] })
    expect('requests' in rule).toBe(false)
    const some = callerIntent('bramble', desk, { methods: '', paths: '/a /b', callers: [] })
    expect(some.rule.requests).toEqual([{ paths: ['/a', '/b'] }])
  })

  it('has a name that the API takes, however long the two are called', () => {
    const long = call('market/x', `market/${'p'.repeat(63)}`, 'desk', 'market')
    const cut = call('market/x', `market/${'p'.repeat(62)}`, 'desk', 'market')
    for (const each of [long, cut]) {
      const { name } = callerIntent('bramble', each, { methods: '', paths: '', callers: [] }).rule
      expect(name.length).toBeLessThanOrEqual(63)
      expect(name).toMatch(/^[a-z0-9]([-a-z0-9]*[a-z0-9])?$/)
    }
  })

  it('offers the other callers of the service, each once, and none that runs as nobody', () => {
    const cells = [
      desk,
      shop,
      { ...shop, caller: 'shop/front-2' },
      call('198.51.100.7', 'market/prices', null, ''),
      call('shop/back', 'market/else', 'back', 'shop'),
    ]
    expect(callersBeside(desk, cells)).toEqual(['shop/front'])
    expect(cells.map(identityOf)).toEqual([
      'market/desk',
      'shop/front',
      'shop/front',
      null,
      'shop/back',
    ])
  })
})
