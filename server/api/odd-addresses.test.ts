import fc from 'fast-check'
import { describe, expect, it } from 'vitest'
import { askingForAll } from '../testing/asking'
import { routes } from './routes'

const { send, wellAnswered } = askingForAll()

describe('odd addresses', () => {
  it.each(
    routes
      .filter((route) => route.path.includes(':'))
      .map((route) => [`${route.method} ${route.path}`, route] as const),
  )('of %s are answered', async (_name, route) => {
    await fc.assert(
      fc.asyncProperty(
        fc.oneof(
          fc.string({ minLength: 1, maxLength: 60 }),
          fc.constantFrom(
            'c-0',
            'c-99999999999999999999',
            'c--1',
            '..',
            '%',
            '%00',
            '__proto__',
            'constructor',
          ),
        ),
        async (odd) => {
          const path = route.path.replace(/:\w+/, () =>
            odd.startsWith('%') ? odd : encodeURIComponent(odd),
          )
          wellAnswered(
            await send(route.method, path, route.method === 'get' ? undefined : '{}', {
              'If-Match': '"1"',
            }),
          )
        },
      ),
      { numRuns: 25 },
    )
  })

  it('and queries that are none are refused or ignored', async () => {
    for (const query of [
      '?after=x',
      '?after=-1',
      '?limit=1e9',
      '?after=1&after=2',
      '?limit=0',
      '?after[]=1',
    ])
      wellAnswered(await send('get', `/events${query}`))
    wellAnswered(await send('get', '/clusters/cedar/objects?kind[]=a&namespace=%00'))
    expect((await send('get', '/nothing')).status).toBe(404)
    expect((await send('post', '/compute/fortune', '{}')).status).toBe(404)
  })
})
