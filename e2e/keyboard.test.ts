/** Every page by keyboard alone: Tab goes through it and out again, focus is seen, and whatever the mouse can choose the keys can. */
import type { Page } from 'puppeteer-core'
import { describe, expect, it } from 'vitest'
import { returningVisitor, see } from './browser'
import { suite } from './suite'

const served = suite({ refusals: false }, returningVisitor())

const pages: readonly (readonly [name: string, path: string, text: string])[] = [
  ['the fleet', '/fleet', 'Wants you'],
  ['the fleet as a table', '/fleet?as=table', 'bramble-general-4'],
  ['the ground of a hall', '/ground?site=mossgate', 'mossgate management'],
  ['the address ledger', '/ground/addresses', 'Nothing collides'],
  ['the packing of a hall', '/ground/packing?site=mossgate', 'Would more fit'],
  ['name records', '/ground/names?site=mossgate', 'What should resolve does'],
  ['the drafts', '/raise', 'Draft a cluster'],
  ['drafts compared', '/raise/compare', 'Choose two'],
  ['enrolling a cluster', '/raise/enrol', 'What Gyrarch reads there'],
  ['a cluster', '/clusters/cedar', 'cedar-general-3'],
  ['what keeps a cluster', '/clusters/cedar?show=keeping', 'Health keeping'],
  ['the disk wall', '/store/disks?aim=cluster/cedar', 'Every volume has all its copies'],
  ['the storage network', '/store/network?aim=cluster/cedar', 'would fail'],
  ['registries', '/store/registries', 'vision/seedling-vision'],
  ['support', '/renew', 'burdock'],
  ['practice', '/mend/practice', 'Out of time'],
  ['who is told', '/mend/told', 'Nobody is told yet'],
  ['two moments', '/journal/compare', 'Between them'],
  ['an upgrade', '/renew/upgrades?cluster=burdock', '4 turnovers'],
  ['capacity', '/shape', 'What a lost zone leaves'],
  ['placement', '/shape/board?aim=cluster/dill', 'nothing waits'],
  ['workloads', '/shape/workloads?aim=cluster/cedar', 'gathering-ledger'],
  ['right sizes', '/shape/sizes?aim=cluster/dill', 'asked for and not used'],
  ['namespaces', '/shape/namespaces?aim=cluster/dill', 'Who can'],
  ['a manifest', '/shape/manifests?aim=cluster/dill', 'Layered files'],
  ['layered files', '/shape/manifests?view=layers', 'stage: development'],
  ['scaling', '/shape/scaling', 'sensor-intake'],
  ['a day ahead', '/shape/scaling?scaler=bramble/climate/sensor-intake', 'replica hours'],
  ['rest', '/shape/rest?aim=cluster/dill', 'Add a window'],
  ['spend', '/shape/spend', 'Where the coming month goes'],
  ['what is wired', '/wire?aim=cluster/bramble', '1 call fails'],
  [
    'a packet walk',
    '/wire/walk?aim=cluster/bramble&from=climate/climate-loop&to=weather-bureau&port=8443',
    'Dropped at',
  ],
  [
    'policies',
    '/wire/policies?aim=cluster/bramble&workload=market/ledger-view',
    'market/broker-bot',
  ],
  ['calls', '/wire/calls?aim=cluster/bramble', 'is open to them'],
  ['traffic', '/wire/traffic?aim=cluster/bramble', 'with failures now'],
  ['a firewall', '/wire/firewall?aim=cluster/bramble', 'A new rule'],
  ['hosts', '/wire/hosts?aim=cluster/bramble', 'Lead a host to a service'],
  ['translation', '/wire/translation?aim=cluster/bramble', 'A new translation'],
  ['names', '/wire/names?aim=cluster/bramble', 'Its search path'],
  ['the journal', '/journal', 'Journal'],
  ['keys and credentials', '/keys', 'duty-2026'],
  ['the fault tray', '/faults', 'Put it in'],
]

interface Focused {
  /** A number for each element that has had focus; 0 is the page itself. */
  readonly id: number
  readonly says: string
  readonly isSeen: boolean
  readonly isEditor: boolean
}

