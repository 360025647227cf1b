/** Several clusters taken to a release as one change: in waves, in their windows, over the change of the clocks. */
import { describe, expect, it } from 'vitest'
import type { ChangeRecord } from '../changes/changes'
import { putFault } from '../faults'
import { draftAndRun, gyrarchForEach, type Opened } from '../testing/open'

let opened: Opened
gyrarchForEach((made) => {
  opened = made
})

const general = {
  pool: 'general',
  how: 'in-place',
  surge: 1,
  unavailable: 0,
  budgets: 'past',
  graceSeconds: 60,
}
const intent = {
  to: '1.34.1',
  clusters: [
    { cluster: 'alder', wave: 1, window: 'hall nights' },
    { cluster: 'cedar', wave: 2, window: 'hall nights', pools: [general] },
    {
      cluster: 'bramble',
      wave: 3,
      window: 'cloud mornings',
      pools: [{ pool: 'vision-gpu', how: 'anew', surge: 1, unavailable: 0 }],
    },
  ],
  soakSeconds: 600,
}

const fleet = async () => (await opened.gyrarch.fleet.view()).clusters
const releaseOf = async (name: string) =>
  (await fleet()).find((cluster) => cluster.name === name)?.release

const advanceTo = (iso: string): Promise<unknown> =>
  opened.gyrarch.outside.advance((Date.parse(iso) - opened.gyrarch.outside.now) / 1000)

async function until(id: string, done: (change: ChangeRecord) => boolean, hours: number) {
  for (let quarter = 0; quarter < hours * 4; quarter++) {
    const change = await opened.gyrarch.changes.get(id)
    if (done(change)) return change
    await opened.gyrarch.outside.advance(900)
  }
  throw new Error(`it did not come to that in ${hours} hours`)
}

describe('an upgrade of a fleet', () => {
  it('goes wave by wave over the change of the clocks; one that halts keeps the next from beginning', async () => {
    const { gyrarch } = opened
    await advanceTo('2026-03-27T12:00:00Z')
    const { id, findings } = await gyrarch.changes.draft('fleet.upgrade', intent)
    expect(findings.filter(({ level }) => level === 'stop')).toEqual([])
    expect(
      findings.filter(({ rule }) => rule.startsWith('waves.laid')).map(({ says }) => says),
    ).toEqual([
      expect.stringContaining('alder is laid into hall nights: 2026-03-28 21:00') as string,
      expect.stringContaining('cedar is laid into hall nights: 2026-03-28 22:2') as string,
      expect.stringContaining('bramble is laid into cloud mornings: 2026-03-31 03:00') as string,
    ])
    await gyrarch.changes.run(id, {
      accept: findings.map(({ key }) => key),
      confirm: ['alder', 'cedar', 'bramble'],
    })
    await advanceTo('2026-03-28T20:59:00Z')
    expect(await releaseOf('alder')).toBe('1.33.1')
    // Once cedar makes its machine beside, nobody has the image for it.
    await until(id, ({ children }) => children.length === 2, 3)
    await putFault(gyrarch, {
      fault: 'image-missing',
      about: 'image/mossgate/1.34.1',
      mode: 'permanent',
      times: 1,
      afterSeconds: 0,
    })
    const halted = await until(id, ({ state }) => state === 'halted', 4)
    expect(await releaseOf('alder')).toBe('1.34.1')
    expect(halted.children.map(({ state }) => state)).toEqual(['done', 'halted'])
    await advanceTo('2026-03-31T12:00:00Z')
    expect(await releaseOf('bramble')).toBe('1.33.2')
    const member = await gyrarch.changes.get(halted.children[1]?.id ?? '')
    const remedy = member.remedies.find(({ change }) => 'kind' in change)?.change
    if (!remedy || !('kind' in remedy)) throw new Error('nothing is offered')
    const placed = await draftAndRun(gyrarch, remedy.kind, remedy.intent)
    expect([placed.state, placed.cause?.says]).toEqual(['done', undefined])
    await gyrarch.changes.retry(id, ['alder', 'cedar', 'bramble'])
    const done = await until(id, ({ state }) => state !== 'running', 24 * 8)
    expect([done.state, done.cause?.says]).toEqual(['done', undefined])
    expect(done.proof?.map(({ holds }) => holds)).toEqual([true, true, true])
    for (const { id: child } of done.children) {
      const { proof } = await gyrarch.changes.get(child)
      expect(proof?.filter(({ holds }) => !holds)).toEqual([])
    }
    // Bramble began on a Thursday at four in Lisbon, an hour earlier by UTC than before the clocks changed.
    const [, , bramble] = done.children
    expect((await gyrarch.changes.get(bramble?.id ?? '')).startedAt).toMatch(/^2026-04-02T03:0/)
  })

  it('is stopped where what is driven goes no later than its driver, and says what is laid nowhere', async () => {
    const { gyrarch } = opened
    const [alder, cedar] = intent.clusters
    const together = { ...intent, clusters: [{ ...cedar, wave: 1 }, alder] }
    const { findings } = await gyrarch.changes.draft('fleet.upgrade', together)
    const [driver] = findings.filter(({ level }) => level === 'stop')
    expect([driver?.rule, driver?.field]).toEqual(['waves.driver.cedar', 'clusters[0].wave'])
    expect(driver?.remedies.map(({ says }) => says)).toEqual(['Put cedar into wave 2'])
    const short = await gyrarch.changes.draft('fleet.upgrade', {
      to: '1.34.1',
      clusters: [
        { cluster: 'cedar', window: 'cloud mornings', pools: [{ ...general, graceSeconds: 3600 }] },
      ],
    })
    const unlaid = short.findings.find(({ level }) => level === 'stop')
    expect([unlaid?.rule, unlaid?.field]).toEqual(['waves.unlaid.cedar', 'clusters[0].window'])
    expect(unlaid?.remedies).toHaveLength(1)
  })

  it('tells what stands against a member at the member’s field, with what helps there', async () => {
    const { gyrarch } = opened
    const { findings } = await gyrarch.changes.draft('fleet.upgrade', {
      to: '1.34.1',
      clusters: [{ cluster: 'alder' }, { cluster: 'bramble', wave: 2 }],
    })
    const stop = findings.find(({ level }) => level === 'stop')
    expect(stop?.rule).toMatch(/^draft\.1\.drain\.no-room/)
    expect(stop?.says).toContain('bramble')
    const patch = stop?.remedies[0]?.change
    expect(patch && 'patchDraft' in patch ? patch.patchDraft[0]?.path : null).toBe(
      '/clusters/1/pools',
    )
    expect(
      (await gyrarch.changes.draft('fleet.upgrade', { ...intent, to: '1.99' })).findings,
    ).toContainEqual(expect.objectContaining({ field: 'to', level: 'stop' }))
  })
})
