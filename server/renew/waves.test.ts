/** Several clusters to one release: what drives others first, each in its window; one that halts keeps the next from beginning. */
import { describe, expect, it } from 'vitest'
import type { FleetView } from '~/core/fleet'
import { gyrarchForEach, type Opened } from '../testing/open'
import { lanesIntent, lanesOf, usualWaves } from '~/core/releases/changes'

let opened: Opened
gyrarchForEach((made) => {
  opened = made
})

async function asked(): Promise<FleetView> {
  const { gyrarch } = opened
  const plain = await gyrarch.fleet.view()
  return gyrarch.fleet.viewFor(
    plain.clusters.map(({ name }) => name),
    [],
    true,
  )
}

async function lanesTo(names: readonly string[], to: string) {
  const view = await asked()
  return lanesOf(view, usualWaves(view, names, to), to, 1, 600)
}

describe('waves', () => {
  it('lay the driver before those it drives, whole inside an occurrence of their windows', async () => {
    const lanes = await lanesTo(['cedar', 'bramble', 'alder', 'burdock'], '1.34')
    expect(lanes.map(({ cluster, wave }) => [cluster, wave])).toEqual([
      ['alder', 1],
      ['bramble', 1],
      ['cedar', 2],
      ['burdock', 2],
    ])
    const of = (name: string) => lanes.find(({ cluster }) => cluster === name)
    const [alder, cedar] = [of('alder')?.laid, of('cedar')?.laid]
    if (!alder || !cedar) throw new Error('they are not laid')
    expect(Date.parse(cedar.start)).toBeGreaterThanOrEqual(Date.parse(alder.end))
    for (const { laid, open } of lanes)
      if (laid)
        expect(open.some(({ start, end }) => start <= laid.start && laid.end <= end)).toBe(true)
    expect([of('burdock')?.laid, of('burdock')?.window]).toEqual([null, null])
    expect(of('burdock')?.why).toMatch(/window/)
  })

  it('leave out what runs it already, and say where there is no way', async () => {
    expect(await lanesTo(['bramble'], '1.33.0')).toEqual([])
    expect(await lanesTo(['alder', 'nobody'], '1.99')).toEqual([])
  })

  it('run as one change, each when its window opens; one that cannot begin halts the rest', async () => {
    const { gyrarch } = opened
    const lanes = await lanesTo(['alder', 'dill'], '1.34')
    const { id, findings } = await gyrarch.changes.draft(
      'fleet.upgrade',
      lanesIntent(lanes, 1, 600),
    )
    expect(findings.filter(({ level }) => level === 'stop')).toEqual([])
    const laid = lanes.find(({ cluster }) => cluster === 'alder')?.laid
    await gyrarch.changes.run(id, {
      accept: findings.map(({ key }) => key),
      confirm: ['alder', 'dill'],
    })
    const start = Date.parse(laid?.start ?? '')
    await gyrarch.outside.advance((start - gyrarch.outside.now) / 1000 - 60)
    const release = async (name: string) =>
      (await gyrarch.fleet.view()).clusters.find((cluster) => cluster.name === name)?.release
    expect(await release('alder')).toMatch(/^1\.33/)
    for (let hours = 0; hours < 12; hours++) {
      if ((await gyrarch.changes.get(id)).state !== 'running') break
      await gyrarch.outside.advance(3600)
    }
    // On Saturday night dill rests: it halts, and what was done before it stays.
    const ended = await gyrarch.changes.get(id)
    expect([ended.state, ended.cause?.says]).toEqual([
      'halted',
      expect.stringContaining('dill is stopped: start it first') as string,
    ])
    expect(await release('alder')).toBe(lanes[0]?.to)
    expect(await release('dill')).toMatch(/^1\.33/)
  })
})
