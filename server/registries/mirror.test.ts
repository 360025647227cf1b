/** Images of others: nodes look for them where a registry of ours keeps them, and drafts know that. */
import { Readable } from 'node:stream'
import { expect, it } from 'vitest'
import { stringify } from 'yaml'
import { isOfKind, list, record } from '~/core/objects'
import { draftAndRun, gyrarchForEach, type Opened, runOut } from '../testing/open'
import { imagesIn, runningImages } from './images'
import { vouchedFor } from './signatures'

let opened: Opened
gyrarchForEach(async (made) => {
  opened = made
})

const pages = (tag: string, namespace = 'market') =>
  stringify({
    apiVersion: 'apps/v1',
    kind: 'Deployment',
    metadata: { name: 'pages', namespace },
    spec: {
      selector: { matchLabels: { app: 'pages' } },
      template: {
        metadata: { labels: { app: 'pages' } },
        spec: {
          containers: [
            {
              name: 'pages',
              image: `images.example/common/page-server:${tag}`,
              resources: { requests: { cpu: '10m', memory: '16Mi' } },
            },
          ],
        },
      },
    },
  })

const imageFindings = async (cluster: string, text: string) =>
  (await opened.gyrarch.changes.draft('manifest.apply', { cluster, text })).findings.filter(
    ({ rule }) => rule.startsWith('image.'),
  )

it('are kept with their bytes in the registry of the joined sites, and nobody vouches for them', async () => {
  const whole = opened.gyrarch.registries.whole()
  const held = await whole.repository('outside/common/page-server')
  const digest = held?.tags.get('2') ?? ''
  expect(digest).toMatch(/^sha256:/)
  expect(await whole.bytes(digest)).not.toBeNull()
  expect(await vouchedFor(whole, 'outside/common/page-server', digest)).toMatchObject({
    state: 'unsigned',
  })
})

it('are pulled by the name of others, and known to run where they are kept', async () => {
  const { gyrarch } = opened
  const whole = gyrarch.registries.whole()
  await gyrarch.registries.tell(whole)
  const change = await draftAndRun(gyrarch, 'manifest.apply', {
    cluster: 'bramble',
    text: pages('2'),
  })
  expect([change.state, change.cause?.says]).toEqual(['done', undefined])
  const pod = (await gyrarch.fleet.objectsOf('bramble'))
    ?.filter((object) => isOfKind(object, 'Pod'))
    .find(({ metadata }) => metadata.labels?.['app'] === 'pages')
  const contents = await whole.contents()
  const repository = contents.get('outside/common/page-server')
  const [status] = list(record(record(pod)['status'])['containerStatuses']).map(record)
  expect(status?.['imageID']).toBe(
    `images.example/common/page-server@${repository?.tags.get('2') ?? ''}`,
  )
  const runs = await runningImages((await gyrarch.fleet.view()).clusters, (cluster) =>
    gyrarch.fleet.objectsOf(cluster),
  )
  if (!repository) throw new Error('the repository is gone')
  const images = await imagesIn(whole, 'outside/common/page-server', repository, runs, 0)
  expect(images.find(({ tag }) => tag === '2')?.runs).toEqual([
    { cluster: 'bramble', workload: 'market/pages', pods: 1, moved: 0 },
  ])
})

it('are said to be missing before they are asked for, by the registry that is asked', async () => {
  expect(await imageFindings('bramble', pages('2'))).toEqual([])
  const [missing] = await imageFindings('bramble', pages('9'))
  expect(missing?.says).toContain('images.example/common/page-server:9')
  expect(missing?.because[0]?.says).toContain('registry.fernhollow.example')
  // Without a link there is only what the registry inside holds.
  const [inside] = await imageFindings('sorrel', pages('2', 'archive'))
  expect(inside?.because[0]?.says).toContain('registry.kilnlane.example')
})

it('reach a site without a link by a shipment, under the same name', async () => {
  const { gyrarch } = opened
  const site = { shipment: 'pages', site: 'kilnlane' }
  const packed = await draftAndRun(gyrarch, 'shipment.pack', {
    ...site,
    images: ['outside/common/page-server:2'],
    unsigned: 'taken',
    media: [{ name: 'drive-64', count: 1 }],
  })
  expect([packed.state, packed.cause?.says]).toEqual(['done', undefined])
  const draft = await gyrarch.changes.draft('shipment.import', site)
  await gyrarch.changes.run(draft.id, {
    accept: draft.findings.map(({ key }) => key),
    confirm: undefined,
  })
  const { shipments } = gyrarch
  for (const { drive } of await shipments.states(await shipments.find('pages'))) {
    const bytes = await shipments.archive('pages', drive, [])
    expect(await shipments.intake.put(Readable.from([bytes]))).toMatchObject({ isWhole: true })
  }
  const came = await runOut(gyrarch, draft.id, 2)
  expect([came.state, came.cause?.says]).toEqual(['done', undefined])
  expect(await imageFindings('sorrel', pages('2', 'archive'))).toEqual([])
  const change = await draftAndRun(gyrarch, 'manifest.apply', {
    cluster: 'sorrel',
    text: pages('2', 'archive'),
  })
  expect([change.state, change.cause?.says]).toEqual(['done', undefined])
})
