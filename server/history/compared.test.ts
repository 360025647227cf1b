import { afterEach, beforeEach, describe, expect, it } from 'vitest'
import { actingAs } from '../actor'
import { type Opened, openForTest, draftAndRun } from '../testing/open'
import { compared } from './compared'

let opened: Opened
beforeEach(async () => {
  opened = await openForTest(undefined, true)
})
afterEach(() => opened.close())

const iso = (ms: number): string => new Date(ms).toISOString()

describe('two moments', () => {
  it('differ by what a run did in between, and say who began it', async () => {
    const { gyrarch } = opened
    await gyrarch.outside.advance(60)
    const before = gyrarch.outside.now
    const done = await actingAs('person', () =>
      draftAndRun(gyrarch, 'node.cordon', {
        cluster: 'cedar',
        node: 'cedar-general-2',
        open: false,
      }),
    )
    expect(done.state).toBe('done')
    await gyrarch.outside.advance(120)
    const answer = await compared(gyrarch, iso(gyrarch.outside.now), iso(before))
    expect([answer.from, answer.until]).toEqual([iso(before), iso(gyrarch.outside.now)])
    expect(answer.differences).toContainEqual(
      expect.objectContaining({
        about: 'node/cedar/cedar-general-2',
        field: expect.stringMatching(/cordoned/) as string,
        before: false,
        after: true,
      }),
    )
    expect(answer.changes).toMatchObject([{ id: done.id, by: 'person' }])
    const elsewhere = await compared(
      gyrarch,
      iso(before),
      iso(gyrarch.outside.now),
      'node/cedar/cedar-general-1',
    )
    expect(elsewhere.differences).toEqual([])
  })

  it('before anything was observed cannot be compared', async () => {
    const { gyrarch } = opened
    await gyrarch.outside.advance(60)
    await expect(compared(gyrarch, '2020-01-01T00:00:00Z', '2020-01-02T00:00:00Z')).rejects.toThrow(
      /history begins/,
    )
  })
})
