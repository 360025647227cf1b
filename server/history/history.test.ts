/** The fleet as it was, against copies that were made at the time. */
import { rmSync } from 'node:fs'
import { join } from 'node:path'
import { afterEach, beforeEach, describe, expect, it } from 'vitest'
import { differencesIn, type Json, visibleTime } from '~/core/history'
import { seeded } from '~/core/units'
import { copyFolder, draftAndRun, type Opened, openForTest } from '../testing/open'
import { repeats } from '../testing/thorough'
import type { FleetPictures } from '../fleet/pictures'
import { Refusal } from '../changes/errors'
import { type History, stateAt } from './history'
import { Versions } from './versions'

const dayMs = 86_400_000
const moments = repeats(20, 8)
let opened: Opened
let history: History

beforeEach(async () => {
  opened = await openForTest(undefined, true)
  const kept = opened.gyrarch.history
  if (!kept) throw new Error('no history')
  history = kept
})
afterEach(() => opened.close())

/** Without what each looker writes for himself: when he looked, how often, and heartbeats that tell nothing new. */
function comparable(value: unknown): unknown {
  if (Array.isArray(value)) return value.map(comparable)
  if (typeof value !== 'object' || value === null) return value
  return Object.fromEntries(
    Object.entries(value)
      .filter(
        ([key, field]) =>
          field !== undefined && !['observedAt', 'lastHeartbeatTime', 'version'].includes(key),
      )
      .map(([key, field]) => [key, comparable(field)]),
  )
}

async function everythingIn(fleet: FleetPictures): Promise<unknown> {
  const view = await fleet.view()
  const clusters: Record<string, unknown> = {}
  for (const { name } of view.clusters)
    clusters[name] = {
      objects: await fleet.objectsOf(name),
      events: await fleet.eventsOf(name),
      traffic: await fleet.trafficOf(name),
    }
  return comparable({
    view: { ...view, objects: undefined, timings: undefined },
    clusters,
    meters: await fleet.meters(),
  })
}

