import { describe, expect, it } from 'vitest'
import { gyrarchForAll, type Opened } from '../testing/open'

let opened: Opened
gyrarchForAll((made) => (opened = made))

const dill = async () => {
  const cluster = (await opened.gyrarch.fleet.view()).clusters.find(
    (cluster) => cluster.name === 'dill',
  )
  if (!cluster) throw new Error('no dill')
  return cluster
}
const machines = async () =>
  (await opened.gyrarch.fleet.view()).sites
    .find((site) => site.name === 'tarn-north')
    ?.machines.filter((machine) => machine.cluster === 'dill').length
const to = (iso: string) =>
  opened.gyrarch.outside.advance((Date.parse(iso) - opened.gyrarch.outside.now) / 1000)

describe('the rest calendar of dill', () => {
  it('lets it run by day, stops it at 20:00 in Berlin and starts it at 06:00', async () => {
    expect((await dill()).resting).toBe(false)
    await to('2026-03-02T18:55:00Z')
    expect({ resting: (await dill()).resting, machines: await machines() }).toEqual({
      resting: false,
      machines: 3,
    })
    await to('2026-03-02T19:10:00Z')
    expect({ resting: (await dill()).resting, machines: await machines() }).toEqual({
      resting: true,
      machines: 0,
    })
    const refused = await opened.gyrarch.changes.draft('pool.resize', {
      cluster: 'dill',
      pool: 'general',
      count: 3,
    })
    expect(
      refused.findings.some((finding) => finding.level === 'stop' && finding.says.includes('dill')),
    ).toBe(true)
    await to('2026-03-03T05:10:00Z')
    const after = await dill()
    expect({
      resting: after.resting,
      answers: after.apiAnswers,
      nodes: after.pools.reduce((sum, pool) => sum + pool.nodes.length, 0),
      machines: await machines(),
    }).toEqual({ resting: false, answers: true, nodes: 3, machines: 3 })
    expect(after.podCount).toBeGreaterThan(5)
    const changes = (await opened.gyrarch.changes.list())
      .filter((row) => row.title === 'rest calendar')
      .map((row) => [row.kind, row.state])
    expect(changes).toEqual([
      ['cluster.start', 'done'],
      ['cluster.stop', 'done'],
    ])
  })

  it('lets stand what a person does in between, until its next boundary', async () => {
    await to('2026-03-03T20:00:00Z')
    expect((await dill()).resting).toBe(true)
    const start = await opened.gyrarch.changes.draft('cluster.start', { cluster: 'dill' })
    await opened.gyrarch.changes.run(start.id, {
      accept: start.findings.map((finding) => finding.key),
    })
    await to('2026-03-03T22:00:00Z')
    expect((await dill()).resting).toBe(false)
    await to('2026-03-04T19:30:00Z')
    expect((await dill()).resting).toBe(true)
  })
})
