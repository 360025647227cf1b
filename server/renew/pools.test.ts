/** How pools are turned over: what the draft says of each way is what the stand-ins do. */
import { describe, expect, it } from 'vitest'
import { controllerOf, type PodObject } from '~/core/objects'
import { minorLine } from '~/core/units'
import type { ChangeRecord } from '../changes/changes'
import { gyrarchForEach, type Opened, runOut } from '../testing/open'

let opened: Opened
gyrarchForEach((made) => {
  opened = made
})

interface Intent {
  readonly cluster: string
  readonly to: string
  readonly pools?: readonly unknown[]
}

/** Takes what is offered for every stop, by what it says. */
async function taking(intent: Intent, ...wanted: readonly RegExp[]): Promise<Intent> {
  let asked: Intent = intent
  for (const pattern of wanted) {
    const { findings } = await opened.gyrarch.changes.draft('cluster.upgrade', asked)
    const offered = findings
      .filter(({ level }) => level === 'stop')
      .flatMap((each) => each.remedies)
    const change = offered.find(({ says }) => pattern.test(says))?.change
    if (!change || !('patchDraft' in change))
      throw new Error(
        `not offered: ${String(pattern)} of ${offered.map(({ says }) => says).join()}`,
      )
    const [operation] = change.patchDraft
    asked = { ...asked, pools: (operation as { value: readonly unknown[] }).value }
  }
  return asked
}

async function ran(intent: Intent): Promise<{ change: ChangeRecord; seconds: number }> {
  const { gyrarch } = opened
  const { id, findings, guardedBy } = await gyrarch.changes.draft('cluster.upgrade', intent)
  expect(findings.filter(({ level }) => level === 'stop')).toEqual([])
  const before = gyrarch.outside.now
  await gyrarch.changes.run(id, {
    accept: findings.map(({ key }) => key),
    confirm: guardedBy ?? undefined,
  })
  const change = await runOut(gyrarch, id, 12)
  expect([change.state, change.cause?.says]).toEqual(['done', undefined])
  expect(change.proof?.filter(({ holds }) => !holds)).toEqual([])
  return { change, seconds: (gyrarch.outside.now - before) / 1000 }
}

const holdsTo = (said: number, took: number): void => {
  expect(took).toBeGreaterThan(0.85 * said)
  expect(took).toBeLessThan(1.15 * said)
}

const nodesOf = async (cluster: string) =>
  (await opened.gyrarch.fleet.view()).clusters
    .find(({ name }) => name === cluster)
    ?.pools.flatMap((pool) => pool.nodes.map(({ name, release }) => ({ name, release })))

/** Pods that left a node in a run, as the evidence of its drain tells. */
const leftOf = (change: ChangeRecord, node: string): readonly string[] =>
  change.steps
    .filter(({ id }) => id.endsWith(`drain:${node}`))
    .flatMap(({ evidence }) =>
      evidence.flatMap((entry) => (entry.code === 'left' ? [String(entry.params['pod'])] : [])),
    )

describe('a pool whose machines hold copies of volumes', () => {
  const intent: Intent = { cluster: 'cedar', to: '1.34.1' }

  it('is updated where it stands: past the budget that never lets go, with a machine beside for the room', async () => {
    const { gyrarch } = opened
    const asked = await taking(intent, /^Go past the budget/, /general stand beside meanwhile/)
    const { findings } = await gyrarch.changes.draft('cluster.upgrade', asked)
    const past = findings.find(({ rule }) => rule === 'budgets.past.general')
    expect(past?.says).toMatch(/climate\/climate-loop-.* past their budgets, 5 min after/)
    const before = await nodesOf('cedar')
    const { change, seconds } = await ran(asked)
    holdsTo(change.plan?.seconds.likely ?? 0, seconds)
    expect((await nodesOf('cedar'))?.map(({ name }) => name)).toEqual(
      before?.map(({ name }) => name),
    )
    const volumes = (await gyrarch.fleet.view()).clusters.find(({ name }) => name === 'cedar')
      ?.storage?.volumes
    expect(
      volumes?.flatMap(({ replicas }) => replicas.filter(({ state }) => state !== 'whole')),
    ).toEqual([])
    // The budget was waited for as long as was said, and not longer.
    const waited = change.steps.find(({ id }) => id.endsWith('drain:cedar-general-1'))
    const took = (Date.parse(waited?.endedAt ?? '') - Date.parse(waited?.startedAt ?? '')) / 1000
    expect(took).toBeGreaterThan(300)
    expect(took).toBeLessThan(360)
  })

  it('is not made anew: its copies would be gone', async () => {
    const { findings } = await opened.gyrarch.changes.draft('cluster.upgrade', {
      ...intent,
      pools: [{ pool: 'storage', how: 'beside' }],
    })
    const stop = findings.find(({ rule }) => rule === 'pool.disks.storage')
    expect(stop?.says).toContain('come back empty')
    expect(stop?.field).toBe('pools[0].how')
    expect(stop?.remedies.map(({ says }) => says)).toEqual(['Update their agents where they are'])
  })
})

