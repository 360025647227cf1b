/** Judging by slices, and judgements that are kept. */
import { describe, expect, it, vi } from 'vitest'
import { kindNamed } from '~/core/kinds'
import { demoFleet } from '~/core/testing/demo-fleet'
import { gyrarchForEach, type Opened } from '../testing/open'
import * as judging from './judge'
import { frameOf, slicesOf, viewOf } from './slices'

let opened: Opened
gyrarchForEach((made) => {
  opened = made
})

function draftOf(kind: string, intent: unknown) {
  const read = kindNamed(kind)?.read(intent)
  if (!read?.ok) throw new Error(`${kind} does not read its intent`)
  return read.draft
}
const resize = { cluster: 'bramble', pool: 'base', count: 4 }

describe('a picture taken apart into slices', () => {
  it('is the same put together, and is judged alike', () => {
    const view = demoFleet()
    const sent = structuredClone(frameOf(view))
    const slices = new Map(
      [...slicesOf(view)].map(([key, value]) => [key, structuredClone(value)] as const),
    )
    const again = viewOf(sent, slices)
    expect(again.sites).toEqual(view.sites)
    expect(again.clusters).toEqual(view.clusters)
    expect(again.ledger).toEqual(view.ledger)
    expect(Object.keys(again.objects ?? {})).toEqual(Object.keys(view.objects ?? {}))
    const draft = draftOf('pool.resize', resize)
    expect(judging.judge(draft, again)).toEqual(judging.judge(draft, view))
  })

  it('shares what has not changed: nothing of a cluster that stays is sent twice', async () => {
    const { gyrarch } = opened
    const before = slicesOf(await gyrarch.fleet.view())
    gyrarch.fleet.touch(['cluster:bramble'])
    const after = slicesOf(await gyrarch.fleet.view())
    const fresh = [...after.keys()].filter((key) => after.get(key) !== before.get(key))
    expect(fresh.filter((key) => !key.startsWith('fleet/'))).toEqual(['cluster/bramble'])
  })
})

describe('a draft that is read again', () => {
  it('is judged once, until it or the fleet is another', async () => {
    const { changes, fleet } = opened.gyrarch
    const { id } = await changes.draft('pool.resize', resize)
    const judge = vi.spyOn(judging, 'judge')
    const reads = async (): Promise<number> => {
      judge.mockClear()
      await changes.get(id)
      return judge.mock.calls.length
    }
    await changes.get(id)
    expect(await reads()).toBe(0)
    fleet.touch(['cluster:bramble'])
    expect(await reads()).toBe(1)
    expect(await reads()).toBe(0)
    await changes.amend(id, { ...resize, count: 5 }, null)
    judge.mockRestore()
  })
})