/** What has focus now, and whether anybody could tell. */
async function focused(page: Page): Promise<Focused> {
  return page.evaluate(() => {
    const element = document.activeElement
    if (!element || element === document.body)
      return { id: 0, says: 'the page', isSeen: true, isEditor: false }
    const marked = document.querySelectorAll('[data-passed]')
    const id = Number(element.getAttribute('data-passed') ?? marked.length + 1)
    element.setAttribute('data-passed', String(id))
    const box = element.getBoundingClientRect()
    // The ring may be drawn around what holds the field, as around a box that is ticked.
    const drawn = [...element.querySelectorAll(':scope > path, :scope > circle, :scope > rect')]
    const isStroked = drawn.some((shape) => parseFloat(getComputedStyle(shape).strokeWidth) >= 2)
    const ringed = [element, ...ancestors(element, 3)].some((each) => {
      const style = getComputedStyle(each)
      return (
        (style.outlineStyle !== 'none' && parseFloat(style.outlineWidth) >= 1) ||
        each.matches('.Mui-focused, .Mui-focusVisible, .cm-focused')
      )
    })
    const isOnScreen =
      box.width > 0 &&
      box.bottom > 0 &&
      box.top < innerHeight &&
      box.right > 0 &&
      box.left < innerWidth
    function ancestors(of: Element, count: number): Element[] {
      const parent = of.parentElement
      return count === 0 || !parent ? [] : [parent, ...ancestors(parent, count - 1)]
    }
    return {
      id,
      says: `${element.tagName.toLowerCase()} ${element.getAttribute('aria-label') ?? element.textContent?.slice(0, 40) ?? ''}`,
      isSeen: (ringed || isStroked) && isOnScreen,
      isEditor: element.matches('.cm-content'),
    }
  })
}

const mostTabs = 400

/** Tabs from the top of the page until it is left; gives what was passed. */
async function tabThrough(page: Page): Promise<readonly Focused[]> {
  const passed: Focused[] = []
  for (let i = 0; i < mostTabs; i++) {
    await page.keyboard.press('Tab')
    let now = await focused(page)
    // The editor draws its ring a moment later.
    if (!now.isSeen) {
      await new Promise((wait) => setTimeout(wait, 120))
      now = await focused(page)
    }
    if (now.id === 0 || (passed.length > 3 && now.id === passed[0]?.id)) return passed
    if (now.isEditor) await page.keyboard.press('Escape')
    if (passed.slice(-3).filter((each) => each.id === now.id).length === 3)
      throw new Error(`Tab does not leave ${now.says}`)
    passed.push(now)
  }
  throw new Error(`Tab does not come round: at last at ${passed.at(-1)?.says ?? 'nothing'}`)
}

/** Things that show a hand under the mouse and can neither be focused nor hold what can. */
const mouseOnly = (page: Page): Promise<readonly string[]> =>
  page.evaluate(() => {
    const focusable = 'a[href], button, summary, label, input, textarea, [tabindex], [role=option]'
    return (
      [...document.querySelectorAll('body *')]
        .filter((element) => getComputedStyle(element).cursor === 'pointer')
        .filter((element) => !element.closest(focusable) && !element.querySelector(focusable))
        // A column of the board is chosen by the name below it, too.
        .filter((element) => !element.matches('.stack'))
        .slice(0, 10)
        .map((element) => element.outerHTML.slice(0, 120))
    )
  })

/** What the page shows as chosen. */
const chosenNow = (page: Page): Promise<string> =>
  page.evaluate(
    () =>
      `${location.search}|${[...document.querySelectorAll('[aria-selected=true]')].map((each) => each.textContent).join('|')}`,
  )

const mostRows = 14

/**
 * Chooses the rows of the first table whose rows can be chosen, by arrows and Enter; gives how many. The data grid takes
 * the place of the plain table as soon as the table is moved into, and must not lose the focus.
 */
async function chooseRows(page: Page): Promise<number> {
  const grid = '[data-chooses=true]'
  await page.waitForSelector(`${grid} [role=gridcell]`)
  const count = await page.$$eval(
    `${grid} :is(tr, [role=row]):has([role=gridcell])`,
    (rows) => rows.length,
  )
  await page.$eval(`${grid} [role=gridcell]`, (cell) => (cell as HTMLElement).focus())
  await page.waitForFunction(
    () =>
      document.querySelector('.MuiDataGrid-root') !== null &&
      document.activeElement?.closest('.MuiDataGrid-root [role=gridcell]') !== null,
    { timeout: 10_000 },
  )
  let chosen = 0
  for (let row = 0; row < Math.min(count, mostRows); row++) {
    const before = await chosenNow(page)
    await page.keyboard.press('Enter')
    await page
      .waitForFunction(
        (was) =>
          `${location.search}|${[...document.querySelectorAll('[aria-selected=true]')].map((each) => each.textContent).join('|')}` !==
          was,
        { timeout: 5000 },
        before,
      )
      .catch(() => {
        throw new Error(`Enter on row ${row + 1} of ${count} chooses nothing: ${before}`)
      })
    chosen++
    await page.keyboard.press('ArrowDown')
  }
  return chosen
}

