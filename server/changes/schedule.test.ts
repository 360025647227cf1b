/** Changes that run later: at their instant, in their window, or back to their author. */
import { describe, expect, it } from 'vitest'
import { copyFolder, gyrarchForEach, type Opened, openForTest, runOut } from '../testing/open'
import { actingAs } from '../actor'
import { Refusal } from './errors'

let opened: Opened
gyrarchForEach((made) => {
  opened = made
})

const resize = { cluster: 'bramble', pool: 'base', count: 4 }

async function drafted(kind = 'pool.resize', intent: unknown = resize) {
  const { changes } = opened.gyrarch
  const record = await changes.draft(kind, intent)
  return {
    id: record.id,
    request: {
      accept: record.findings.map(({ key }) => key),
      confirm: record.guardedBy === null ? [] : [record.guardedBy],
      ...(record.planDigest === null ? {} : { planDigest: record.planDigest }),
    },
  }
}

const toInstant = (iso: string): Promise<void> =>
  opened.gyrarch.outside.advance((Date.parse(iso) - opened.gyrarch.outside.now) / 1000)

async function refusal(work: Promise<unknown>): Promise<string> {
  try {
    await work
  } catch (error) {
    if (error instanceof Refusal) return `${error.code} ${error.fields[0]?.path ?? ''}`
    throw error
  }
  return 'taken'
}

describe('a change that is scheduled', () => {
  it('runs at its instant, not before', async () => {
    const { changes } = opened.gyrarch
    const { id, request } = await drafted()
    const at = '2026-03-02T09:30:00.000Z'
    const record = await changes.schedule(id, { ...request, at })
    expect(record).toMatchObject({
      state: 'scheduled',
      schedule: { at, window: null, confirmed: ['bramble'] },
    })
    await toInstant('2026-03-02T09:29:59Z')
    expect((await changes.get(id)).state).toBe('scheduled')
    await toInstant('2026-03-02T09:30:00Z')
    expect(await changes.get(id)).toMatchObject({ state: 'running', startedAt: at })
    expect((await runOut(opened.gyrarch, id)).state).toBe('done')
  })

  it('opens with its window, an hour earlier in UTC once the clocks have changed', async () => {
    const { changes } = opened.gyrarch
    await toInstant('2026-03-27T12:00:00Z')
    const { id, request } = await drafted()
    const { schedule } = await changes.schedule(id, { ...request, window: 'cloud mornings' })
    // Lisbon is on summer time from the 29th on: four in the morning there is three in UTC.
    expect(schedule).toMatchObject({ at: '2026-03-31T03:00:00.000Z', window: 'cloud mornings' })
    await toInstant('2026-03-31T02:59:00Z')
    expect((await changes.get(id)).state).toBe('scheduled')
    await toInstant('2026-03-31T03:00:00Z')
    expect((await changes.get(id)).startedAt).toBe('2026-03-31T03:00:00.000Z')
  })

  it('comes back to its author where its plan is another one by then, with what differs', async () => {
    const { changes } = opened.gyrarch
    const { id, request } = await drafted()
    await changes.schedule(id, { ...request, at: '2026-03-02T12:00:00Z' })
    const between = await drafted('pool.resize', { ...resize, count: 3 })
    await changes.run(between.id, between.request)
    await runOut(opened.gyrarch, between.id)
    await toInstant('2026-03-02T12:00:00Z')
    const record = await changes.get(id)
    expect(record.state).toBe('draft')
    expect(record.schedule).toBeNull()
    expect(record.returned?.code).toBe('returned.differs')
    expect(record.returned?.at).toBe('2026-03-02T12:00:00.000Z')
  })

  it('comes back where something stops it by then', async () => {
    const { changes } = opened.gyrarch
    const { id, request } = await drafted()
    await changes.schedule(id, { ...request, at: '2026-03-02T12:00:00Z' })
    const between = await drafted()
    await changes.run(between.id, between.request)
    await runOut(opened.gyrarch, between.id)
    await toInstant('2026-03-02T12:00:00Z')
    expect((await changes.get(id)).returned?.code).toBe('returned.stopped')
  })

  it('is taken off the schedule, and then not run', async () => {
    const { changes } = opened.gyrarch
    const { id, request } = await drafted()
    await changes.schedule(id, { ...request, at: '2026-03-02T09:30:00Z' })
    expect(await refusal(changes.amend(id, resize, null))).toBe('conflict ')
    expect(await changes.unschedule(id)).toMatchObject({ state: 'draft', schedule: null })
    await toInstant('2026-03-02T10:00:00Z')
    expect((await changes.get(id)).state).toBe('draft')
  })

  it('is refused for the reasons for which a run would be, and for times that are none', async () => {
    const { changes } = opened.gyrarch
    const { id, request } = await drafted()
    const at = '2026-03-02T09:30:00Z'
    const { accept } = request
    expect(await refusal(changes.schedule(id, { accept, at }))).toBe('forbidden confirm')
    expect(await refusal(changes.schedule(id, { ...request, at, planDigest: 'x' }))).toBe(
      'conflict planDigest',
    )
    expect(await refusal(changes.schedule(id, { ...request, at: '2026-03-01T09:30:00Z' }))).toBe(
      'invalid at',
    )
    expect(await refusal(changes.schedule(id, request))).toBe('invalid at')
    expect(await refusal(changes.schedule(id, { ...request, window: 'no nights' }))).toBe(
      'invalid window',
    )
    expect(await refusal(changes.schedule(id, { ...request, window: 'hall nights' }))).toBe(
      'conflict window',
    )
  })

  it('is told in the journal with by whom, and with what the sentence tells', async () => {
    const { gyrarch } = opened
    const { id, request } = await drafted()
    await actingAs('person', () =>
      gyrarch.changes.schedule(id, { ...request, at: '2026-03-02T09:30:00Z' }),
    )
    await actingAs('person', () => toInstant('2026-03-02T09:30:00Z'))
    await actingAs('person', () => runOut(gyrarch, id))
    const lines = await gyrarch.journal({ after: 0, change: Number(id.slice(2)), limit: 100 })
    const by = (kind: string) => lines.find((line) => line.kind === kind)
    expect(by('change.scheduled')).toMatchObject({
      by: 'person',
      params: { label: 'resize base of bramble to 4', at: '2026-03-02T09:30:00.000Z' },
    })
    expect(by('run.started')?.by).toBe('schedule')
    expect(by('step.done')).toMatchObject({ by: 'gyrarch', params: { verb: 'machine.create' } })
  })

  it('is run by the program that is started after a kill, once its time has come', async () => {
    const { changes } = opened.gyrarch
    const { id, request } = await drafted()
    await changes.schedule(id, { ...request, at: '2026-03-02T09:30:00Z' })
    const copy = copyFolder(opened.dir)
    const again = await openForTest(copy)
    await again.gyrarch.outside.advance(
      (Date.parse('2026-03-02T09:30:00Z') - again.gyrarch.outside.now) / 1000,
    )
    expect((await again.gyrarch.changes.get(id)).startedAt).toBe('2026-03-02T09:30:00.000Z')
    await again.close()
  })
})
