/** Forms of answers: tables, what a client takes, tokens. */
import { describe, expect, it } from 'vitest'
import { formOf } from './accept'
import { isAsked } from './request'
import { ApiRefusal } from './status'
import { tableOf } from './tables'
import { readToken, signToken } from './tokens'

const now = Date.parse('2026-03-02T06:00:00Z')

describe('a table', () => {
  const ages = (seconds: number): unknown => {
    const creationTimestamp = new Date(now - seconds * 1000).toISOString()
    const object = { metadata: { name: 'settings', creationTimestamp } }
    const rows = tableOf('ConfigMap', [object], {}, { now, included: 'None' })['rows']
    return (rows as { readonly cells: readonly unknown[] }[])[0]?.cells[1]
  }
  it.each([
    [5, '5s'],
    [119, '119s'],
    [125, '2m5s'],
    [3600, '60m'],
    [4 * 3600 + 600, '4h10m'],
    [30 * 3600, '30h'],
    [3 * 86_400, '3d'],
    [400 * 86_400, '400d'],
  ])('shows an age of %i s as %s', (seconds, text) => {
    expect(ages(seconds)).toBe(text)
  })

  it('tells of a pod why it waits, and how often it was started again', () => {
    const pod = {
      metadata: { name: 'price-feed-1', creationTimestamp: new Date(now - 5000).toISOString() },
      spec: { containers: [{ name: 'a' }, { name: 'b' }] },
      status: {
        phase: 'Pending',
        containerStatuses: [
          { ready: true, restartCount: 2, state: { running: {} } },
          { ready: false, restartCount: 1, state: { waiting: { reason: 'ImagePullBackOff' } } },
        ],
      },
    }
    const { rows } = tableOf('Pod', [pod], {}, { now, included: 'Metadata' }) as {
      readonly rows: readonly { readonly cells: unknown; readonly object: unknown }[]
    }
    expect(rows[0]?.cells).toEqual(['price-feed-1', '1/2', 'ImagePullBackOff', '3', '5s'])
    expect(rows[0]?.object).toMatchObject({ kind: 'PartialObjectMetadata' })
  })
})

it('the first form that is made here is taken', () => {
  expect(formOf(undefined)).toBe('object')
  expect(formOf('application/json;as=Table;v=v1;g=meta.k8s.io,application/json')).toBe('table')
  expect(formOf('application/vnd.kubernetes.protobuf,application/json')).toBe('object')
  expect(formOf('application/json;as=PartialObjectMetadataList;v=v1;g=meta.k8s.io')).toBe(
    'metadata',
  )
  expect(() => formOf('text/html')).toThrow(ApiRefusal)
  expect(() => formOf('application/json;as=Table;v=v9;g=meta.k8s.io')).toThrow(ApiRefusal)
})

describe('a token', () => {
  const key = Buffer.alloc(32, 7)
  const claims = { cluster: 'cedar', subject: 'duty', until: Date.now() + 60_000 }

  it('is another each time, and says whose it is', () => {
    const [first, second] = [signToken(key, claims), signToken(key, claims)]
    expect(first).not.toBe(second)
    expect(readToken(key, 'cedar', first)?.subject).toBe('duty')
  })

  it('is nothing once it is changed, ended, of another key or cluster, or no token', () => {
    const token = signToken(key, claims)
    const [body = '', signature = ''] = token.split('.')
    const forged = Buffer.from(JSON.stringify({ ...claims, subject: 'root', nonce: 'x' }))
    const wrong = [
      `${forged.toString('base64url')}.${signature}`,
      `${body}.`,
      `${token}.x`,
      'x'.repeat(5000),
      '',
      signToken(key, { ...claims, until: Date.now() - 1 }),
      signToken(Buffer.alloc(32, 8), claims),
    ]
    expect(wrong.map((each) => readToken(key, 'cedar', each))).toEqual(wrong.map(() => null))
    expect(readToken(key, 'alder', token)).toBeNull()
  })
})

describe('a parameter of a request', () => {
  it.each([
    ['watch=true', true],
    ['watch=True', true],
    ['watch=1', true],
    ['watch=', true],
    ['watch=false', false],
    ['watch=False', false],
    ['watch=0', false],
    ['', false],
  ])('%s asks for it: %s', (query, isIt) =>
    expect(isAsked(new URLSearchParams(query), 'watch')).toBe(isIt),
  )
})
