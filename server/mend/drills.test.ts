import { describe, expect, it } from 'vitest'
import { type Opened, gyrarchForEach, runOut } from '../testing/open'
import { drillKinds } from './drill-list'

let opened: Opened
gyrarchForEach((made) => (opened = made))

async function minutes(count: number): Promise<void> {
  for (let minute = 0; minute < count; minute++) {
    await opened.gyrarch.outside.advance(60)
    await opened.gyrarch.cases.atRest()
  }
}

/** Runs the first remedy of the case that a drill led to, if it has one. */
async function mend(id: string): Promise<boolean> {
  const { cases, changes } = opened.gyrarch
  const row = await cases.read(id)
  const change = row.troubles[0]?.remedies[0]?.change
  if (!change || !('kind' in change)) return false
  const drafted = await changes.draft(change.kind, change.intent)
  await changes.run(drafted.id, {
    accept: drafted.findings.map((finding) => finding.key),
    ...(drafted.guardedBy === null ? {} : { confirm: drafted.guardedBy }),
  })
  await runOut(opened.gyrarch, drafted.id)
  await minutes(8)
  return true
}

describe('every drill', () => {
  it.each(drillKinds.map(({ name }) => [name]))(
    '%s leads to a case, and ends mended once it is named and what helps is run',
    async (name) => {
      const { drills } = opened.gyrarch
      const kind = drillKinds.find((each) => each.name === name)
      await drills.start(name)
      await minutes(5)
      const begun = await drills.current()
      expect(begun).toMatchObject({ state: 'on', case: expect.stringMatching(/^m-/) as string })
      const right = kind?.causes.includes('webhook-unreachable')
        ? kind.causes.slice(0, 1)
        : (kind?.causes ?? [])
      for (const cause of right) await drills.name(cause)
      for (let round = 0; round < right.length; round++) await mend(begun?.case ?? '')
      const ended = await drills.current()
      expect(ended).toMatchObject({ state: 'mended' })
      expect(ended?.score).toBeGreaterThan(80)
    },
  )
})

describe('a drill', () => {
  it('costs hints and wrong causes, is one at a time, and leaves nothing behind when it is given up', async () => {
    const { drills, outside } = opened.gyrarch
    await drills.start('hangs')
    await expect(drills.start('quiet-node')).rejects.toThrow(/under way/)
    expect((await drills.hint()).hints).toHaveLength(1)
    await expect(drills.hint()).rejects.toThrow(/no more hints/)
    expect((await drills.name('crash')).named).toMatchObject([{ cause: 'crash', isRight: false }])
    await minutes(2)
    expect(await drills.giveUp()).toMatchObject({ state: 'given-up', score: 0 })
    const { active } = await outside.faults()
    expect(active.filter(({ id }) => id.startsWith('f-'))).toEqual([])
    await expect(drills.hint()).rejects.toThrow(/No drill/)
    await expect(drills.start('nothing-like-it')).rejects.toThrow(/no drill/)
  })
})
