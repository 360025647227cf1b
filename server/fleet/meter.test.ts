import { describe, expect, it } from 'vitest'
import { gyrarchForEach, runOut, type Opened } from '~/server/testing/open'
import { meteredSpend, projectSpend, type SpendLine } from '~/core/spend'

let opened: Opened
gyrarchForEach((made) => {
  opened = made
})

const hour = 3_600_000
const begin = Date.parse('2026-03-02T06:00:00Z')
const metered = async (from: number, until: number) =>
  meteredSpend(await opened.gyrarch.fleet.view(), await opened.gyrarch.fleet.meters(), from, until)
const sum = (lines: readonly SpendLine[], wanted: Partial<SpendLine>): number =>
  lines
    .filter((line) =>
      Object.entries(wanted).every(([key, value]) => line[key as keyof SpendLine] === value),
    )
    .reduce((total, line) => total + line.units, 0)
const at = (): number => opened.gyrarch.outside.now

describe('metering', () => {
  it('of hours in which nothing changes is the projection of as many hours', async () => {
    await opened.gyrarch.outside.advance(3600 / 2)
    const view = await opened.gyrarch.fleet.view()
    const { lines } = await metered(begin, begin + hour / 2)
    const projected = projectSpend(
      { ...view, clusters: view.clusters.map((cluster) => ({ ...cluster, rest: null })) },
      begin,
      begin + hour / 2,
    )
    for (const site of view.sites)
      expect(sum(lines, { site: site.name }), site.name).toBeCloseTo(
        sum(projected.lines, { site: site.name }),
        9,
      )
    expect(sum(lines, { cluster: 'bramble', pool: 'general' })).toBeCloseTo(4 * 0.168 * 0.5, 9)
  })

  it('counts a machine from when it stands until it is given back, and a stopped cluster’s disks alone', async () => {
    const { gyrarch } = opened
    const drafted = await gyrarch.changes.draft('pool.resize', {
      cluster: 'dill',
      pool: 'general',
      count: 3,
    })
    await gyrarch.changes.run(drafted.id, {
      accept: drafted.findings.map((finding) => finding.key),
    })
    expect((await runOut(gyrarch, drafted.id)).state).toBe('done')
    const meters = await gyrarch.fleet.meters()
    const third = meters['tarn-north']?.find(
      (thing) => thing.what === 'machine' && thing.from !== '2026-03-02T06:00:00Z',
    )
    expect(third).toMatchObject({ cluster: 'dill', size: 'reed-4-16', until: null })
    const stopped = await gyrarch.changes.draft('cluster.stop', { cluster: 'dill' })
    await gyrarch.changes.run(stopped.id, {
      accept: stopped.findings.map((finding) => finding.key),
    })
    expect((await runOut(gyrarch, stopped.id)).state).toBe('done')
    const rested = at()
    await gyrarch.outside.advance(5 * 3600)
    const { lines } = await metered(rested, rested + 5 * hour)
    expect(sum(lines, { cluster: 'dill', what: 'machines' })).toBe(0)
    expect(sum(lines, { cluster: 'dill', what: 'disks' })).toBeGreaterThan(0)
    const ended =
      (await gyrarch.fleet.meters())['tarn-north']?.filter(
        (thing) => thing.what === 'machine' && thing.cluster === 'dill',
      ) ?? []
    expect(ended.length).toBe(4)
    for (const thing of ended) expect(Date.parse(thing.until ?? '')).toBeLessThanOrEqual(rested)
    const whole = (await metered(begin, at())).lines.find(
      (line) => line.cluster === 'dill' && line.what === 'machines' && line.pool === 'general',
    )
    const hours = ended
      .filter((thing) => thing.name.includes('general'))
      .reduce(
        (total, thing) => total + (Date.parse(thing.until ?? '') - Date.parse(thing.from)) / hour,
        0,
      )
    expect(whole?.hours).toBeCloseTo(hours, 9)
    expect(whole?.units).toBeCloseTo(hours * 0.118, 9)
  })

  it('leaves what was counted as it was when something else changes', async () => {
    await opened.gyrarch.outside.advance(7200)
    const before = await opened.gyrarch.fleet.meters()
    const drafted = await opened.gyrarch.changes.draft('pool.resize', {
      cluster: 'dill',
      pool: 'general',
      count: 3,
    })
    await opened.gyrarch.changes.run(drafted.id, {
      accept: drafted.findings.map((finding) => finding.key),
    })
    await runOut(opened.gyrarch, drafted.id)
    const after = await opened.gyrarch.fleet.meters()
    expect(after['tarn-north']?.slice(0, before['tarn-north']?.length)).toEqual(
      before['tarn-north'],
    )
    expect(after['palisade-east']).toEqual(before['palisade-east'])
  })
})
