/** Sets of changes: in order, so many at once, with soaks and conditions; killed at any moment they go on as they say. */
import { describe, expect, it } from 'vitest'
import type { Gyrarch } from '../gyrarch'
import { copyFolder, draftAndRun, gyrarchForEach, type Opened, openForTest } from '../testing/open'
import { repeats } from '../testing/thorough'
import { Refusal } from './errors'
import type { ChangeRecord } from './record'

let opened: Opened
gyrarchForEach((made) => {
  opened = made
})

const window = (name: string) => ({
  kind: 'window.set',
  intent: {
    name,
    start: '2026-03-03T23:00',
    zone: 'Europe/Lisbon',
    minutes: 90,
    clusters: ['dill'],
  },
})
const resize = (cluster: string, pool: string, count: number) => ({
  kind: 'pool.resize',
  intent: { cluster, pool, count },
})

async function begun(gyrarch: Gyrarch, intent: object): Promise<string> {
  const record = await gyrarch.changes.draft('set.run', intent)
  expect(record.findings.filter(({ level }) => level === 'stop')).toEqual([])
  await gyrarch.changes.run(record.id, {
    accept: record.findings.map(({ key }) => key),
    confirm: record.guards,
    ...(record.planDigest === null ? {} : { planDigest: record.planDigest }),
  })
  return record.id
}

async function settled(gyrarch: Gyrarch, id: string, hours = 4): Promise<ChangeRecord> {
  const seconds = hours > 8 ? 1800 : 60
  for (let passed = 0; passed < hours * 3600; passed += seconds) {
    const record = await gyrarch.changes.get(id)
    const isOpen = record.children.some(({ state }) => ['running', 'undoing'].includes(state))
    if (!['running', 'undoing', 'waiting'].includes(record.state) && !isOpen) return record
    await gyrarch.outside.advance(seconds)
  }
  return gyrarch.changes.get(id)
}

const states = (record: ChangeRecord): readonly string[] =>
  record.children.map(({ state }) => state)

/** Eight, of which the third fails for as long as machines are not to be had. */
const eight = {
  label: 'spring work',
  drafts: [
    window('one'),
    resize('alder', 'core', 4),
    resize('bramble', 'general', 5),
    window('four'),
    window('five'),
    resize('bramble', 'base', 4),
    window('seven'),
    window('eight'),
  ],
}

async function withoutMachines(gyrarch: Gyrarch): Promise<string> {
  return gyrarch.putFault({
    fault: 'machine-unavailable',
    about: 'site/palisade-east',
    mode: 'permanent',
    times: 1,
    afterSeconds: 0,
  })
}

