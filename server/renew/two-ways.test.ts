/** An upgrade in place beside a second cluster: what is said of each is what its draft says. */
import { describe, expect, it } from 'vitest'
import { gyrarchForEach, type Opened } from '../testing/open'
import { waysTo } from './two-ways'

let opened: Opened
gyrarchForEach((made) => {
  opened = made
})

describe('both ways of a cluster to a release', () => {
  it('are those of their drafts: time, what stands against them, and a second that can be raised', async () => {
    const { gyrarch } = opened
    const ways = await waysTo(gyrarch, { cluster: 'bramble', to: '1.34.1' })
    const raised = await gyrarch.changes.draft('cluster.raise', ways?.beside.second.raise)
    expect(raised.findings.filter(({ level }) => level === 'stop').map(({ says }) => says)).toEqual(
      ways?.beside.stops,
    )
    const upgrade = await gyrarch.changes.draft('cluster.upgrade', {
      cluster: 'bramble',
      to: '1.34.1',
      pools: [],
    })
    expect(ways?.inPlace.stops).toEqual(
      upgrade.findings.filter(({ level }) => level === 'stop').map(({ says }) => says),
    )
    expect(ways?.inPlace.seconds ?? null).toEqual(upgrade.plan?.seconds ?? null)
    const { name, site, pools } = ways?.beside.second.raise ?? {}
    expect([name, site]).toEqual(['bramble-next', 'palisade-east'])
    const bramble = (await gyrarch.fleet.view()).clusters.find((each) => each.name === 'bramble')
    expect(pools?.map((pool) => pool.name)).toEqual(
      bramble?.pools.filter(({ name }) => name !== 'control-plane').map((pool) => pool.name),
    )
  })

  it('cost more the longer both stand, by what the second costs an hour', async () => {
    const { gyrarch } = opened
    const [day, week] = await Promise.all(
      [86_400, 7 * 86_400].map((soakSeconds) =>
        waysTo(gyrarch, { cluster: 'dill', to: '1.34.1', soakSeconds }),
      ),
    )
    const perHour = day?.beside.second.perHour ?? 0
    expect(perHour).toBeGreaterThan(0)
    expect((week?.beside.spend ?? 0) - (day?.beside.spend ?? 0)).toBeCloseTo(6 * 24 * perHour, 6)
    expect(week?.inPlace).toEqual(day?.inPlace)
  })

  it('are none of a cluster or a release that nobody knows', async () => {
    expect(await waysTo(opened.gyrarch, { cluster: 'nobody', to: '1.34.1' })).toBeNull()
    expect(await waysTo(opened.gyrarch, { cluster: 'dill', to: '1.99' })).toBeNull()
  })
})