/** Puts the focus on a part of a drawing. */
const focusOn = (page: Page, selector: string): Promise<void> =>
  page.$eval(selector, (element) => (element as SVGElement).focus())

describe.each(pages)('%s', (_name, path, text) => {
  it('is gone through by Tab, with the focus always seen, and nothing is left to the mouse', async () => {
    const page = await served.visit(path)
    await see(page, text)
    expect(await mouseOnly(page)).toEqual([])
    const passed = await tabThrough(page)
    expect(passed.length).toBeGreaterThan(8)
    expect(passed.filter((each) => !each.isSeen).map((each) => each.says)).toEqual([])
  })
})

it.each([
  ['the fleet as a table', '/fleet?as=table', 'bramble-general-4'],
  ['a firewall', '/wire/firewall?aim=cluster/bramble', 'A new rule'],
  ['hosts', '/wire/hosts?aim=cluster/bramble', 'Lead a host to a service'],
  ['right sizes', '/shape/sizes?aim=cluster/dill', 'asked for and not used'],
  ['the nodes of a cluster', '/clusters/dill', 'dill-base-1'],
  ['traffic', '/wire/traffic?aim=cluster/bramble', 'with failures now'],
])('rows of %s are chosen by arrows and Enter', async (_name, path, text) => {
  const page = await served.visit(path)
  await see(page, text)
  expect(await chooseRows(page)).toBeGreaterThan(0)
})

it('every arc of the fleet is reached by arrows and chosen by Enter', async () => {
  const page = await served.visit('/fleet')
  await see(page, 'Wants you')
  const refs = await page.$$eval('[data-arc]', (arcs) => arcs.length)
  await focusOn(page, '[data-arc="0"]')
  const reached = new Set<string>()
  const at = (): Promise<string> =>
    page.evaluate(() => document.activeElement?.getAttribute('data-arc') ?? '')
  // Outwards ring by ring; each ring once around.
  for (let ring = 0; ring < 6; ring++) {
    const first = await at()
    for (let i = 0; i < 80; i++) {
      reached.add(await at())
      await page.keyboard.press('ArrowRight')
      if ((await at()) === first) break
    }
    await page.keyboard.press('ArrowUp')
    if ((await at()) === first) break
  }
  expect(reached.size).toBe(refs)
  await focusOn(page, '[data-arc="3"]')
  await page.keyboard.press('Space')
  await page.waitForFunction(() => new URLSearchParams(location.search).has('on'))
})

it('every block of the board is reached by arrows, and Enter chooses its workload', async () => {
  const page = await served.visit('/shape/board?aim=cluster/dill')
  await see(page, 'nothing waits')
  await page.waitForSelector('[data-block="0"]')
  const count = await page.$$eval('[data-block]', (blocks) => blocks.length)
  await focusOn(page, '[data-block="0"]')
  const reached = new Set<string>()
  const open = ['0']
  for (let at = open.pop(); at !== undefined; at = open.pop()) {
    if (reached.has(at)) continue
    reached.add(at)
    for (const key of ['ArrowUp', 'ArrowDown', 'ArrowLeft', 'ArrowRight'] as const) {
      await focusOn(page, `[data-block="${at}"]`)
      await page.keyboard.press(key)
      open.push(
        await page.evaluate(() => document.activeElement?.getAttribute('data-block') ?? '0'),
      )
    }
  }
  expect(reached.size).toBe(count)
  await page.keyboard.press('Enter')
  await page.waitForFunction(() => new URLSearchParams(location.search).has('workload'))
})

it('the editor says how it is left', async () => {
  const page = await served.visit('/shape/manifests?aim=cluster/dill')
  await page.waitForSelector('textarea')
  await page.focus('textarea')
  await page.waitForSelector('.cm-content')
  await see(page, 'Escape, then Tab')
})
