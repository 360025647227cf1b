import { describe, expect, it } from 'vitest'
import { type Opened, gyrarchForEach, runOut } from '../testing/open'
import { drillKinds } from './drill-list'
import { runThroughOf, runThroughSchema } from './run-through'

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
  // A run that stood still goes on.
  const [kind, halted = ''] = (row.troubles[0]?.subject ?? '').split('/')
  if (kind === 'run') {
    const { guardedBy } = await changes.get(halted)
    await changes.retry(halted, guardedBy ?? undefined)
    expect((await runOut(opened.gyrarch, halted)).state).toBe('done')
  }
  await minutes(8)
  return true
}

/** The case that a drill leads to: a run takes its time until it halts. */
async function theCase() {
  for (let minute = 0; minute < 40; minute += 5) {
    await minutes(5)
    const begun = await opened.gyrarch.drills.current()
    if (begun?.case !== null) return begun
  }
  return opened.gyrarch.drills.current()
}

describe('every drill', () => {
  it.each(drillKinds.map(({ name }) => [name]))(
    '%s leads to a case, and ends mended once it is named and what helps is run',
    async (name) => {
      const { drills } = opened.gyrarch
      const kind = drillKinds.find((each) => each.name === name)
      await drills.start(name)
      const begun = await theCase()
      expect(begun).toMatchObject({ state: 'on', case: expect.stringMatching(/^m-/) as string })
      const right = kind?.causes.includes('webhook-unreachable')
        ? kind.causes.slice(0, 1)
        : (kind?.causes ?? [])
      for (const cause of right) await drills.name(cause)
      for (let round = 0; round < right.length; round++) await mend(begun?.case ?? '')
      const ended = await drills.current()
      expect(ended).toMatchObject({ state: 'mended' })
      expect(ended?.score).toBeGreaterThan(kind?.run ? 50 : 80)
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

  it('can be looked at again moment by moment, and handed on', async () => {
    const { drills } = opened.gyrarch
    const { number } = await drills.start('hangs')
    await expect(runThroughOf(number)).rejects.toThrow(/has ended/)
    await minutes(6)
    await drills.hint()
    await drills.name('crash')
    await drills.name('liveness-probe')
    await drills.current()
    const told = runThroughSchema.parse(JSON.parse(JSON.stringify(await runThroughOf(number))))
    expect(told).toMatchObject({ drill: 'hangs', state: 'mended' })
    expect(told.moments.map(({ what }) => what)).toEqual([
      'began',
      'case',
      'case',
      'case',
      'hint',
      'named',
      'named',
      'ended',
    ])
    const seconds = told.moments.map((moment) => moment.seconds)
    expect(seconds).toEqual(seconds.toSorted((a, b) => a - b))
  })
})
