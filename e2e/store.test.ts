/** What a closed site needs, as a person asks for it. */
import { expect, it } from 'vitest'
import { find, fill, press, see } from './browser'
import { suite } from './suite'

const { visit } = suite({ refusals: false })

it('a shipment is computed from the site, the release it should reach and the drives at hand', async () => {
  const page = await visit('/store/shipments')
  await see(page, '8.8 GB on 1 drive')
  await see(page, 'a step between: a control plane goes one minor at a time')
  await see(page, 'release 1.31.9 whole')
  await find(page, 'link', 'download')
  await fill(page, 'spinbutton', 'drive-64 (64 GB)', '0')
  await fill(page, 'spinbutton', 'drive-512 (512 GB)', '0')
  await press(page, 'button', 'Compute')
  await see(page, 'There is no drive at hand.')
})

it('a way that a withdrawn edge cuts says so, with how far one gets', async () => {
  const page = await visit('/store/shipments?release=1.32.4')
  await see(page, 'No path leads from 1.31.9 to 1.32.4.')
  await see(page, 'node agents lost their leases for ten minutes')
})

it('Store is an area of its own, and its claims are those of one cluster', async () => {
  const page = await visit('/fleet')
  await page.keyboard.press('6')
  await see(page, 'Whose storage?')
  await press(page, 'button', 'cedar')
  await see(page, 'hall-copies')
  expect(await find(page, 'table', 'storage classes')).toBeTruthy()
})
