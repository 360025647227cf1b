import { expect, it } from 'vitest'
import { EvidenceRow, JournalRow } from './models'
import { thinRecords } from './retention'
import { draftAndRun, gyrarchForEach, type Opened } from '../testing/open'

let opened: Opened
gyrarchForEach((given) => (opened = given))

it('keeps the newest lines of the journal, and the evidence of the newest runs whole', async () => {
  const { gyrarch } = opened
  const resize = (count: number) => ({ cluster: 'bramble', pool: 'base', count })
  const first = await draftAndRun(gyrarch, 'pool.resize', resize(4))
  const second = await draftAndRun(gyrarch, 'pool.resize', resize(3))
  const evidenceOf = (change: number) => EvidenceRow.count({ where: { change } })
  const [older, newer] = [await evidenceOf(1), await evidenceOf(2)]
  expect(Math.min(older, newer)).toBeGreaterThan(0)
  const newest = await JournalRow.findAll({ order: [['seq', 'DESC']], limit: 5 })

  expect(await thinRecords(gyrarch.database)).toBe(0)
  expect(await thinRecords(gyrarch.database, { journal: 5, evidence: newer })).toBeGreaterThan(0)
  const left = await JournalRow.findAll({ order: [['seq', 'DESC']] })
  expect(left.map(({ seq }) => seq)).toEqual(newest.map(({ seq }) => seq))
  expect([await evidenceOf(1), await evidenceOf(2)]).toEqual([0, newer])
  // What a change was and how it ended is told as before.
  expect((await gyrarch.changes.get(first.id)).state).toBe('done')
  expect((await gyrarch.changes.get(second.id)).state).toBe('done')
})
