/** Clusters taken from release to release in the stand-ins: what the draft says comes true. */
import { describe, expect, it } from 'vitest'
import type { ChangeRecord } from '../changes/changes'
import { putFault } from '../faults'
import { draftAndRun, gyrarchForEach, type Opened, runOut } from '../testing/open'

let opened: Opened
gyrarchForEach((made) => {
  opened = made
})

const ofKind = async (cluster: string, kind: string) =>
  ((await opened.gyrarch.fleet.objectsOf(cluster)) ?? []).filter((object) => object.kind === kind)

const ran = async (kind: string, intent: unknown, hours = 12): Promise<ChangeRecord> => {
  const change = await draftAndRun(opened.gyrarch, kind, intent, hours)
  expect([kind, change.state, change.cause?.says]).toEqual([kind, 'done', undefined])
  expect(change.proof?.filter(({ holds }) => !holds)).toEqual([])
  return change
}

/** Runs what is offered for every stop of a draft, and drafts again. */
async function mended(intent: { readonly cluster: string; readonly to: string }) {
  const { findings } = await opened.gyrarch.changes.draft('cluster.upgrade', intent)
  const stops = findings.filter(({ level }) => level === 'stop')
  for (const { remedies, says } of stops) {
    const change = remedies[0]?.change
    if (!change || !('kind' in change)) throw new Error(`nothing helps: ${says}`)
    await ran(change.kind, change.intent)
  }
  const again = await opened.gyrarch.changes.draft('cluster.upgrade', intent)
  expect(again.findings.filter(({ level }) => level === 'stop')).toEqual([])
  return { stops: stops.map(({ rule }) => rule), cautions: again.findings.map(({ rule }) => rule) }
}

describe('burdock, nine minors behind', () => {
  const intent = { cluster: 'burdock', to: '1.33' }

  it('is told what stands in the way, each with what helps; then goes all the way in the time that was said', async () => {
    const { gyrarch } = opened
    const { stops, cautions } = await mended(intent)
    expect(stops).toEqual(['objects.served', 'image.present.1.26.15', 'image.present.1.29.14'])
    expect([...cautions].sort()).toEqual([
      'clients.served',
      'member.single',
      'pool.moves.general',
      'upgrade.final',
      'window.none',
    ])
    expect((await ofKind('burdock', 'PodDisruptionBudget')).map((each) => each.apiVersion)).toEqual(
      ['policy/v1'],
    )
    expect(
      (await ofKind('burdock', 'HorizontalPodAutoscaler')).map((each) => each.apiVersion),
    ).toEqual(['autoscaling/v2'])
    const before = gyrarch.outside.now
    const done = await ran('cluster.upgrade', intent)
    const taken = (gyrarch.outside.now - before) / 1000
    const { likely, worst } = done.plan?.seconds ?? { likely: 0, worst: 0 }
    expect(taken).toBeGreaterThan(0.85 * likely)
    expect(taken).toBeLessThan(Math.min(worst, 1.15 * likely))
    const order = done.plan?.steps.map(({ id }) => id) ?? []
    const turned = order.filter((id) => id.includes('/general/join:'))
    expect(turned).toHaveLength(4 * 3)
    expect(order.findIndex((id) => id.startsWith('control-plane:1.27'))).toBeGreaterThan(
      order.indexOf('1.26.15/general/join:burdock-general-3'),
    )
    const view = await gyrarch.fleet.view()
    const cluster = view.clusters.find(({ name }) => name === 'burdock')
    expect(cluster?.pools.flatMap((pool) => pool.nodes).map(({ release }) => release)).toEqual(
      Array.from({ length: 4 }, () => cluster?.release),
    )
    expect(await whyNotBack(done.id)).toMatch(/./)
  })

  it('halts where a machine does not come back, and goes on once that is mended', async () => {
    const { gyrarch } = opened
    await mended(intent)
    const { id, findings } = await gyrarch.changes.draft('cluster.upgrade', intent)
    await gyrarch.changes.run(id, { accept: findings.map(({ key }) => key) })
    await putFault(gyrarch, {
      fault: 'image-missing',
      about: 'image/mossgate/1.26.15',
      mode: 'permanent',
      times: 1,
      afterSeconds: 0,
    })
    const halted = await runOut(gyrarch, id, 12)
    expect([halted.state, halted.cause?.reason]).toEqual(['halted', 'image-missing'])
    const remedy = halted.remedies.find(({ change }) => 'kind' in change)?.change
    if (!remedy || !('kind' in remedy)) throw new Error('nothing is offered')
    await ran(remedy.kind, remedy.intent)
    await gyrarch.changes.retry(id)
    const done = await runOut(gyrarch, id, 12)
    expect([done.state, done.cause?.says]).toEqual(['done', undefined])
    expect(done.proof?.filter(({ holds }) => !holds)).toEqual([])
  })

  it('has a silent API while its only member is restarted, and goes on by itself', async () => {
    const { gyrarch } = opened
    await mended(intent)
    const { id, findings } = await gyrarch.changes.draft('cluster.upgrade', intent)
    await gyrarch.changes.run(id, { accept: findings.map(({ key }) => key) })
    const answers = new Set<boolean | undefined>()
    for (let minutes = 0; minutes < 12; minutes++) {
      await gyrarch.outside.advance(60)
      const view = await gyrarch.fleet.view()
      answers.add(view.clusters.find(({ name }) => name === 'burdock')?.apiAnswers)
    }
    expect([...answers].sort()).toEqual([false, true])
    expect((await gyrarch.changes.get(id)).state).toBe('running')
  })
})

const whyNotBack = async (id: string): Promise<string> =>
  opened.gyrarch.changes.takeBack(id).then(
    () => '',
    (error: unknown) => String(error),
  )

describe('a site without a link', () => {
  it('stops at a release that was not carried in', async () => {
    const { findings } = await opened.gyrarch.changes.draft('cluster.upgrade', {
      cluster: 'sorrel',
      to: '1.33.2',
    })
    const rules = findings.filter(({ level }) => level === 'stop').map(({ rule }) => rule)
    expect(rules.some((rule) => rule.startsWith('release.carried.'))).toBe(true)
  })
})

describe('a cluster of three members', () => {
  it('is not taken down, nor to what nobody knows', async () => {
    const rules = async (to: string) =>
      (await opened.gyrarch.changes.draft('cluster.upgrade', { cluster: 'alder', to })).findings
        .filter(({ level }) => level === 'stop')
        .map(({ rule, remedies }) => [rule, remedies.length > 0])
    expect(await rules('1.99.1')).toEqual([['release.known', true]])
    expect(await rules('1.32.4')).toEqual([['release.above', true]])
    expect(await rules('')).toEqual([['release.known', true]])
  })

  it('answers all the time, and every budget holds', async () => {
    const { gyrarch } = opened
    const { id, findings, guardedBy } = await gyrarch.changes.draft('cluster.upgrade', {
      cluster: 'alder',
      to: '1.34',
    })
    expect(findings.filter(({ level }) => level === 'stop')).toEqual([])
    await gyrarch.changes.run(id, {
      accept: findings.map(({ key }) => key),
      confirm: guardedBy ?? undefined,
    })
    for (let minutes = 0; minutes < 60 * 3; minutes++) {
      await gyrarch.outside.advance(60)
      const view = await gyrarch.fleet.view()
      expect(view.clusters.find(({ name }) => name === 'alder')?.apiAnswers).toBe(true)
      if ((await gyrarch.changes.get(id)).state !== 'running') break
    }
    const done = await gyrarch.changes.get(id)
    expect([done.state, done.cause?.says]).toEqual(['done', undefined])
  })
})
