/** Questions about the past, as callers put them: whatever they name, they are answered. */
import { afterAll, beforeAll, expect, it } from 'vitest'
import { Refusal } from '../changes/errors'
import { type Opened, openForTest } from '../testing/open'
import { sinceWhen, type SinceQuery } from './asked'

let opened: Opened
beforeAll(async () => {
  opened = await openForTest(undefined, true)
  await opened.gyrarch.outside.advance(7200)
})
afterAll(() => opened.close())

const asked = (query: SinceQuery): Promise<string> =>
  sinceWhen(opened.gyrarch, query).then(
    ({ is }) => is,
    (error: unknown) => (error instanceof Refusal ? error.code : String(error)),
  )

it('a walk between what is not there, or aimed at what is no cluster, ends with nobody there', async () => {
  const walks: readonly SinceQuery[] = [
    { from: '1', to: 'cedar', aim: 'c-1' },
    { from: 'tarn-north', to: 'tarn-north', aim: '' },
    { from: 'market/price-feed', to: 'market/price-feed', aim: 'constructor' },
    { from: 'lost:market/price-feed', to: 'constructor:market/price-feed' },
    { from: '__proto__:market/price-feed', to: '10.20.40.41' },
  ]
  for (const walk of walks) expect([walk, await asked(walk)]).toEqual([walk, 'nobody there'])
})

it('a picture of clusters that are not there can be handed on', async () => {
  const view = await opened.gyrarch.fleet.viewWith(['constructor', '__proto__', 'lost'])
  expect(Object.keys(structuredClone(view).objects ?? {})).toEqual([
    'constructor',
    '__proto__',
    'lost',
  ])
})
