/** What a closed site needs, as a person asks for it. */
import { rmSync, writeFileSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import type { ElementHandle } from 'puppeteer-core'
import { expect, it } from 'vitest'
import { fill, find, goTo, press, pressToDraft, see } from './browser'
import { suite } from './suite'

const served = suite({ refusals: false })
const { visit, advance } = served

it('a shipment is computed from the site, the release it should reach and the drives at hand', async () => {
  const page = await visit('/store/shipments')
  await see(page, '8.8 GB on 1 drive')
  await see(page, 'a step between: a control plane goes one minor at a time')
  await see(page, 'release 1.31.9 whole')
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

it('story 8: copies move to the storage network once its links take full packets and nothing is served', async () => {
  const page = await visit('/store/network?aim=cluster/cedar')
  await see(page, '6 of 42 pairs would fail')
  await press(page, 'button', 'cedar-general-1 to cedar-storage-3: too large, 1500 bytes')
  await see(page, 'Large packets do not arrive')
  await pressToDraft(page, 'Set the link of cedar-storage-3 to 9000 bytes')
  await see(page, 'Nothing stands against it')
  await fill(page, 'textbox', 'cedar is guarded: type its name', 'cedar')
  await press(page, 'button', 'Run')
  await see(page, 'Running')
  await advance(60)
  await see(page, 'Done and proven')

  await goTo(page, `${served.url}/store/network?aim=cluster/cedar`)
  await see(page, 'All 42 pairs reach each other')
  await see(page, 'gathering/gathering-ledger')
  await press(page, 'button', 'Move copies to mossgate storage')
  await see(page, 'gathering-ledger-0 is being served for gathering/gathering-ledger-0')
  await page
    .locator('aria/Stop what holds volumes for the time of it, in order, and start it again')
    .click()
  await see(page, 'are stopped for about')
  await press(page, 'checkbox', 'I accept this')
  await fill(page, 'textbox', 'cedar is guarded: type its name', 'cedar')
  await press(page, 'button', 'Run')
  await see(page, 'Running')
  await advance(900)
  await see(page, 'Done and proven')
  await see(page, 'New connections come from addresses of mossgate storage')
  await goTo(page, `${served.url}/store/disks?aim=cluster/cedar`)
  await see(page, 'copies travel mossgate storage')
  await see(page, 'Every volume has all its copies')
})

it('story 9: what sorrel lacks is packed, carried as a file, taken in, and pulled by every node', async () => {
  const page = await visit('/store/shipments?drives-drive-512=0')
  await see(page, '8.8 GB on 1 drive')
  await pressToDraft(page, 'Pack 1 drive')
  await see(page, 'Nothing stands against it')
  await press(page, 'button', 'Run')
  await see(page, 'Running')
  await advance(300)
  await see(page, 'Done and proven')

  await goTo(page, `${served.url}/store/shipments?shipment=kilnlane-1.33.2`)
  const file = join(tmpdir(), `gyrarch-drive-${process.pid}.tar`)
  const drive = await fetch(`${served.url}/api/v1/shipments/kilnlane-1.33.2/drives/1.tar`)
  writeFileSync(file, Buffer.from(await drive.arrayBuffer()))
  await find(page, 'link', 'download')
  await pressToDraft(page, 'Take it in at kilnlane')
  await see(page, 'Nothing stands against it')
  await press(page, 'button', 'Run')
  await see(page, '0 of 1 drive has been put in')
  const input = await page.waitForSelector('input[type=file][aria-label=drive]')
  await (input as ElementHandle<HTMLInputElement>).uploadFile(file)
  await see(page, '38 images entered in registry.kilnlane.example')
  await advance(900)
  await see(page, 'Done and proven')
  await see(page, 'registry.kilnlane.example holds every image of kilnlane-1.33.2')
  await see(page, 'nodes of sorrel pull from registry.kilnlane.example')
  rmSync(file)

  await goTo(page, `${served.url}/store/shipments`)
  await see(page, 'kilnlane has all of it')
})

it('an image that nobody vouches for: what a rule would stop is told, and a signature is given', async () => {
  const page = await visit('/store/registries')
  await see(page, 'Grave findings in 3 repositories')
  await goTo(page, `${served.url}/store/registries?repository=vision/seedling-vision`)
  await see(page, 'not signed')
  await press(page, 'button', 'Hold unsigned images back in vision (bramble)')
  await see(page, '1 pod of vision could not be made anew: seedling-vision')
  await goTo(page, `${served.url}/store/registries?repository=vision/seedling-vision`)
  await pressToDraft(page, 'Sign it')
  await see(page, 'Nothing stands against it')
  await press(page, 'button', 'Run')
  await see(page, 'Done and proven')
  await goTo(page, `${served.url}/store/registries`)
  await see(page, '4 repositories have unsigned tags')
})
