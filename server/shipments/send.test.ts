/** Where a link leads to a site with a registry of its own, a shipment goes over it and needs no drives. */
import { expect, it, vi } from 'vitest'
import {
  draftAndRun,
  emptyFolder,
  gyrarchForEach,
  type Opened,
  openForTest,
  runOut,
} from '../testing/open'

vi.mock('~/demo/sites.yaml?raw', async (original) => {
  const { default: sites } = await original<{ default: string }>()
  return { default: sites.replace('connected: false', 'connected: true') }
})

let opened: Opened
gyrarchForEach(
  (made) => (opened = made),
  () => openForTest(emptyFolder()),
)

const choice = { shipment: 'kilnlane-1.32', site: 'kilnlane', release: '1.32.6', channel: 'steady' }

it('sends what the registry lacks straight to it, enters it, and has every node pull it', async () => {
  const { gyrarch } = opened
  const change = await draftAndRun(gyrarch, 'shipment.send', choice, 4)
  expect([change.state, change.cause]).toEqual(['done', null])
  expect(change.proof?.map(({ holds }) => holds)).toEqual([true, true])
  expect(change.plan?.steps.map(({ id }) => id).slice(0, 3)).toEqual(['enter', 'carry', 'send'])
  const view = await gyrarch.fleet.view()
  const kilnlane = view.sites.find(({ name }) => name === 'kilnlane')
  expect(kilnlane?.registry?.images['registry.kilnlane.example/platform/api-server']).toContain(
    '1.32.6',
  )
  const row = await gyrarch.shipments.find(choice.shipment)
  const [image] = row.images
  const inside = gyrarch.registries.at('kilnlane')
  expect(image && (await inside?.keeps(image.digest))).toBe(true)
  // What it holds now is not sent a second time.
  const again = await gyrarch.changes.draft('shipment.send', { ...choice, shipment: 'again' })
  expect(again.findings.map(({ rule }) => rule)).toContain('shipment.empty')
  // Nothing is packed onto drives for a site that is reached.
  const packed = await gyrarch.changes.draft('shipment.pack', { ...choice, media: [] })
  expect(packed.findings.map(({ rule }) => rule)).toEqual(['registry.joined'])
})

it('is taken back: the names are gone, and so is the shipment', async () => {
  const { gyrarch } = opened
  const change = await draftAndRun(gyrarch, 'shipment.send', choice, 4)
  await gyrarch.changes.takeBack(change.id)
  expect((await runOut(gyrarch, change.id)).state).toBe('taken-back')
  const view = await gyrarch.fleet.view()
  expect(view.shipments ?? []).toEqual([])
  const registry = view.sites.find(({ name }) => name === 'kilnlane')?.registry
  expect(registry?.images['registry.kilnlane.example/platform/api-server']).not.toContain('1.32.6')
})
