/** Changes run through a model of what was observed, held against their plans and against the runs that follow. */
import { expect, it } from 'vitest'
import { nodesAt } from '~/core/rehearsal'
import { birch, elm, fernlet } from '~/core/testing/drafts'
import type { ChangeRecord } from '../changes/changes'
import { putFault } from '../faults'
import { gyrarchForEach, type Opened, runOut } from '../testing/open'

let opened: Opened
gyrarchForEach((made) => (opened = made))

async function rehearsed(id: string) {
  const { gyrarch } = opened
  await gyrarch.rehearsals.begin(id)
  await gyrarch.rehearsals.atRest()
  return gyrarch.rehearsals.state(await gyrarch.changes.get(id))
}

async function run({ id, findings }: ChangeRecord, confirm?: string) {
  await opened.gyrarch.changes.run(id, { accept: findings.map(({ key }) => key), confirm })
  const ended = await runOut(opened.gyrarch, id, 24)
  return { ended, told: await opened.gyrarch.rehearsals.state(ended) }
}

const upgrade = { cluster: 'alder', to: '1.33.2', pools: [] }

const general = {
  pool: 'general',
  how: 'in-place',
  surge: 1,
  unavailable: 0,
  budgets: 'past',
  graceSeconds: 60,
}
const fleetIntent = {
  to: '1.34.1',
  clusters: [
    { cluster: 'alder', wave: 1 },
    { cluster: 'cedar', wave: 2, pools: [general] },
  ],
}

/** Pods that leave in each drain. */
const drains = (steps: readonly { readonly id: string; readonly left: readonly unknown[] }[]) =>
  steps.filter(({ id }) => id.includes('drain:')).map(({ id, left }) => [id, left.length])

it('says of an upgrade what the run then does, and alters nothing by it', async () => {
  const { gyrarch } = opened
  const draft = await gyrarch.changes.draft('cluster.upgrade', upgrade)
  const before = await gyrarch.fleet.view()
  const first = await rehearsed(draft.id)
  expect((await gyrarch.fleet.view()).version).toBe(before.version)
  expect([first.state, first.why, first.isCurrent]).toEqual(['done', null, true])
  expect(first.against).toEqual([])
  const rehearsal = first.rehearsal
  if (!rehearsal || !draft.plan) throw new Error('nothing was rehearsed')
  expect(rehearsal.steps.map(({ state }) => state)).toEqual(draft.plan.steps.map(() => 'done'))
  // What it takes is within what was reckoned, and each node goes to the new release.
  expect(rehearsal.seconds).toBeGreaterThan(draft.plan.seconds.likely * 0.7)
  expect(rehearsal.seconds).toBeLessThan(draft.plan.seconds.worst)
  expect(nodesAt(rehearsal.frames, 0).get('alder/alder-core-2')?.release).not.toBe('1.33.2')
  const last = nodesAt(rehearsal.frames, rehearsal.frames.length - 1)
  expect([...last.values()].map(({ release, ready }) => `${release} ${String(ready)}`)).toEqual(
    [...last].map(() => '1.33.2 true'),
  )
  const { ended, told } = await run(draft, 'alder')
  expect(ended.state).toBe('done')
  expect(told.run).toEqual([])
  expect(drains(rehearsal.steps)).toEqual(
    drains(
      ended.steps.map(({ id, evidence }) => ({
        id,
        left: evidence.filter(({ code }) => code === 'left'),
      })),
    ),
  )
})

it.each([
  ['cluster.raise', elm, undefined],
  ['cluster.raise', birch, undefined],
  ['pool.resize', { cluster: 'bramble', pool: 'general', count: 5 }, 'bramble'],
  ['node.drain', { cluster: 'bramble', nodes: ['bramble-general-2'] }, 'bramble'],
  [
    'workload.restart',
    { cluster: 'bramble', namespace: 'market', name: 'price-feed', kind: 'Deployment' },
    'bramble',
  ],
  ['cluster.stop', { cluster: 'dill' }, undefined],
])('rehearses %s of $name$cluster as it runs', async (kind, intent, confirm) => {
  const draft = await opened.gyrarch.changes.draft(kind, intent)
  expect(draft.findings.filter(({ level }) => level === 'stop')).toEqual([])
  const { state, why, rehearsal, against } = await rehearsed(draft.id)
  expect([state, why, against]).toEqual(['done', null, []])
  expect(rehearsal?.seconds).toBeLessThan(draft.plan?.seconds.worst ?? 0)
  const { ended, told } = await run(draft, confirm)
  expect([ended.state, ended.cause?.says, told.run]).toEqual(['done', undefined, []])
  expect(drains(rehearsal?.steps ?? [])).toEqual(
    drains(
      ended.steps.map(({ id, evidence }) => ({
        id,
        left: evidence.filter(({ code }) => code === 'left'),
      })),
    ),
  )
})

it('knows nothing of what the outside hides, and says afterwards where the run went otherwise', async () => {
  const { gyrarch } = opened
  const draft = await gyrarch.changes.draft('cluster.raise', fernlet)
  await putFault(gyrarch, {
    fault: 'machine-unavailable',
    about: 'site/tarn-north',
    mode: 'permanent',
    times: 1,
    afterSeconds: 0,
  })
  expect((await rehearsed(draft.id)).against).toEqual([])
  const { ended, told } = await run(draft)
  expect(ended.state).toBe('halted')
  expect(told.run?.map(({ code }) => code)).toContain('run.failed')
  await expect(gyrarch.rehearsals.begin(draft.id)).rejects.toThrow('has begun')
})

it('rehearses a whole fleet, with copies of volumes that move, and can be given up', async () => {
  const { gyrarch } = opened
  const { id, plan } = await gyrarch.changes.draft('fleet.upgrade', fleetIntent)
  await gyrarch.rehearsals.begin(id)
  await gyrarch.rehearsals.cancel(id)
  expect((await gyrarch.rehearsals.state(await gyrarch.changes.get(id))).state).toBe('none')
  const { state, why, rehearsal, against } = await rehearsed(id)
  expect([state, why]).toEqual(['done', null])
  expect(against).toEqual([])
  expect(rehearsal?.seconds).toBeLessThan(plan?.seconds.worst ?? 0)
  const last = nodesAt(rehearsal?.frames ?? [], Infinity)
  const general = [...last.values()].filter(({ name }) => name.startsWith('cedar-general'))
  expect(general.length).toBeGreaterThan(0)
  expect(new Set(general.map(({ release }) => release))).toEqual(new Set(['1.34.1']))
})

it('is refused where there is no plan', async () => {
  const { id } = await opened.gyrarch.changes.draft('cluster.upgrade', { ...upgrade, to: '1.99' })
  await expect(opened.gyrarch.rehearsals.begin(id)).rejects.toThrow('has no plan yet')
})
