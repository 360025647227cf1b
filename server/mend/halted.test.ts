import { describe, expect, it } from 'vitest'
import { putFault } from '../faults'
import { fernlet, gyrarchForEach, type Opened, runOut } from '../testing/open'
import type { CaseRow } from './case-row'

let opened: Opened
gyrarchForEach((made) => (opened = made))

const put = (fault: string, about: string): Promise<string> =>
  putFault(opened.gyrarch, { fault, about, mode: 'permanent', times: 1, afterSeconds: 0 })

async function minutes(count: number): Promise<void> {
  for (let minute = 0; minute < count; minute++) {
    await opened.gyrarch.outside.advance(60)
    await opened.gyrarch.cases.atRest()
  }
}

async function caseAbout(subject: string): Promise<CaseRow | undefined> {
  const rows = await opened.gyrarch.cases.list()
  return rows.find(({ troubles }) => troubles.some((trouble) => trouble.subject === subject))
}

/** Drafts a change, puts a fault in its way once it runs, and waits until it halts. */
async function haltedBy(kind: string, intent: unknown, fault: string, about: string) {
  const { changes } = opened.gyrarch
  const { id, findings, guardedBy } = await changes.draft(kind, intent)
  expect(findings.filter(({ level }) => level === 'stop')).toEqual([])
  await put(fault, about)
  await changes.run(id, {
    accept: findings.map(({ key }) => key),
    ...(guardedBy === null ? {} : { confirm: guardedBy }),
  })
  const halted = await runOut(opened.gyrarch, id, 12)
  expect(halted.state).toBe('halted')
  await minutes(3)
  return id
}

describe('what runs alone show', () => {
  it('is a site at which everything takes half as long again: a case of the site, once enough was seen', async () => {
    const { changes, cases } = opened.gyrarch
    const { id, findings } = await changes.draft('cluster.raise', {
      ...fernlet,
      pools: [{ name: 'general', size: 'reed-2-8', count: 8 }],
    })
    expect(findings.filter(({ level }) => level === 'stop')).toEqual([])
    await put('site-slow', 'site/tarn-north')
    await changes.run(id, { accept: findings.map(({ key }) => key) })
    expect((await runOut(opened.gyrarch, id)).state).toBe('done')
    await minutes(3)
    const rows = (await cases.list()).filter(({ cluster }) => cluster === 'tarn-north')
    expect(rows.map(({ state, cause, about }) => [state, cause, about])).toEqual([
      ['open', 'site-slow', 'site/tarn-north'],
    ])
  })

  it('is a spot machine that was taken back, until there is one in its place', async () => {
    const { changes } = opened.gyrarch
    const grow = async (kind: string, intent: unknown) => {
      const { id, findings } = await changes.draft(kind, intent)
      await changes.run(id, { accept: findings.map(({ key }) => key) })
      expect((await runOut(opened.gyrarch, id)).state).toBe('done')
    }
    const pool = { cluster: 'dill', pool: 'brief' }
    await grow('pool.add', { ...pool, size: 'reed-2-8', count: 2, lifetime: 'spot' })
    const { sites } = await opened.gyrarch.fleet.view()
    const spot = sites
      .flatMap(({ machines }) => machines)
      .find(({ lifetime, cluster }) => lifetime === 'spot' && cluster === 'dill')
    await put('spot-taken', `machine/tarn-north/${spot?.name ?? ''}`)
    await minutes(6)
    expect(await caseAbout('pool/brief')).toMatchObject({ state: 'open', cause: 'spot-taken' })
    await grow('pool.resize', { ...pool, count: 2 })
    await minutes(3)
    expect(await caseAbout('pool/brief')).toMatchObject({ state: 'closed' })
  })
})

