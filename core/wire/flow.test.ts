import fc from 'fast-check'
import { describe, expect, it } from 'vitest'
import type { HttpRouteObject } from '../objects'
import { flowOf, readCallers, readRoutes } from '.'

const routesOf = (weights: readonly number[]) => {
  const read = readRoutes([
    {
      path: '',
      object: {
        kind: 'HTTPRoute',
        metadata: { namespace: 'market', name: 'desk' },
        spec: {
          rules: [
            {
              matches: [{ path: { type: 'PathPrefix', value: '/desk' } }],
              backendRefs: weights.map((weight, i) => ({ name: `v${i + 1}`, weight })),
            },
          ],
        },
      } as HttpRouteObject,
    },
  ])
  if (!read.ok) throw new Error(read.says)
  return read.routes
}
const request = { host: 'desk', path: '/desk', method: 'GET', headers: {}, query: {} }
const query = {
  caller: { namespace: 'market', serviceAccount: 'broker' },
  perSecond: 100,
  request,
  seconds: 100,
  seed: 7,
}

describe('a flow', () => {
  it('is shared by weight, and a draw of it comes near', () => {
    const flow = flowOf(routesOf([3, 1]), readCallers([]), query)
    expect(flow.shares.map((share) => share.expected)).toEqual([75, 25])
    for (const share of flow.shares)
      expect(Math.abs(share.sampled - share.expected)).toBeLessThan(2)
    expect(flow.refusedPerSecond).toBe(0)
  })
  it('drawn with the same seed is the same, nothing is lost, and a weight of 0 gets nothing', () => {
    fc.assert(
      fc.property(
        fc.array(fc.nat(5), { minLength: 1, maxLength: 4 }),
        fc.nat(),
        fc.integer({ min: 1, max: 40 }),
        (weights, seed, seconds) => {
          fc.pre(weights.some((weight) => weight > 0))
          const once = flowOf(routesOf(weights), readCallers([]), { ...query, seed, seconds })
          expect(flowOf(routesOf(weights), readCallers([]), { ...query, seed, seconds })).toEqual(
            once,
          )
          expect(once.shares.reduce((sum, share) => sum + share.sampled, 0)).toBeCloseTo(100, 6)
          for (const [i, weight] of weights.entries())
            if (weight === 0) expect(once.shares[i]?.sampled).toBe(0)
        },
      ),
    )
  })
  it('of a caller that is refused is told as refused, by backend; one that no route takes wholly', () => {
    const closed = readCallers([
      {
        kind: 'Namespace',
        metadata: { name: 'market', labels: { 'gyrarch/callers': 'closed' } },
      } as never,
      {
        kind: 'CallerRule',
        metadata: { name: 'r', namespace: 'market' },
        spec: { service: 'v2', callers: [{ serviceAccount: 'broker' }] },
      } as never,
    ])
    const flow = flowOf(routesOf([3, 1]), closed, query)
    expect(flow.shares.map((share) => [share.allowed, share.by])).toEqual([
      [false, 'closed'],
      [true, ['market/r']],
    ])
    expect(flow.refusedPerSecond).toBe(75)
    expect(
      flowOf(routesOf([1]), closed, { ...query, request: { ...request, path: '/other' } }),
    ).toEqual({ route: null, rule: null, shares: [], refusedPerSecond: 100 })
  })
})
