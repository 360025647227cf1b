import { describe, expect, it } from 'vitest'
import { projectSpend } from '~/core/spend'
import { gyrarchForAll, runOut, type Opened } from '~/server/testing/open'

let opened: Opened
gyrarchForAll((made) => {
  opened = made
})

describe('prices', () => {
  it('are entered as a change, and what they cost follows; taken back, it is as before', async () => {
    const { gyrarch } = opened
    const month = async () => {
      const now = await gyrarch.fleet.view()
      return projectSpend(
        now,
        Date.parse('2026-03-01T00:00:00Z'),
        Date.parse('2026-04-01T00:00:00Z'),
      )
        .lines.filter((line) => line.cluster === 'bramble' && line.pool === 'general')
        .reduce((sum, line) => sum + line.units, 0)
    }
    const before = await month()
    const drafted = await gyrarch.changes.draft('spend.prices', {
      prices: [{ site: 'palisade-east', item: 'size/post-4-16', units: 0.336 }],
    })
    await gyrarch.changes.run(drafted.id, { accept: [] })
    expect((await runOut(gyrarch, drafted.id)).state).toBe('done')
    expect(await month()).toBeCloseTo(2 * before, 9)
  })
})
