/** The smaller ways through the pages, as a person takes them. */
import { mkdtempSync, readdirSync, readFileSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { expect, it } from 'vitest'
import { choose, fill, find, goTo, press, runWhenReady, see } from './browser'
import type { ApiChange } from './server'
import { suite } from './suite'

const served = suite({ refusals: false })
const { visit, advance } = served

it('a guarded cluster goes only once the caution is accepted and its name is typed', async () => {
  const page = await visit('/clusters/bramble')
  await press(page, 'button', 'Draft taking it down')
  await see(page, 'bramble is guarded: type its name')
  const canRun = (): Promise<boolean> =>
    page.evaluate(() =>
      [...document.querySelectorAll('button')].some(
        (button) => button.textContent === 'Run' && !button.disabled,
      ),
    )
  expect(await canRun()).toBe(false)
  await press(page, 'checkbox', 'I accept this')
  expect(await canRun()).toBe(false)
  await fill(page, 'textbox', 'bramble is guarded: type its name', 'brambl')
  expect(await canRun()).toBe(false)
  await fill(page, 'textbox', 'bramble is guarded: type its name', 'bramble')
  expect(await canRun()).toBe(true)
  await press(page, 'button', 'Discard')
  await see(page, 'Draft a cluster')
})

it('a draft is gone to although the page was told to read itself anew while it was made', async () => {
  const page = await visit('/clusters/bramble')
  await find(page, 'button', 'Draft taking it down')
  await page.evaluate(() => {
    const drafts = [...document.querySelectorAll('button')].find(
      (button) => button.textContent === 'Draft taking it down',
    )
    drafts?.click()
    document.dispatchEvent(new Event('visibilitychange'))
  })
  await see(page, 'bramble is guarded: type its name')
  await press(page, 'button', 'Discard')
  await see(page, 'Draft a cluster')
})

it('a draft keeps what is typed over a reload, is named, shared and dropped in again', async () => {
  const page = await visit('/ground?site=tarn-north')
  await press(page, 'button', 'Raise a cluster here')
  await fill(page, 'textbox', 'Name', 'sedge')
  await fill(page, 'textbox', 'Name of the draft', 'northern trial')
  await page.waitForFunction(
    () =>
      document.body.innerText.includes(', kept') && !document.body.innerText.includes('keeping…'),
  )
  await new Promise((rest) => setTimeout(rest, 1500))
  await page.reload({ waitUntil: 'load' })
  await page.waitForFunction(() => document.documentElement.dataset['awake'] === 'yes')
  expect(
    await page.$eval(
      'input[aria-label="Name of the draft"]',
      (input) => (input as HTMLInputElement).value,
    ),
  ).toBe('northern trial')
  const folder = mkdtempSync(join(tmpdir(), 'gyrarch-shared-'))
  const session = await page.createCDPSession()
  await session.send('Browser.setDownloadBehavior', {
    behavior: 'allow',
    downloadPath: folder,
    browserContextId: page.browserContext().id ?? '',
  })
  await press(page, 'button', 'Share')
  await expect
    .poll(() => readdirSync(folder).filter((name) => name.endsWith('.json')), { timeout: 10_000 })
    .toEqual(['sedge.draft.json'])
  const shared = JSON.parse(readFileSync(join(folder, 'sedge.draft.json'), 'utf8')) as {
    gyrarch: string
    title: string
    intent: { name: string }
  }
  expect(shared).toMatchObject({
    gyrarch: 'draft/1',
    title: 'northern trial',
    intent: { name: 'sedge' },
  })
})

it('the sheet answers while one types, before the server has: the worker checks', async () => {
  const page = await visit('/ground?site=tarn-north')
  await press(page, 'button', 'Raise a cluster here')
  await fill(page, 'textbox', 'Name', 'dill')
  await see(page, 'The name dill is taken by the cluster at tarn-north.')
  await press(page, 'button', 'Call it dill-2')
  await see(page, 'Nothing stands against it')
  await fill(page, 'spinbutton', 'Nodes', '40')
  await see(page, 'too many.')
  await fill(page, 'spinbutton', 'Root disk, GB', '20')
  await see(page, 'Set it to 30 GB or more.')
})

it('a run is followed from its line, read as a table, and its step explained', async () => {
  const page = await visit('/ground?site=tarn-north')
  await press(page, 'button', 'Raise a cluster here')
  await fill(page, 'textbox', 'Name', 'rush')
  await runWhenReady(page)
  await advance(100)
  await see(page, 'ordered, tier plain')
  await page.keyboard.press('t')
  await page.waitForSelector('input[aria-label^="Find in steps of"]')
  // The table may stand before its rows do.
  const cell = await page.waitForSelector(
    '::-p-xpath(//td[normalize-space()="order a managed control plane, tier plain"])',
  )
  await cell?.click()
  await see(page, 'site · controlplane.create')
  const otherPage = await visit('/journal')
  await otherPage.waitForSelector('[aria-label="Runs"] a')
  expect(await otherPage.$eval('[aria-label="Runs"]', (line) => line.textContent)).toContain(
    'raise rush',
  )
})

it('the clock is hurried, paused by Space and stepped by a point', async () => {
  const page = await visit('/fleet')
  const speed = async (): Promise<number> =>
    (await served.api.get<{ speed: number }>('/clock')).speed
  await press(page, 'button', '600×')
  await expect.poll(speed).toBe(600)
  await page.waitForFunction(() =>
    [...document.querySelectorAll('button[aria-pressed=true]')].some(
      (button) => button.textContent === '600×',
    ),
  )
  await page.focus('#area')
  await page.keyboard.press('Space')
  await expect.poll(speed).toBe(0)
  const before = (await served.api.get<{ now: string }>('/clock')).now
  await page.keyboard.press('.')
  await expect
    .poll(async () => (await served.api.get<{ now: string }>('/clock')).now)
    .not.toBe(before)
})

it('the aim is always shown, is changed by a, and stays in the address while the area changes', async () => {
  const page = await visit('/fleet')
  await see(page, 'whole fleet')
  await page.focus('#area')
  await page.keyboard.press('a')
  await find(page, 'combobox', 'Point at')
  await page.waitForFunction(() => document.activeElement?.getAttribute('role') === 'combobox')
  await page.keyboard.type('cedar')
  await page.waitForFunction(() => document.querySelectorAll('[role=option]').length === 1)
  await page.keyboard.press('Enter')
  await page.waitForFunction(() => location.search.includes('aim=cluster%2Fcedar'))
  await page.waitForFunction(
    () => document.querySelector('.aim-bar')?.getAttribute('data-guarded') === 'true',
  )
  await page.waitForFunction(() => document.querySelector('[role=dialog]') === null)
  await press(page, 'link', 'Journal')
  await page.waitForFunction(
    () => location.pathname === '/journal' && location.search.includes('aim=cluster%2Fcedar'),
  )
})

it('tables are found in, sorted and counted', async () => {
  const page = await visit('/clusters/cedar')
  await fill(page, 'textbox', 'Find in nodes of cedar', 'storage')
  await see(page, '3 of 12')
  const head = page.locator(
    '::-p-xpath(//*[self::th or @role="columnheader"][starts-with(normalize-space(.), "node")])',
  )
  await head.click()
  await find(page, 'grid', 'nodes of cedar')
  await page.waitForSelector('.MuiDataGrid-root')
  await head.click()
  await page.waitForFunction(
    () => document.querySelector('[role=gridcell]')?.textContent === 'cedar-storage-3',
  )
  // A column that is not wanted goes; at least one stays.
  await page.locator('button::-p-text(Columns)').click()
  await press(page, 'menuitemcheckbox', 'zone')
  await page.keyboard.press('Escape')
  await page.waitForFunction(
    () =>
      ![...document.querySelectorAll('[role=columnheader]')].some(
        (head) => head.textContent === 'zone',
      ),
  )
})

it('an image is put in place as the remedy of a draft, which can run then', async () => {
  const { ask } = served.api
  const drafted = await ask<ApiChange>('POST', '/changes', {
    kind: 'cluster.raise',
    intent: {
      name: 'alnus',
      site: 'mossgate',
      release: '1.33.0',
      controlPlane: { kind: 'own', count: 1 },
      pools: [{ name: 'general', size: 'rack-4', count: 1 }],
      ranges: { pods: '10.140.0.0/18', services: '10.141.0.0/20' },
    },
  })
  const page = await visit(`/raise/${drafted.json.id}`)
  await press(page, 'button', 'Put the image of 1.33.0 in place first')
  await see(page, 'Place image 1.33.0 at mossgate')
  await press(page, 'button', 'Run')
  await see(page, 'running')
  await ask('POST', '/clock', { advanceSeconds: 1200 })
  await see(page, 'mossgate holds the image')
  await goTo(page, `${served.url}/raise/${drafted.json.id}`)
  await see(page, 'Nothing stands against it')
})

it('faults are put in and taken away from the tray', async () => {
  const page = await visit('/faults')
  await choose(page, 'Fault', 'A zone has no machine of a size left.')
  await press(page, 'button', 'Put it in')
  await expect
    .poll(async () =>
      (await served.api.get<{ active: { fault: string }[] }>('/faults')).active.map(
        (fault) => fault.fault,
      ),
    )
    .toContain('no-stock')
  await page.waitForSelector('button[aria-label^="Take away no-stock"]')
  await page.evaluate(() =>
    [...document.querySelectorAll('button')]
      .find((button) => button.getAttribute('aria-label')?.startsWith('Take away no-stock'))
      ?.click(),
  )
  await expect
    .poll(async () =>
      (await served.api.get<{ active: { fault: string }[] }>('/faults')).active.map(
        (fault) => fault.fault,
      ),
    )
    .not.toContain('no-stock')
})

it('a key is made once and struck, and what is wrong with a credential stands at its field', async () => {
  const page = await visit('/keys')
  await press(page, 'button', 'Enter')
  await see(page, 'Give at least 12 characters.')
  await see(page, 'Give the day it ends.')

  await fill(page, 'textbox', 'Name', 'Night Shift')
  await press(page, 'button', 'Make a new one')
  await see(page, 'Use a–z, 0–9, dots, dashes and underscores')
  await fill(page, 'textbox', 'Name', 'night-2026')
  await press(page, 'button', 'Make a new one')
  await see(page, 'It is shown this once and kept nowhere.')
  await press(page, 'button', 'Strike night-2026')
  await page.waitForFunction(() => !document.body.innerText.includes('night-2026'))
})

it('at 1024 pixels the reason folds away and comes back by its key', async () => {
  const page = await visit('/fleet?on=cluster/cedar')
  await page.setViewport({ width: 1024, height: 700 })
  const shown = (): Promise<boolean> =>
    page
      .$eval('.reason-body', (body) => getComputedStyle(body).display !== 'none')
      .catch(() => false)
  expect(await shown()).toBe(false)
  await page.focus('#area')
  await page.keyboard.press('\\')
  await expect.poll(shown).toBe(true)
})
