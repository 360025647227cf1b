/** What a shipment to a site would be, from the demo’s catalogue and what its clusters run. */
import { expect, it } from 'vitest'
import { carriedItems, orderOf, shipment } from '~/core/shipment'
import type { FleetView } from '~/core/fleet'
import { gyrarchForAll, type Opened } from '../testing/open'
import { shipmentAsked } from './shipping'

let opened: Opened
let view: FleetView
gyrarchForAll((made, seen) => {
  opened = made
  view = seen
})

async function asked(query: string) {
  const catalogue = await opened.gyrarch.catalogue.contents()
  const read = shipmentAsked(new URLSearchParams(query), view, catalogue)
  if (!read) throw new Error('there is no site')
  const order = orderOf(read.choice, view, catalogue)
  const computed = shipment(order)
  if (!computed) throw new Error('it is not computed')
  return { ...read, order, shipment: computed, items: carriedItems(order, computed) }
}

it('takes the closed site, and the newest of the oldest minor that is supported', async () => {
  const { choice, stock } = await asked('')
  expect([choice.site, stock.release, choice.release]).toEqual(['kilnlane', '1.31.9', '1.33.2'])
})

it('carries the step between and the chains of add-ons, on one small drive', async () => {
  const { shipment: computed, items } = await asked('site=kilnlane&release=1.33.2')
  expect(computed.releases).toEqual(['1.32.6', '1.33.2'])
  expect(computed.problems).toEqual([])
  expect(computed.drives.map((drive) => drive.medium)).toEqual(['drive-64'])
  expect(items.reduce((sum, item) => sum + item.carriedBytes, 0)).toBe(computed.bytes)
  for (const item of items)
    expect(item.onSiteBytes + item.sharedBytes + item.carriedBytes).toBe(item.bytes)
})

it('says which withdrawn edge cuts the way', async () => {
  const { shipment: computed } = await asked('site=kilnlane&release=1.32.4')
  expect(computed.problems[0]?.cutBy).toMatchObject([{ from: '1.31.9', to: '1.32.4' }])
})

it('carries nothing that the site has: every blob of what it runs is left out', async () => {
  const { shipment: computed } = await asked('site=kilnlane&release=1.31.9&channel=none')
  expect([computed.bytes, computed.drives]).toEqual([0, []])
})

it('needs more drives where only small ones are at hand', async () => {
  const { shipment: computed } = await asked('drives-drive-64=0&drives-drive-512=1')
  expect(computed.drives.map((drive) => drive.medium)).toEqual(['drive-512'])
  const none = await asked('drives-drive-64=0&drives-drive-512=0')
  expect(none.shipment.unfit.length).toBe(none.shipment.blobs.length)
})

it('has add-ons that fit every minor from 1.24 to 1.33 by two or three steps', async () => {
  const { addOns } = await opened.gyrarch.catalogue.contents()
  for (const { name, channels } of addOns) {
    const steady = channels.find((channel) => channel.name === 'steady')
    for (let minor = 24; minor <= 33; minor += 1)
      expect([
        name,
        minor,
        steady?.versions.some(
          ({ min, max }) =>
            (min === null || Number(min.split('.')[1]) <= minor) &&
            (max === null || Number(max.split('.')[1]) >= minor),
        ),
      ]).toEqual([name, minor, true])
  }
})
