import { mkdtempSync, rmSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { afterEach, beforeEach, describe, expect, it } from 'vitest'
import { rowanMachine } from '../../testing/machine'
import { demoScenario } from './demo'
import { Engine } from './engine'
import { inThisThread } from './engine-link'
import type { ConnectorListener } from '~/core/contract'
import { Outside } from './outside'
import { type ClockKeeper } from './clock-keeper'

// Without load nothing follows the time of day: what happens is what is asked for.
const scenario = {
  ...demoScenario(),
  loads: [],
  workloads: demoScenario().workloads.filter((workload) => workload.kind !== 'CronJob'),
}

const start = Date.parse(scenario.start)
let dir: string
let outside: Outside

const open = (notBefore = 0): Promise<Outside> =>
  Outside.open({ dir, link: inThisThread(), scenario, nodes: 0, notBefore })

/** A listener that notes what it is told. */
function ear(wakes: number[] = []) {
  const heard = {
    ended: [] as [string, number][],
    changed: [] as string[],
    woken: [] as number[],
    evidence: [] as string[],
  }
  const keeper: ClockKeeper = {
    atRest: async () => undefined,
    wakeAt: () => wakes[0] ?? null,
    woken: (now) => {
      heard.woken.push(now)
      wakes.shift()
    },
    clock: () => undefined,
    failed: (error) => {
      throw error
    },
  }
  const listener: ConnectorListener = {
    evidence: (_key, evidence) => void heard.evidence.push(evidence.at(-1)?.says ?? ''),
    ended: (key, outcome) => void heard.ended.push([key, outcome.at]),
    changed: (slices) => void heard.changed.push(...slices),
  }
  return {
    heard,
    listenTo: (connected: Outside) => {
      connected.keep(keeper)
      connected.connect(listener)
    },
  }
}

beforeEach(async () => {
  dir = mkdtempSync(join(tmpdir(), 'gyrarch-outside-'))
  outside = await open()
})
afterEach(async () => {
  await outside.close()
  rmSync(dir, { recursive: true, force: true })
})

describe('the clock', () => {
  it('begins where the scenario does, and goes exactly as far as it is told', async () => {
    expect(outside.now).toBe(start)
    await outside.advance(90.5)
    expect(outside.now).toBe(start + 90_500)
  })

  it('stops where the runner wants to be woken', async () => {
    const { heard, listenTo } = ear([start + 10_000, start + 25_000])
    listenTo(outside)
    await outside.advance(60)
    expect(heard.woken).toEqual([start + 10_000, start + 25_000])
    expect(outside.now).toBe(start + 60_000)
  })

  it('steps to the next event, or stays if nothing will happen', async () => {
    await outside.toNextEvent()
    expect(outside.now).toBe(start)
    await outside.issue('a', 'machine.create', rowanMachine('rowan-1'))
    await outside.toNextEvent()
    expect(outside.now).toBeGreaterThan(start)
    expect(await outside.lookup('a')).toMatchObject({
      known: true,
      ended: false,
      evidence: [{ says: 'created in east-1' }],
    })
  })

  it('calm, hurries while something runs and rests after, but never starts a paused clock', async () => {
    expect([outside.speed, outside.calm]).toEqual([1, true])
    await outside.busy(true)
    expect(outside.speed).toBe(60)
    await outside.busy(false)
    expect(outside.speed).toBe(1)
    await outside.setSpeed(600)
    await outside.busy(true)
    expect(outside.speed).toBe(600)
    // What a person chose stays when the change has ended.
    await outside.busy(false)
    expect(outside.speed).toBe(600)
    await outside.setSpeed(1)
    await outside.busy(true)
    await outside.setSpeed(600)
    await outside.busy(false)
    expect(outside.speed).toBe(600)
    await outside.setSpeed(0)
    await outside.busy(true)
    expect(outside.speed).toBe(0)
    await outside.setCalm(false)
    await outside.setSpeed(1)
    await outside.busy(true)
    expect(outside.speed).toBe(1)
  })
})

describe('commands', () => {
  it('end at their own time, which the listener is told, with evidence and what changed', async () => {
    const { heard, listenTo } = ear()
    listenTo(outside)
    await outside.issue('a', 'machine.create', rowanMachine('rowan-1'))
    await outside.advance(600)
    expect(heard.ended).toHaveLength(1)
    expect(heard.ended[0]?.[1]).toBeLessThan(start + 600_000)
    expect(heard.evidence.at(-1)).toBe('disk of 60 GB cloned from fern-base 1.33.2')
    expect(heard.changed).toContain('site:palisade-east')
  })

  it('under a repeated key are done once, and the first result is told again', async () => {
    const { heard, listenTo } = ear()
    listenTo(outside)
    await outside.issue('a', 'machine.create', rowanMachine('rowan-1'))
    await outside.advance(600)
    await outside.issue('a', 'machine.create', rowanMachine('rowan-2'))
    await outside.advance(600)
    expect(heard.ended.map(([key]) => key)).toEqual(['a', 'a'])
    expect(
      (await outside.site('palisade-east'))?.machines
        .filter((otherMachine) => otherMachine.cluster === 'rowan')
        .map((otherMachine) => otherMachine.name),
    ).toEqual(['rowan-1'])
  })

  it('that were never given are not known', async () =>
    expect(await outside.lookup('lost')).toEqual({ known: false }))
})

describe('opened again', () => {
  it('goes on at the same time, in the same world, with the same speed', async () => {
    await outside.issue('a', 'machine.create', rowanMachine('rowan-1'))
    await outside.setSpeed(60)
    await outside.advance(20)
    const before = await outside.site('palisade-east')
    await outside.close()
    outside = await open()
    expect([outside.now, outside.speed]).toEqual([start + 20_000, 60])
    expect(await outside.site('palisade-east')).toEqual(before)
    expect(await outside.lookup('a')).toMatchObject({ known: true, ended: false })
  })

  it('without having been closed, repeats its log, and never wakes up before what the records know', async () => {
    await outside.issue('a', 'machine.create', rowanMachine('rowan-1'))
    await outside.advance(300)
    await outside.issue('b', 'machine.boot', { site: 'palisade-east', name: 'rowan-1' })
    await outside.advance(300)
    const before = await outside.site('palisade-east')
    const twin = await open(start + 600_000)
    expect(twin.now).toBe(start + 600_000)
    expect(await twin.site('palisade-east')).toEqual(before)
    expect(await twin.lookup('b')).toMatchObject({ known: true, ended: true })
    await twin.close()
  })

  it('reads a world that was stored before sites had name servers and clusters certificates', async () => {
    const engine = new Engine()
    engine.answer({ what: 'build', scenario: demoScenario(), seed: 1, nodes: 0, at: start })
    const later = [
      'routes',
      'nameServers',
      'timeServers',
      'records',
      'storageClasses',
      'bootData',
      'published',
      'balancers',
      'credentials',
      'certificatesUntil',
      'backups',
    ]
    const chunks = (
      engine.answer({ what: 'chunks', all: true }) as readonly { name: string; body: string }[]
    ).map(({ name, body }) => ({
      name,
      body:
        name === 'core'
          ? body
          : JSON.stringify(
              Object.fromEntries(
                Object.entries(JSON.parse(body) as Record<string, unknown>).filter(
                  ([key]) => !later.includes(key),
                ),
              ),
            ),
    }))
    const restored = new Engine()
    restored.answer({ what: 'restore', chunks })
    expect(restored.answer({ what: 'site', name: 'mossgate' })).toMatchObject({
      routes: [],
      nameServers: [],
      bootData: { limitBytes: null },
    })
    expect(restored.answer({ what: 'cluster', name: 'cedar' })).toMatchObject({
      apiAnswers: true,
      backups: [],
    })
  })
})
