import type { Browser } from 'puppeteer-core'
import { parse } from 'yaml'
import { afterAll, afterEach, beforeAll, beforeEach, expect, it } from 'vitest'
import {
  choose,
  fill,
  find,
  openBrowser,
  openPage,
  press,
  runWhenReady,
  see,
  type Watched,
} from './browser'
import { api, serve, type Served } from './server'

let browser: Browser
let served: Served
let open: Watched[] = []

beforeAll(async () => {
  browser = await openBrowser()
})
afterAll(() => browser.close())
beforeEach(async () => {
  served = await serve()
})
afterEach(async () => {
  const complaints = open.flatMap((watched) => watched.complaints)
  for (const { page } of open) await page.browserContext().close()
  open = []
  await served.remove()
  expect(complaints).toEqual([])
})

const visit = async (path: string) => {
  const watched = await openPage(browser, `${served.url}${path}`)
  open.push(watched)
  return watched.page
}

/** Begins a draft at a site, names it, and runs it as soon as nothing stands against it. */
async function raiseAt(site: string, name: string) {
  const page = await visit(`/ground?site=${site}`)
  await press(page, 'button', 'Raise a cluster here')
  await fill(page, 'textbox', 'Name', name)
  await runWhenReady(page)
  return page
}

const hurry = () => api(served.url).ask('POST', '/clock', { speed: 600 })

it('raises elm-12 on the box: the wrong disks are stopped, the remedy takes the right one, the access file parses', async () => {
  const page = await visit('/fleet')
  await press(page, 'link', 'Raise')
  await press(page, 'button', 'Draft a cluster')
  await choose(page, 'Site', 'glasshouse-12, edge')
  await fill(page, 'textbox', 'Name', 'elm-12')
  // Once the name is no longer missing: while that stop goes, the buttons below it move.
  await see(page, '2 things stop this')
  await press(page, 'button', 'Use gh12-box', 30_000)
  await fill(page, 'textbox', 'Install disk', '/dev/disk/by-id/usb-STICK_32')
  await see(page, 'usb-STICK_32 is removable')
  await fill(page, 'textbox', 'Install disk', '/dev/sda')
  await see(page, '/dev/sda is only today’s name')
  await see(page, 'One thing stops this')
  await press(page, 'button', 'Use ata-FIR_480_A1')
  await runWhenReady(page)
  await hurry()
  await see(page, 'Done and proven', 60_000)
  await press(page, 'link', 'Open elm-12')
  await find(page, 'button', 'Make an access file')
  await see(page, 'elm-12-a')
  await see(page, 'well')
  const { json } = await api(served.url).ask<string>('GET', '/clusters/elm-12/access')
  const file = parse(json) as {
    'current-context': string
    clusters: { cluster: { server: string } }[]
  }
  expect(file['current-context']).toBe('elm-12')
  expect(file.clusters[0]?.cluster.server).toMatch(/^https:\/\/127\.0\.0\.1:\d+$/)
})

it('shows “unavailable” with its attempts at tarn-north, halts when it stays, and completes by retry', async () => {
  const { ask } = api(served.url)
  const fault = await ask<{ id: string }>('POST', '/faults', {
    fault: 'machine-unavailable',
    about: 'site/tarn-north',
    mode: 'permanent',
  })
  const page = await raiseAt('tarn-north', 'fernlet')
  await hurry()
  await see(page, 'The machine service of tarn-north answered “unavailable”.', 60_000)
  await see(page, 'Attempt ', 10_000)
  await see(page, 'halted', 60_000)
  await see(page, 'Given up after 8 attempts.')
  await see(page, 'machine service: 503')
  await page.waitForFunction(() => document.title.includes('halted'))
  await ask('DELETE', `/faults/${fault.json.id}`)
  await press(page, 'button', 'Retry from here')
  await see(page, 'Done and proven', 60_000)
})

it('brings three control-plane machines up in three zones, and takes a second such cluster back without a trace', async () => {
  const { get } = api(served.url)
  interface SiteAnswer {
    readonly machines: readonly { readonly name: string; readonly zone: string }[]
    readonly addresses: readonly unknown[]
    readonly disks: readonly unknown[]
  }
  const page = await raiseAt('mossgate', 'birch')
  await hurry()
  await see(page, 'Done and proven', 60_000)
  const before = await get<SiteAnswer>('/sites/mossgate')
  const planes = before.machines.filter((machine) => machine.name.startsWith('birch-cp-'))
  expect(planes.map((machine) => machine.zone).sort()).toEqual([
    'mossgate-a',
    'mossgate-b',
    'mossgate-c',
  ])

  const second = await raiseAt('mossgate', 'rowan')
  await see(second, 'placed on', 60_000)
  expect((await get<SiteAnswer>('/sites/mossgate')).machines.length).toBeGreaterThan(
    before.machines.length,
  )
  await press(second, 'button', 'Take back')
  await hurry()
  await see(second, 'Taken back', 60_000)
  const after = await get<SiteAnswer>('/sites/mossgate')
  expect([after.machines, after.addresses, after.disks]).toEqual([
    before.machines,
    before.addresses,
    before.disks,
  ])
})