describe('a set of changes', () => {
  it('is judged member by member, each by the fleet that those before it leave', async () => {
    const { changes } = opened.gyrarch
    const record = await changes.draft('set.run', {
      drafts: [resize('bramble', 'base', 4), resize('bramble', 'base', 4)],
    })
    expect(record.findings.map(({ level, field }) => `${level} ${field ?? ''}`)).toContain(
      'stop drafts[1].intent.count',
    )
    const good = await changes.draft('set.run', eight)
    expect(good.guards).toEqual(['alder', 'bramble'])
    expect(good.plan?.steps.map(({ id }) => id.split('/')[0])).toEqual(
      expect.arrayContaining(['0', '1', '2', '3', '4', '5', '6', '7']),
    )
    // In order: the first step of each waits for the last of the one before.
    expect(good.plan?.steps.find(({ id }) => id.startsWith('3/'))?.after[0]).toMatch(/^2\//)
  })

  it('needs every name that is guarded, and is refused what is unreadable', async () => {
    const { changes } = opened.gyrarch
    const record = await changes.draft('set.run', eight)
    const accept = record.findings.map(({ key }) => key)
    const refused = await changes
      .run(record.id, { accept, confirm: 'alder' })
      .catch((error: unknown) => error)
    expect(refused instanceof Refusal && refused.fields).toEqual([
      { path: 'confirm', says: 'must be bramble' },
    ])
    const bad = await changes.draft('set.run', {
      drafts: [
        { kind: 'window.set', intent: {} },
        { kind: 'no.kind', intent: {} },
      ],
    })
    expect(bad.findings.map(({ rule }) => rule)).toEqual(
      expect.arrayContaining(['draft.0.readable.0', 'draft.1.kind']),
    )
  })

  it('runs in order and is proven by its members; taken back, it goes back in reverse', async () => {
    const { gyrarch } = opened
    const id = await begun(gyrarch, {
      drafts: [window('one'), resize('bramble', 'base', 4), window('three')],
    })
    const done = await settled(gyrarch, id)
    expect([done.state, ...states(done)]).toEqual(['done', 'done', 'done', 'done'])
    expect(done.proof?.every(({ holds }) => holds)).toBe(true)
    const [first, second, third] = done.children
    expect((second?.startedAt ?? '') >= (first?.endedAt ?? '~')).toBe(true)
    expect((third?.startedAt ?? '') >= (second?.endedAt ?? '~')).toBe(true)
    await gyrarch.changes.takeBack(id, ['bramble'])
    const back = await settled(gyrarch, id)
    expect([back.state, ...states(back)]).toEqual([
      'taken-back',
      'taken-back',
      'taken-back',
      'taken-back',
    ])
    const [a, b, c] = back.children.map(({ endedAt }) => endedAt ?? '')
    expect([a, b, c].sort()).toEqual([c, b, a])
    expect((await gyrarch.fleet.view()).windows?.map(({ name }) => name)).not.toContain('one')
  })

  it('begins no more at once than it says, and nothing before the soak is over', async () => {
    const { gyrarch } = opened
    const id = await begun(gyrarch, {
      drafts: [window('one'), window('two')],
      soakSeconds: 1800,
    })
    const done = await settled(gyrarch, id)
    const [first, second] = done.children
    const waited = Date.parse(second?.startedAt ?? '') - Date.parse(first?.endedAt ?? '')
    expect(waited / 1000).toBeGreaterThanOrEqual(1800)
    expect(waited / 1000).toBeLessThan(1830)
    const both = await begun(gyrarch, {
      drafts: [resize('bramble', 'base', 4), resize('alder', 'core', 4), window('three')],
      atOnce: 2,
    })
    await gyrarch.outside.advance(1)
    expect(states(await gyrarch.changes.get(both))).toEqual(['running', 'running'])
    expect((await settled(gyrarch, both)).state).toBe('done')
  })

  it('waits for the window of a member', async () => {
    const { gyrarch } = opened
    const id = await begun(gyrarch, {
      drafts: [window('one'), { ...resize('bramble', 'base', 4), window: 'cloud mornings' }],
    })
    const done = await settled(gyrarch, id, 48)
    expect(done.state).toBe('done')
    expect(done.children[1]?.startedAt).toBe('2026-03-03T04:00:00.000Z')
  })

  it('halts where what it requires does not hold', async () => {
    const { gyrarch } = opened
    await gyrarch.expectations.keep({
      name: 'nobody reaches this',
      from: { pod: 'climate/weather-relay', cluster: 'bramble' },
      to: { address: '192.0.2.1' },
      port: 443,
      delivered: true,
    })
    const id = await begun(gyrarch, { drafts: [window('one'), window('two')], requires: 'walks' })
    const record = await settled(gyrarch, id)
    expect([record.state, record.cause?.code, ...states(record)]).toEqual([
      'halted',
      'set.walks-broken',
      'done',
    ])
  })

  it('waits for its author where something stops a member in its turn, and goes on once told to', async () => {
    const { gyrarch } = opened
    const { changes } = gyrarch
    const remove = { kind: 'window.remove', intent: { name: 'archive' } }
    const id = await begun(gyrarch, { drafts: [window('one'), remove], soakSeconds: 1800 })
    await gyrarch.outside.advance(60)
    await draftAndRun(gyrarch, remove.kind, remove.intent)
    const halted = await settled(gyrarch, id)
    expect([halted.state, ...states(halted)]).toEqual(['halted', 'done', 'draft'])
    expect(halted.children[1]?.why).toContain('There is no window archive')
    await expect(changes.amend(id, { drafts: [remove] }, null)).rejects.toThrow('can be amended')
    await draftAndRun(gyrarch, 'window.set', { ...window('archive').intent, clusters: ['sorrel'] })
    await changes.retry(id)
    const done = await settled(gyrarch, id)
    expect([done.state, ...states(done)]).toEqual(['done', 'done', 'done'])
  })

  it('is no later run that stands in the way of an earlier one: its members are', async () => {
    const { gyrarch } = opened
    const first = await draftAndRun(gyrarch, 'pool.resize', resize('bramble', 'base', 4).intent)
    const id = await begun(gyrarch, { drafts: [resize('bramble', 'base', 5), window('two')] })
    const set = await settled(gyrarch, id)
    const { later } = await gyrarch.changes.wayBack(first.id)
    expect(later.map((run) => run.id)).toEqual([set.children[0]?.id])
  })

  it('goes on past a failure where it says so', async () => {
    const { gyrarch } = opened
    const fault = await withoutMachines(gyrarch)
    const id = await begun(gyrarch, { ...eight, onFailure: 'go-on' })
    const record = await settled(gyrarch, id, 8)
    expect(record.state).toBe('halted')
    expect(states(record)[2]).toBe('halted')
    expect(states(record).filter((state) => state === 'done')).toHaveLength(6)
    await gyrarch.endFault(fault)
  })

  const moments = [1, 2, 5, 30, 60, 90, 120, 200, 400, 900].filter(
    (_, place) => place % repeats(1, 2) === 0,
  )

  it(`killed at ${moments.length} moments, halts at the failing third and goes on once that has been seen to`, async () => {
    const { gyrarch, dir } = opened
    await withoutMachines(gyrarch)
    const id = await begun(gyrarch, eight)
    const copies: string[] = []
    for (const seconds of moments) {
      await gyrarch.outside.advance(seconds)
      const copy = copyFolder(dir)
      copies.push(copy)
    }
    for (const copy of copies) {
      const again = await openForTest(copy)
      const halted = await settled(again.gyrarch, id, 8)
      expect([halted.state, ...states(halted)]).toEqual(['halted', 'done', 'done', 'halted'])
      expect(halted.cause?.code).toBe('set.member-failed')
      const { active } = await again.gyrarch.outside.faults()
      for (const fault of active) await again.gyrarch.endFault(fault.id)
      await again.gyrarch.changes.retry(id, ['alder', 'bramble'])
      const done = await settled(again.gyrarch, id, 8)
      expect([done.state, ...states(done)]).toEqual(['done', ...eight.drafts.map(() => 'done')])
      // Nothing was done twice.
      const pool = (await again.gyrarch.fleet.view()).clusters
        .find(({ name }) => name === 'alder')
        ?.pools.find(({ name }) => name === 'core')
      expect(pool?.nodes).toHaveLength(4)
      await again.close()
    }
  })
})

describe('a remedy of a halted run', () => {
  it('passes under the lock of that run, and under no other', async () => {
    const { changes } = opened.gyrarch
    const { gyrarch } = opened
    await withoutMachines(gyrarch)
    const record = await changes.draft('pool.resize', resize('bramble', 'general', 5).intent)
    const confirm = record.guards
    await changes.run(record.id, { accept: record.findings.map(({ key }) => key), confirm })
    const halted = await settled(gyrarch, record.id)
    expect(halted.state).toBe('halted')
    const stranger = await changes.draft('pool.resize', resize('bramble', 'general', 6).intent)
    const accept = stranger.findings.map(({ key }) => key)
    const blocked = await changes.run(stranger.id, { accept, confirm })
    const remedy = await changes.draft(
      'pool.resize',
      resize('bramble', 'general', 6).intent,
      null,
      record.id,
    )
    const passed = await changes.run(remedy.id, { accept, confirm })
    expect([blocked.state, passed.state]).toEqual(['waiting', 'running'])
  })
})