describe('the fleet as it was', () => {
  it(`is what a copy made at that moment shows, at ${moments} moments of ${1.5 * moments} days with changes in between`, async () => {
    const { gyrarch } = opened
    const draw = seeded(13)
    const copies: { at: string; then: unknown; dir: string | null }[] = []
    const changes: readonly (readonly [string, unknown])[] = [
      ['pool.resize', { cluster: 'bramble', pool: 'base', count: 4 }],
      ['pool.resize', { cluster: 'bramble', pool: 'general', count: 5 }],
      ['cluster.stop', { cluster: 'sorrel' }],
      ['cluster.start', { cluster: 'sorrel' }],
      ['pool.resize', { cluster: 'bramble', pool: 'base', count: 3 }],
    ]
    for (let moment = 0; moment < moments; moment++) {
      await gyrarch.outside.advance(Math.round((1.5 * dayMs * (0.2 + 1.6 * draw())) / 1000))
      const change = moment % 4 === 1 ? changes[Math.floor(moment / 4)] : undefined
      if (change) await draftAndRun(gyrarch, change[0], change[1])
      if (moment % 5 === 2)
        await gyrarch.putFault({
          fault: 'machine-off',
          about: 'machine/mossgate/cedar-general-2',
          mode: 'transient',
          times: 1,
          afterSeconds: 60,
        })
      const at = new Date(gyrarch.outside.now).toISOString()
      const then = await everythingIn(gyrarch.fleet)
      const dir = moment % 8 === 5 ? copyFolder(opened.dir) : null
      copies.push({ at, then: JSON.parse(JSON.stringify(then)) as unknown, dir })
    }
    let turned = 0
    let last = ''
    for (const { at, then, dir } of copies) {
      const seen = await everythingIn(await history.at(at))
      expect(differencesIn('fleet', then as Json, seen as Json)).toEqual([])
      if (JSON.stringify(then) !== last) turned++
      last = JSON.stringify(then)
      if (dir === null) continue
      const copy = await openForTest(dir)
      // A copy without a clock of its own begins at the last moment that was written down.
      await copy.gyrarch.outside.advance((Date.parse(at) - copy.gyrarch.outside.now) / 1000)
      const copied = await everythingIn(copy.gyrarch.fleet)
      expect(differencesIn('fleet', copied as Json, seen as Json)).toEqual([])
      await copy.close()
      rmSync(dir, { recursive: true, force: true })
    }
    expect(turned).toBeGreaterThan(0.6 * moments)
    const { begins, bytes } = await history.extent()
    const days = (gyrarch.outside.now - Date.parse(begins ?? '')) / dayMs
    expect(bytes / days).toBeLessThan(4e6)
  })

  it('is refused before the history begins, after now, and at no time at all', async () => {
    const { gyrarch } = opened
    await gyrarch.fleet.view()
    const refused = async (at: string): Promise<unknown> =>
      history.at(at).then(
        () => null,
        (error: unknown) => (error instanceof Refusal ? error.code : error),
      )
    const now = gyrarch.outside.now
    gyrarch.fleet.touch(['cluster:cedar'])
    await gyrarch.watchers.atRest()
    expect(await refused(new Date(now - 1000).toISOString())).toBe('not-found')
    expect(await refused(new Date(now + 60_000).toISOString())).toBe('invalid')
    expect(await refused('yesterday')).toBe('invalid')
    expect(await refused(new Date(now).toISOString())).toBeNull()
  })

  it('says since when a node is not well, and what differed', async () => {
    const { gyrarch } = opened
    await gyrarch.outside.advance(3600)
    await gyrarch.putFault({
      fault: 'machine-off',
      about: 'machine/mossgate/cedar-general-2',
      mode: 'permanent',
      times: 1,
      afterSeconds: 0,
    })
    await gyrarch.outside.advance(7200)
    const ref = 'node/cedar/cedar-general-2'
    const since = await history.since({
      slices: await history.slicesOf(ref),
      answer: (fleet) => stateAt(fleet, ref),
    })
    expect(since?.is).toBe('broken')
    expect(since?.differences.some(({ about }) => about === ref)).toBe(true)
    const turned = Date.parse(since?.since ?? '')
    const before = await history.at(since?.before ?? '')
    expect(await stateAt(before, ref)).toBe(since?.was)
    expect(turned).toBeGreaterThan(Date.parse(since?.before ?? ''))
  })

  it('makes room by thinning what is old, and shows all as it was at one time', async () => {
    const { gyrarch, dir } = opened
    await gyrarch.outside.advance(9 * 86_400)
    await gyrarch.watchers.atRest()
    await gyrarch.close()
    const versions = await Versions.open(join(dir, 'history.sqlite'))
    const before = await versions.extent()
    const { now } = gyrarch.outside
    expect(await versions.prune(now, before.bytes * 2)).toBe(0)
    expect(await versions.prune(now, before.bytes)).toBeGreaterThan(0)
    const after = await versions.extent()
    expect(after.bytes).toBeLessThanOrEqual(before.bytes * 0.8)
    expect(await versions.thinnedAt()).toBe(now)
    // What is left can be read: nothing is gone that a later version is a difference against.
    for (const version of (await versions.standing(now)).values())
      if (version.state === 'known') expect(await versions.content(version)).not.toBeNull()
    expect(visibleTime(now - 8 * dayMs, now) % 3_600_000).toBe(0)
    expect(visibleTime(now - dayMs, now)).toBe(now - dayMs)
    await versions.close()
    opened = await openForTest(dir, true)
  })

  it('goes on after the program was ended, without a version twice', async () => {
    const { gyrarch, dir } = opened
    gyrarch.fleet.touch(['cluster:cedar'])
    await gyrarch.watchers.atRest()
    const before = await history.extent()
    const copy = copyFolder(dir)
    const again = await openForTest(copy, true)
    again.gyrarch.fleet.touch(['cluster:cedar'])
    await again.gyrarch.watchers.atRest()
    expect((await again.gyrarch.history?.extent())?.versions).toBe(before.versions)
    await again.close()
  })
})
