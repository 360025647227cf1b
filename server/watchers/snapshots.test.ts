/** A volume whose snapshots are taken by themselves: in time, across the change of the clocks, and no more than are kept. */
import { expect, it } from 'vitest'
import { draftAndRun, gyrarchForEach, type Opened } from '../testing/open'

let opened: Opened
gyrarchForEach((made) => (opened = made))

const schedule = {
  cluster: 'cedar',
  volume: 'seed-photos',
  start: '2026-03-03T03:00',
  zone: 'Europe/Berlin',
  rule: 'FREQ=DAILY',
  keep: 3,
}

const names = async (): Promise<readonly string[]> => {
  const view = await opened.gyrarch.fleet.view()
  const cedar = view.clusters.find(({ name }) => name === 'cedar')
  const volume = cedar?.storage?.volumes.find(({ name }) => name === 'seed-photos')
  return (volume?.snapshots ?? []).map(({ name }) => name)
}

it('takes one at each time, keeps the newest, and leaves those of others alone', async () => {
  const { gyrarch } = opened
  const { findings } = await gyrarch.changes.draft('snapshot.schedule', schedule)
  expect(findings.map(({ level, says }) => `${level} ${says}`)).toEqual([
    'note The first is taken on 2026-03-03 02:00Z; with 3 kept one can go back 3 days.',
  ])
  await draftAndRun(gyrarch, 'snapshot.take', {
    cluster: 'cedar',
    volume: 'seed-photos',
    snapshot: 'before-all',
  })
  const set = await draftAndRun(gyrarch, 'snapshot.schedule', schedule)
  expect([set.state, set.proof?.[0]?.observed]).toEqual(['done', 'the next on 2026-03-03T02:00Z'])
  await gyrarch.outside.advance(21 * 3600)
  expect(await names()).toEqual(['before-all', 'at-2026-03-03t0200z'])
  await gyrarch.outside.advance(4 * 86_400)
  expect(await names()).toEqual([
    'before-all',
    'at-2026-03-05t0200z',
    'at-2026-03-06t0200z',
    'at-2026-03-07t0200z',
  ])
  const ended = await draftAndRun(gyrarch, 'snapshot.schedule', { ...schedule, rule: null })
  expect(ended.state).toBe('done')
  const before = await names()
  await gyrarch.outside.advance(2 * 86_400)
  expect(await names()).toEqual(before)
})

it.each([
  [{ rule: 'FREQ=SOMETIMES' }, 'schedule.readable'],
  [{ zone: 'Europe/Nowhere' }, 'schedule.readable'],
  [{ rule: 'FREQ=DAILY;UNTIL=20200101T000000Z' }, 'schedule.occurs'],
  [{ rule: null }, 'schedule.stands'],
  [{ volume: 'no-such' }, 'volume.known'],
])('refuses %o', async (part, rule) => {
  const { findings } = await opened.gyrarch.changes.draft('snapshot.schedule', {
    ...schedule,
    ...part,
  })
  expect(findings.map((finding) => finding.rule)).toEqual([rule])
})
