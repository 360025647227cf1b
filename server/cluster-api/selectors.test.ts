import { describe, expect, it } from 'vitest'
import { fieldTest, labelTest, testOf } from './selectors'
import { ApiRefusal } from './status'

const object = (labels: Record<string, string>) => ({
  metadata: { name: 'price-feed-1', namespace: 'market', labels },
  spec: { nodeName: 'bramble-base-1' },
  status: { phase: 'Running' },
})

describe('a label selector', () => {
  const priceFeed = object({ app: 'price-feed', 'gyrarch/pool': 'base' })
  it.each([
    ['app=price-feed', true],
    ['app==price-feed', true],
    ['app!=price-feed', false],
    ['tier!=front', true],
    ['app in (price-feed, desk)', true],
    ['app notin (desk)', true],
    ['app notin (price-feed)', false],
    ['tier notin (front)', true],
    ['gyrarch/pool', true],
    ['!gyrarch/pool', false],
    ['!tier,app in (price-feed)', true],
    ['app=', false],
    ['constructor', false],
  ])('%s', (selector, matches) => {
    expect(labelTest(selector)?.(priceFeed)).toBe(matches)
  })

  it.each(['!!app', 'app in price', 'a b', '-app', 'app in (x y)', 'app=a=b', ','])(
    '“%s” is refused',
    (selector) => {
      expect(() => labelTest(selector)).toThrow(ApiRefusal)
    },
  )

  it('is read up to 10,000 terms', () => {
    const terms = (count: number) => Array.from({ length: count }, (_, i) => `!k${i}`).join(',')
    expect(labelTest(terms(10_000))?.(priceFeed)).toBe(true)
    expect(() => labelTest(terms(10_001))).toThrow(/no more than 10000/)
  })
})

describe('a field selector', () => {
  const pod = object({})
  it('takes the fields of its kind', () => {
    expect(fieldTest('spec.nodeName=bramble-base-1,status.phase!=Pending', 'Pod')?.(pod)).toBe(true)
    expect(fieldTest('metadata.namespace=climate', 'ConfigMap')?.(pod)).toBe(false)
  })

  it('refuses others, by name', () => {
    expect(() => fieldTest('spec.nodeName=x', 'ConfigMap')).toThrow(/spec\.nodeName/)
    expect(() => fieldTest('spec.nodeName', 'Pod')).toThrow(ApiRefusal)
  })
})

it('nothing selected is no test at all', () => {
  expect(testOf(new URLSearchParams('labelSelector=&fieldSelector='), 'Pod')).toBeNull()
})
