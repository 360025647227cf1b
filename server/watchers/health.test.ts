import { describe, expect, it } from 'vitest'
import { clusterOf, nodesOf } from '~/core/fleet'
import { type Opened, gyrarchForEach, runOut } from '../testing/open'

let opened: Opened
gyrarchForEach((made) => (opened = made))

const run = async (kind: string, intent: unknown) => {
  const { changes } = opened.gyrarch
  const drafted = await changes.draft(kind, intent)
  await changes.run(drafted.id, {
    accept: drafted.findings.map((finding) => finding.key),
    ...(drafted.guardedBy === null ? {} : { confirm: drafted.guardedBy }),
  })
  return runOut(opened.gyrarch, drafted.id)
}

const doneByItself = async () =>
  (await opened.gyrarch.changes.list())
    .filter((row) => row.title === 'health keeping')
    .map((row) => [row.kind, row.state])

const bramble = async () => clusterOf(await opened.gyrarch.fleet.view(), 'bramble')
const readiness = async () =>
  nodesOf((await bramble()) ?? (undefined as never)).map(
    (node) => node.conditions.find((condition) => condition.type === 'Ready')?.status,
  )

describe('a rule that cuts off a whole cluster', () => {
  it('is named as the one cause, with what helps; no machine is touched, and what helps heals', async () => {
    const { gyrarch } = opened
    await run('wire.firewall', { site: 'palisade-east', enable: ['uplink-closed'] })
    await gyrarch.outside.advance(3600)
    expect(await doneByItself()).toEqual([])
    expect((await bramble())?.pools.find((pool) => pool.name === 'base')?.nodes).toHaveLength(2)
    const [cause, ...others] = await gyrarch.health.causes()
    expect(others).toEqual([])
    expect(cause?.says).toBe('7 nodes, one cause: rule uplink-closed.')
    expect(cause?.remedies).toEqual([
      {
        says: 'Switch uplink-closed of palisade-east off',
        change: {
          kind: 'wire.firewall',
          intent: { site: 'palisade-east', disable: ['uplink-closed'] },
        },
        clears: [],
      },
    ])
    const told = await gyrarch.journal({ kind: 'health.one-cause', limit: 10 })
    expect(told.map((line) => [line.about, line.says])).toEqual([
      [
        'cluster/bramble',
        'health keeping: 7 nodes, one cause: rule uplink-closed. Nothing is restarted or replaced. What helps, proven: Switch uplink-closed of palisade-east off.',
      ],
    ])
    const change = cause?.remedies[0]?.change
    if (!change || !('kind' in change)) throw new Error('the remedy is a change')
    expect((await run(change.kind, change.intent)).state).toBe('done')
    await gyrarch.outside.advance(120)
    expect(new Set(await readiness())).toEqual(new Set(['True']))
    expect(await gyrarch.health.causes()).toEqual([])
  })
})

describe('a restart that does not help', () => {
  it.each([60, 600])('lets go within minutes with the clock in steps of %d s', async (step) => {
    const { gyrarch } = opened
    await gyrarch.putFault({
      fault: 'machine-off',
      about: 'machine/mossgate/cedar-general-5',
      mode: 'permanent',
      times: 1,
      afterSeconds: 0,
    })
    for (let seconds = 0; seconds < 1800; seconds += step) await gyrarch.outside.advance(step)
    const [row, ...others] = await gyrarch.changes.list({ states: ['given-up'] })
    expect(others).toEqual([])
    expect(row?.kind).toBe('machine.restart')
    const lasted = Date.parse(row?.endedAt ?? '') - Date.parse(row?.startedAt ?? '')
    expect(lasted).toBeLessThan(10 * 60_000)
    // Guarded: what is left to do is a person’s.
    expect(await doneByItself()).toEqual([['machine.restart', 'given-up']])
    expect(
      (await gyrarch.journal({ kind: 'health.stuck', limit: 5 })).map((line) => line.says),
    ).toEqual([
      'health keeping: cedar-general-5 needs another machine. cedar is guarded, and its health keeping is not allowed to replace machines. Somebody has to look.',
    ])
  })
})

describe('with the way to the API closed', () => {
  const grow = { cluster: 'bramble', pool: 'general', count: 5 }

  it('no node is added: the draft says what stops it, and what is proven to help', async () => {
    const { gyrarch } = opened
    await run('wire.firewall', { site: 'palisade-east', enable: ['uplink-closed'] })
    const drafted = await gyrarch.changes.draft('pool.resize', grow)
    const finding = drafted.findings.find(({ rule }) => rule === 'agents.reach')
    expect(finding).toMatchObject({ level: 'stop', params: { by: 'uplink-closed' } })
    expect(finding?.remedies.map(({ says }) => says)).toEqual([
      'Switch uplink-closed of palisade-east off',
    ])
  })

  it('a node that is under way does not join; the run says why, and goes on once it is open', async () => {
    const { gyrarch } = opened
    const drafted = await gyrarch.changes.draft('pool.resize', grow)
    await gyrarch.changes.run(drafted.id, {
      accept: drafted.findings.map((finding) => finding.key),
      confirm: 'bramble',
    })
    await run('wire.firewall', { site: 'palisade-east', enable: ['uplink-closed'] })
    const halted = await runOut(gyrarch, drafted.id)
    expect(halted).toMatchObject({ state: 'halted', cause: { reason: 'api-not-reached' } })
    expect(halted.cause?.chain[0]).toMatchObject({
      about: 'firewall/palisade-east/uplink-closed',
      says: 'rule uplink-closed stops it out, on the way to 198.51.100.250',
    })
    expect(halted.remedies.map(({ says }) => says)).toContain(
      'Switch uplink-closed of palisade-east off',
    )
    await run('wire.firewall', { site: 'palisade-east', disable: ['uplink-closed'] })
    await gyrarch.changes.retry(drafted.id, 'bramble')
    expect((await runOut(gyrarch, drafted.id)).state).toBe('done')
  })
})
