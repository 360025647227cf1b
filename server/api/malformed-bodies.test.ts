import fc from 'fast-check'
import { describe, expect, it } from 'vitest'
import { fernlet } from '~/core/testing/drafts'
import { askingForAll } from '../testing/asking'
import { soundBodies } from '../testing/bodies'
import { damaged } from '../testing/damaged'
import { routes } from './routes'

const { send, post, wellAnswered } = askingForAll()

const withBody = routes.filter((route) => route.body !== undefined)

describe('malformed bodies', () => {
  it.each(withBody.map((route) => [`${route.method} ${route.path}`, route] as const))(
    'sent to %s are answered with the field and the reason',
    async (_name, route) => {
      const drafted = await post('/changes', { kind: 'cluster.raise', intent: fernlet })
      const path = route.path.replace(':id', String(drafted.json['id']))
      const headers = { 'If-Match': '*' }
      const body = soundBodies[route.path] ?? {}
      await fc.assert(
        fc.asyncProperty(fc.oneof(damaged(body), damaged(body), fc.jsonValue()), async (wrong) => {
          // A clock that really runs for a month would be a test of patience.
          if (
            route.path === '/clock' &&
            typeof wrong === 'object' &&
            wrong !== null &&
            'advanceSeconds' in wrong &&
            typeof wrong.advanceSeconds === 'number' &&
            wrong.advanceSeconds > 100
          )
            return
          wellAnswered(await send(route.method, path, JSON.stringify(wrong), headers))
        }),
        { numRuns: 60 },
      )
      for (const text of ['', '{', 'null', '"text"', '[[[', '{"a":}', '\u0000'])
        wellAnswered(await send(route.method, path, text, headers))
    },
  )

  it('name the field', async () => {
    const answer = await post('/changes', {
      kind: 'cluster.raise',
      intent: { ...fernlet, pools: [{ name: 'general', size: 'reed-2-8', count: 'two' }] },
    })
    expect(answer.status).toBe(400)
    expect(answer.json.error?.fields[0]?.path).toBe('intent.pools[0].count')
    const unknown = await post('/changes', {
      kind: 'cluster.raise',
      intent: { ...fernlet, colour: 'green' },
    })
    expect(unknown.json.error?.fields[0]?.path).toBe('intent.colour')
  })

  it('over 8 MiB are too large, and of an unknown kind refused with those known', async () => {
    expect(
      (await send('post', '/changes', `{"kind":"${'x'.repeat(9 * 1024 * 1024)}"}`)).status,
    ).toBe(413)
    const answer = await post('/changes', { kind: 'cluster.grow', intent: {} })
    expect(answer.status).toBe(400)
    expect(answer.json.error?.says).toContain('cluster.raise')
  })
})
