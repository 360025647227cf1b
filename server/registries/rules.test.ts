/** Which images may run: what the scanner finds, who vouches, and a namespace that takes only what it was told to. */
import { expect, it } from 'vitest'
import { isOfKind } from '~/core/objects'
import { nextPush, pushDue } from './pushes'
import { nextFindings } from './scanner'
import { vouchedFor } from './signatures'
import { draftAndRun, gyrarchForEach, type Opened } from '../testing/open'

let opened: Opened
gyrarchForEach(async (made) => {
  opened = made
})

const registry = 'registry.fernhollow.example'
const market = { cluster: 'bramble', namespace: 'market' }

async function podsOf(workload: string) {
  const objects = (await opened.gyrarch.fleet.objectsOf('bramble')) ?? []
  return objects.filter(
    (object) => isOfKind(object, 'Pod') && object.metadata.labels?.['app'] === workload,
  )
}

/** Why the containers of a workload wait, where any does. */
const waits = async (workload: string): Promise<string> =>
  JSON.stringify((await podsOf(workload)).map((pod) => (pod as { status?: unknown }).status))

it('says what is found in an image by the layers that it shares, and judges anew over the days', async () => {
  const { gyrarch } = opened
  const worst = async (name: string) =>
    (await gyrarch.registries.published()).images.find((image) => image.name === name)
      ?.vulnerabilities
  expect(await worst('gathering/cold-chain:2')).toContainEqual({
    id: 'FH-2026-0002',
    severity: 'critical',
  })
  expect(await worst('gathering/cold-chain:3')).toEqual([{ id: 'FH-2026-0001', severity: 'high' }])
  const shared = (await gyrarch.registries.published()).images.filter((image) =>
    image.vulnerabilities?.some(({ id }) => id === 'FH-2026-0001'),
  )
  expect(shared).toHaveLength(9)
  expect(await worst('market/market-desk:2')).toEqual([{ id: 'FH-2026-0003', severity: 'medium' }])
  expect(new Date(nextFindings(gyrarch.outside.now)).toISOString()).toBe('2026-03-04T11:00:00.000Z')
  await gyrarch.outside.advance(4 * 86_400)
  expect(nextFindings(gyrarch.outside.now)).toBe(Infinity)
  expect(await worst('market/market-desk:2')).toEqual([{ id: 'FH-2026-0003', severity: 'high' }])
})

it('holds back what is not signed: told before, heeded at the next pull, mended by a signature', async () => {
  const { gyrarch } = opened
  const whole = gyrarch.registries.whole()
  await gyrarch.registries.tell(whole)
  const drafted = await gyrarch.changes.draft('registry.rule', { ...market, signed: true })
  expect(drafted.findings).toMatchObject([{ level: 'caution', rule: 'rule.stops' }])
  expect(drafted.findings[0]?.says).toContain('price-feed')
  const ruled = await draftAndRun(gyrarch, 'registry.rule', { ...market, signed: true })
  expect([ruled.state, ruled.cause]).toEqual(['done', null])
  expect(await waits('price-feed')).not.toContain('signature')

  const restarted = await draftAndRun(gyrarch, 'workload.restart', {
    ...market,
    kind: 'Deployment',
    name: 'price-feed',
  })
  expect(restarted.state).toBe('halted')
  expect(await waits('price-feed')).toContain('signature validation failed')

  const signed = await draftAndRun(gyrarch, 'image.sign', {
    registry,
    image: 'market/price-feed:2',
  })
  expect([signed.state, signed.proof?.map(({ holds }) => holds)]).toEqual(['done', [true]])
  await gyrarch.outside.advance(300)
  expect(await waits('price-feed')).not.toContain('signature validation failed')
  const again = await gyrarch.changes.draft('image.sign', {
    registry,
    image: 'market/price-feed:2',
  })
  expect(again.findings.map(({ rule }) => rule)).toEqual(['image.unsigned'])
})

it('withdraws a tag with a word on who runs it, and puts it back', async () => {
  const { gyrarch } = opened
  await gyrarch.registries.tell(gyrarch.registries.whole())
  const intent = { registry, image: 'market/price-feed:2' }
  const { findings } = await gyrarch.changes.draft('image.withdraw', intent)
  expect(findings.map(({ says }) => says).join()).toContain('bramble market/price-feed')
  const done = await draftAndRun(gyrarch, 'image.withdraw', intent)
  expect([done.state, done.cause]).toEqual(['done', null])
  const tags = async () => {
    const view = await gyrarch.fleet.view()
    return view.sites.find(({ name }) => name === 'mossgate')?.registry?.images[
      `${registry}/market/price-feed`
    ]
  }
  expect(await tags()).not.toContain('2')
  await gyrarch.changes.takeBack(done.id)
  await gyrarch.outside.advance(60)
  expect(await tags()).toContain('2')
})

it('counts pods that run another digest than their tag stands for since a team pushed', async () => {
  const { gyrarch } = opened
  const whole = gyrarch.registries.whole()
  await gyrarch.registries.tell(whole)
  const before = (await whole.contents()).get('irrigation/valve-gateway')?.tags.get('2')
  const at = nextPush(gyrarch.outside.now)
  await pushDue(whole, at - 1)
  expect((await whole.contents()).get('irrigation/valve-gateway')?.tags.get('2')).toBe(before)
  await pushDue(whole, at)
  const after = (await whole.contents()).get('irrigation/valve-gateway')?.tags.get('2') ?? ''
  expect(after).not.toBe(before)
  expect(await vouchedFor(whole, 'irrigation/valve-gateway', after)).toMatchObject({
    state: 'signed',
  })
  // Once is enough: a tag that somebody moved since stays where it is.
  await whole.tag('irrigation/valve-gateway', '2', before ?? '')
  await pushDue(whole, at)
  expect((await whole.contents()).get('irrigation/valve-gateway')?.tags.get('2')).toBe(before)
  await whole.tag('irrigation/valve-gateway', '2', after)
  await gyrarch.registries.tell(whole)
  const { imagesIn, runningImages } = await import('./images')
  const runs = await runningImages([{ name: 'cedar', apiAnswers: true }], (cluster) =>
    gyrarch.fleet.objectsOf(cluster),
  )
  const contents = (await whole.contents()).get('irrigation/valve-gateway')
  if (!contents) throw new Error('the repository is gone')
  const images = await imagesIn(whole, 'irrigation/valve-gateway', contents, runs, 0)
  const run = images.find(({ tag }) => tag === '2')?.runs[0]
  expect(run?.pods).toBeGreaterThan(0)
  expect(run?.moved).toBe(run?.pods)
})
