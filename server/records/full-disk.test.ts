/** A disk that is full: refused with the way out, nothing lost, and it goes on once there is room. */
import { QueryTypes } from 'sequelize'
import { describe, expect, it } from 'vitest'
import { storageRefusal } from '../changes/errors'
import { JournalRow } from './models'
import { elm, gyrarchForEach, type Opened, runOut } from '../testing/open'

let opened: Opened
gyrarchForEach((given) => (opened = given))

/** As if the disk had room for so many more pages; null for as many as are wanted. */
async function room(pages: number | null): Promise<void> {
  const { sequelize } = JournalRow
  if (!sequelize) throw new Error('no database')
  await sequelize.transaction(async (transaction) => {
    const [row] = (await sequelize.query('PRAGMA page_count', { transaction }))[0] as [
      { page_count: number },
    ]
    const limit = pages === null ? 1_000_000 : row.page_count + pages
    await sequelize.query(`PRAGMA max_page_count=${limit}`, { transaction })
  })
}
const outcome = async (work: Promise<unknown>): Promise<string> =>
  work.then(
    () => 'done',
    (error: unknown) => storageRefusal(error)?.message ?? String(error),
  )

describe('a full disk', () => {
  it('is what a draft is refused for, and drafts go on once there is room', async () => {
    const { changes } = opened.gyrarch
    await room(0)
    let kept = 0
    let last = 'done'
    for (let nth = 0; nth < 60 && last === 'done'; nth++) {
      last = await outcome(changes.draft('cluster.raise', { ...elm, name: `elm-${nth}` }))
      if (last === 'done') kept++
    }
    expect(last).toContain('The disk that holds the data is full: nothing was changed.')
    expect(await changes.list({ limit: 100 })).toHaveLength(kept)
    await room(null)
    expect(await outcome(changes.draft('cluster.raise', elm))).toBe('done')
    expect(await changes.list({ limit: 100 })).toHaveLength(kept + 1)
  })

  it('holds a run where it is, and the run ends well once there is room', async () => {
    const { changes, outside } = opened.gyrarch
    const { id, findings } = await changes.draft('cluster.raise', elm)
    await changes.run(id, { accept: findings.map(({ key }) => key) })
    await outside.advance(60)
    await room(0)
    const before = outside.now
    expect(await outcome(outside.advance(3600))).toContain('the clock stands until then')
    expect(outside.now).toBeLessThan(before + 3_600_000)
    expect(await outcome(outside.advance(60))).toContain('the clock stands until then')
    await room(null)
    const record = await runOut(opened.gyrarch, id)
    expect(record.state).toBe('done')
    expect(record.steps.filter(({ state }) => state !== 'done')).toEqual([])
    expect(opened.errors.splice(0).every((error) => storageRefusal(error) !== null)).toBe(true)
  })
})

/** As if the disk had turned read-only under the open database, or could be written again. */
async function readOnly(is: boolean): Promise<void> {
  const { sequelize } = JournalRow
  if (!sequelize) throw new Error('no database')
  await sequelize.query(`PRAGMA query_only=${is ? 'ON' : 'OFF'}`, { type: QueryTypes.RAW })
  await sequelize
    .transaction((transaction) =>
      sequelize.query(`PRAGMA query_only=${is ? 'ON' : 'OFF'}`, { transaction }),
    )
    // Ending a transaction may be refused as a write of its own.
    .catch(() => undefined)
}

describe('a disk that turns read-only', () => {
  it('is what a draft is refused for, holds a run where it is, and both go on once it can be written', async () => {
    const { changes, outside } = opened.gyrarch
    const { id, findings } = await changes.draft('cluster.raise', elm)
    await changes.run(id, { accept: findings.map(({ key }) => key) })
    await outside.advance(60)
    await readOnly(true)
    const refused = await outcome(changes.draft('cluster.raise', { ...elm, name: 'elm-2' }))
    expect(refused).toContain('The data cannot be written: nothing was changed.')
    const before = outside.now
    expect(await outcome(outside.advance(3600))).not.toBe('done')
    expect(outside.now).toBeLessThan(before + 3_600_000)
    await readOnly(false)
    const record = await runOut(opened.gyrarch, id)
    expect(record.state).toBe('done')
    expect(record.steps.filter(({ state }) => state !== 'done')).toEqual([])
    expect(opened.errors.splice(0).every((error) => storageRefusal(error) !== null)).toBe(true)
  })
})
