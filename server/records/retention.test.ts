import { QueryTypes } from 'sequelize'
import { expect, it } from 'vitest'
import { EvidenceRow, JournalRow } from './models'
import { thinRecords } from './retention'
import { draftAndRun, gyrarchForEach, type Opened } from '../testing/open'

let opened: Opened
gyrarchForEach((given) => (opened = given))

it('keeps what commands did to reached clusters for ninety days, and for good what has not ended', async () => {
  const { database } = opened.gyrarch
  const wall = Date.parse('2026-11-30T00:00:00Z')
  const days = (count: number) => new Date(wall - count * 86_400_000).toISOString()
  const rows: readonly (readonly [string, string, string | null])[] = [
    ['old', days(91), '{"ok":true}'],
    ['recent', days(89), '{"ok":true}'],
    ['open', days(300), null],
  ]
  for (const replacements of rows)
    await database.write((transaction) =>
      database.sequelize.query(`INSERT INTO reach_commands (key, at, outcome) VALUES (?, ?, ?)`, {
        replacements: [...replacements],
        transaction,
      }),
    )
  await thinRecords(database, undefined, wall)
  const left = await database.sequelize.query<{ key: string }>(
    `SELECT key FROM reach_commands ORDER BY key`,
    { type: QueryTypes.SELECT },
  )
  expect(left.map(({ key }) => key)).toEqual(['open', 'recent'])
})

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