describe('a pool of one machine with a pod that fits nowhere else', () => {
  it('has another beside it first; what was said to leave a node left it', async () => {
    const { gyrarch } = opened
    const asked = await taking({ cluster: 'bramble', to: '1.34.1' }, /vision-gpu stand beside/)
    const draft = await gyrarch.changes.draft('cluster.upgrade', asked)
    expect(draft.findings.find(({ rule }) => rule === 'pool.spend.vision-gpu')?.says).toMatch(
      /1 machine beside costs/,
    )
    const objects = (await gyrarch.fleet.objectsOf('bramble')) ?? []
    const podsThere = objects
      .filter(
        (object) =>
          object.kind === 'Pod' &&
          (object as { spec?: { nodeName?: string } }).spec?.nodeName === 'bramble-vision-gpu-1' &&
          controllerOf(object as PodObject)?.kind !== 'DaemonSet',
      )
      .map(({ metadata }) => `${metadata?.namespace ?? ''}/${metadata?.name ?? ''}`)
    const { change, seconds } = await ran(asked)
    holdsTo(change.plan?.seconds.likely ?? 0, seconds)
    expect(leftOf(change, 'bramble-vision-gpu-1')).toEqual(podsThere)
    const order = change.plan?.steps.map(({ id }) => id) ?? []
    expect(order.indexOf('1.34.1/vision-gpu/join:bramble-vision-gpu-2')).toBeLessThan(
      order.indexOf('1.34.1/vision-gpu/drain:bramble-vision-gpu-1'),
    )
    expect((await nodesOf('bramble'))?.map(({ release }) => minorLine(release))).toEqual(
      Array.from({ length: 7 }, () => '1.34'),
    )
  })
})

describe('a pool that comes beside the old one', () => {
  it('stands whole before any old machine is emptied, and none goes before all are empty', async () => {
    const { change, seconds } = await ran({
      cluster: 'alder',
      to: '1.34.1',
      pools: [{ pool: 'core', how: 'beside' }],
    })
    holdsTo(change.plan?.seconds.likely ?? 0, seconds)
    const at = (part: string, edge: 'startedAt' | 'endedAt'): readonly number[] =>
      change.steps
        .filter(({ id }) => id.includes(`/core/${part}:`))
        .map((step) => Date.parse(step[edge] ?? ''))
    expect(at('join', 'endedAt')).toHaveLength(3)
    expect(Math.max(...at('join', 'endedAt'))).toBeLessThanOrEqual(
      Math.min(...at('drain', 'startedAt')),
    )
    expect(Math.max(...at('drain', 'endedAt'))).toBeLessThanOrEqual(
      Math.min(...at('leave', 'startedAt')),
    )
    expect(
      (await nodesOf('alder'))
        ?.map(({ name }) => name)
        .filter((name) => /core/.test(name))
        .sort(),
    ).toEqual(['alder-core-4', 'alder-core-5', 'alder-core-6'])
  })
})

describe('ways that cannot be gone', () => {
  const rulesOf = async (cluster: string, pool: unknown) =>
    (
      await opened.gyrarch.changes.draft('cluster.upgrade', {
        cluster,
        to: '1.34.1',
        pools: [pool],
      })
    ).findings
      .filter(({ level }) => level === 'stop')
      .map(({ rule, field, remedies }) => [rule, field, remedies.length > 0])

  it('are stopped at their field, with what goes instead', async () => {
    expect(await rulesOf('alder', { pool: 'nobody', how: 'anew' })).toEqual([
      ['pool.known.0', 'pools[0].pool', false],
    ])
    // The pod of the graphics pool is in the way whichever way the base pool goes.
    expect(await rulesOf('bramble', { pool: 'base', how: 'in-place' })).toEqual([
      ['pool.in-place.base', 'pools[0].how', true],
      ['drain.no-room.selector', 'to', true],
    ])
    expect(await rulesOf('alder', { pool: 'core', how: 'anew', unavailable: 0 })).toEqual([
      ['pool.pace.core', 'pools[0].unavailable', true],
    ])
  })

  it('are refused where they do not read', async () => {
    await expect(rulesOf('alder', { pool: 'core', how: 'somehow' })).rejects.toThrow()
    await expect(rulesOf('alder', { pool: 'core', how: 'anew', surge: -1 })).rejects.toThrow()
  })
})