describe('a run that has halted', () => {
  it.each([
    ['cluster.raise', fernlet, 'machine-unavailable', 'site/tarn-north', 'unavailable'],
    [
      'cluster.upgrade',
      { cluster: 'alder', to: '1.33.2' },
      'member-silent',
      'cluster/alder',
      'member-not-back',
    ],
    [
      'cluster.upgrade',
      { cluster: 'alder', to: '1.34.1' },
      'add-on-crashes',
      'addon/alder/trellis',
      'add-on-crash',
    ],
  ])('%s is a case, of what failed first', async (kind, intent, fault, about, cause) => {
    const id = await haltedBy(kind, intent, fault, about)
    expect(await caseAbout(`run/${id}`)).toMatchObject({ state: 'open', cause })
  })

  it('at a webhook that knows no newer version offers to have it not asked about that, and goes on then', async () => {
    const { changes } = opened.gyrarch
    const budget = [
      'apiVersion: policy/v1',
      'kind: PodDisruptionBudget',
      'metadata: {name: gate, namespace: platform}',
      'spec: {maxUnavailable: 1, selector: {matchLabels: {app: policy-webhook}}}',
    ].join('\n')
    const id = await haltedBy(
      'manifest.apply',
      { cluster: 'burdock', text: budget },
      'gate-behind',
      'cluster/burdock',
    )
    const { cause, remedies } = await changes.get(id)
    expect([cause?.reason, cause?.says]).toEqual([
      'webhook-denies',
      'admission webhook "objects.orchard-gate.fernhollow.example" denied the request: no kind "PodDisruptionBudget" is registered for version "policy/v1"',
    ])
    expect(await caseAbout(`run/${id}`)).toMatchObject({ cause: 'webhook-denies' })
    const [remedy] = remedies
    expect(remedy?.says).toBe(
      'Have orchard-gate-objects ask no more about PodDisruptionBudget of policy/v1',
    )
    if (!remedy || !('kind' in remedy.change)) throw new Error('nothing is offered')
    const narrowed = await changes.draft(remedy.change.kind, remedy.change.intent)
    await changes.run(narrowed.id, { accept: narrowed.findings.map(({ key }) => key) })
    expect((await runOut(opened.gyrarch, narrowed.id)).state).toBe('done')
    await changes.retry(id)
    expect((await runOut(opened.gyrarch, id)).state).toBe('done')
  })

  it('keeps its case while it is tried again and halts again, and closes it when it is given up', async () => {
    const { changes, cases } = opened.gyrarch
    const id = await haltedBy('cluster.raise', fernlet, 'machine-unavailable', 'site/tarn-north')
    const before = await caseAbout(`run/${id}`)
    await changes.retry(id)
    await minutes(1)
    expect(await cases.openAbout(`run/${id}`)).toBe(`m-${before?.number}`)
    expect((await runOut(opened.gyrarch, id)).state).toBe('halted')
    await minutes(3)
    const open = (await cases.list()).filter(
      ({ state, troubles }) => state === 'open' && troubles[0]?.subject === `run/${id}`,
    )
    expect(open.map(({ number }) => number)).toEqual([before?.number])
    await changes.giveUp(id)
    await minutes(2)
    expect(await caseAbout(`run/${id}`)).toMatchObject({
      state: 'closed',
      closedBy: `${id} is given-up`,
    })
  })
})

describe('what is expected and does not hold', () => {
  it('is a case with what lets it through, and closes once it arrives', async () => {
    const { gyrarch } = opened
    await gyrarch.expectations.keep({
      name: 'the desk reaches the ledger',
      from: { pod: 'market/market-desk', cluster: 'bramble' },
      to: { service: 'market/ledger-view', cluster: 'bramble' },
      port: 8443,
      delivered: false,
    })
    await minutes(3)
    const row = await caseAbout('expectation/the desk reaches the ledger')
    expect(row).toMatchObject({ state: 'open', cause: 'walk-open', cluster: 'bramble' })
    await gyrarch.expectations.remove('the desk reaches the ledger')
    await minutes(2)
    expect(await gyrarch.cases.openAbout('expectation/the desk reaches the ledger')).toBeNull()
  })
})

describe('a finding', () => {
  it('is a case once somebody opens one, until the draft is changed so that it is none', async () => {
    const { cases, changes } = opened.gyrarch
    const { id, findings } = await changes.draft('cluster.raise', {
      ...fernlet,
      ranges: { ...fernlet.ranges, pods: '10.20.16.0/22' },
    })
    const stop = findings.find(({ level }) => level === 'stop')
    const subject = `finding/${id}/${stop?.key}`
    const row = await cases.openFor('', subject, 'ada')
    expect(row).toMatchObject({ state: 'open', cause: stop?.rule, openedBy: 'ada' })
    await minutes(2)
    expect(await caseAbout(subject)).toMatchObject({ state: 'open' })
    await changes.amend(id, fernlet, null)
    await minutes(6)
    expect(await caseAbout(subject)).toMatchObject({ state: 'closed' })
    await expect(cases.openFor('', subject, 'ada')).rejects.toThrow(/is well/)
  })
})
