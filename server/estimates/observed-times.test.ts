/** Estimates that learn from runs. */
import { describe, expect, it } from 'vitest'
import {
  copyFolder,
  draftAndRun,
  fernlet,
  gyrarchForEach,
  type Opened,
  openForTest,
} from '../testing/open'

let opened: Opened
gyrarchForEach((made) => {
  opened = made
})

const took = ({ startedAt, endedAt }: { startedAt: string | null; endedAt: string | null }) =>
  (Date.parse(endedAt ?? '') - Date.parse(startedAt ?? '')) / 1000

describe('estimates', () => {
  it('after twenty raises at a site that is slowed by half are within 15 % of what is observed', async () => {
    const { gyrarch } = opened
    await gyrarch.putFault({
      fault: 'site-slow',
      about: `site/${fernlet.site}`,
      mode: 'permanent',
      times: 1,
      afterSeconds: 0,
    })
    const before = await gyrarch.changes.draft('cluster.raise', fernlet)
    const seconds: number[] = []
    for (let round = 0; round < 20; round++) {
      const run = await draftAndRun(gyrarch, 'cluster.raise', fernlet, 6)
      expect(run.state).toBe('done')
      seconds.push(took(run))
      await draftAndRun(gyrarch, 'cluster.takedown', { cluster: fernlet.name }, 6)
    }
    const { plan } = await gyrarch.changes.draft('cluster.raise', fernlet)
    const last = await draftAndRun(gyrarch, 'cluster.raise', fernlet, 6)
    const likely = plan?.seconds.likely ?? 0
    expect(Math.abs(likely - took(last)) / took(last)).toBeLessThan(0.15)
    // What was assumed beforehand is further off.
    const assumed = before.plan?.seconds.likely ?? 0
    expect(Math.abs(assumed - took(last)) / took(last)).toBeGreaterThan(0.2)
    // Most runs end within the worst.
    const worst = plan?.seconds.worst ?? 0
    expect(seconds.filter((each) => each <= worst).length).toBeGreaterThanOrEqual(18)
    const learnt = (plan?.steps ?? []).filter((step) => (step.seconds.runs ?? 0) >= 20)
    expect(learnt.length).toBeGreaterThan(0)
    const accuracy = await gyrarch.times.accuracy()
    const creates = accuracy.find(
      ({ verb, site }) => verb === 'machine.create' && site === fernlet.site,
    )
    // One at least was retried, and then says nothing of how long it takes.
    expect(creates?.runs).toBeGreaterThanOrEqual(19)
    expect(creates?.next?.likely).toBeGreaterThan(creates?.predicted ?? Infinity)
  })

  it('are remembered by the program that is started again', async () => {
    const { gyrarch, dir } = opened
    await draftAndRun(gyrarch, 'pool.resize', { cluster: 'bramble', pool: 'base', count: 4 })
    const { timings } = gyrarch.times
    expect(Object.keys(timings).length).toBeGreaterThan(0)
    const copy = copyFolder(dir)
    const again = await openForTest(copy)
    expect(again.gyrarch.times.timings).toEqual(timings)
    await again.close()
  })
})
