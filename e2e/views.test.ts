/** Every main view: no complaint of the browser, no breach of accessibility that a program can find, keys that work. */
import { readFileSync } from 'node:fs'
import { createRequire } from 'node:module'
import type { Browser, Page } from 'puppeteer-core'
import { afterAll, beforeAll, describe, expect, it } from 'vitest'
import { find, goTo, openBrowser, openPage, openPageIn, press, see } from './browser'
import { api, type ApiChange, serve, type Served } from './server'

let browser: Browser
let served: Served
let halted: ApiChange
const axeSource = readFileSync(
  createRequire(import.meta.url).resolve('axe-core/axe.min.js'),
  'utf8',
)

beforeAll(async () => {
  browser = await openBrowser()
  served = await serve()
  const { ask, runOut } = api(served.url)
  await ask('POST', '/clock', { speed: 0 })
  await ask('POST', '/faults', {
    fault: 'machine-dies',
    about: 'site/tarn-north',
    mode: 'permanent',
  })
  const drafted = await ask<ApiChange>('POST', '/changes', {
    kind: 'cluster.raise',
    intent: {
      name: 'fernlet',
      site: 'tarn-north',
      release: '1.33.2',
      controlPlane: { kind: 'managed', tier: 'plain' },
      pools: [{ name: 'general', size: 'reed-2-8', count: 2 }],
      ranges: { pods: '10.132.0.0/18', services: '10.133.0.0/20' },
    },
  })
  await ask('POST', `/changes/${drafted.json.id}/run`, {})
  halted = await runOut(drafted.json.id)
  await ask('POST', '/changes', {
    kind: 'cluster.raise',
    intent: {
      name: 'birch',
      site: 'mossgate',
      release: '1.33.2',
      controlPlane: { kind: 'own', count: 2 },
      pools: [{ name: 'general', size: 'rack-4', count: 2 }],
      ranges: { pods: '10.134.0.0/18', services: '10.135.0.0/20' },
    },
  })
  await ask('POST', '/changes', { kind: 'cluster.takedown', intent: { cluster: 'cedar' } })
  // What is broken has lasted long enough for its cases to be open.
  await ask('POST', '/clock', { advanceSeconds: 180 })
  await ask('POST', '/changes', {
    kind: 'site.edit',
    intent: {
      site: 'mossgate',
      addHosts: [
        {
          name: 'm-a-4',
          zone: 'mossgate-a',
          cores: 32,
          memoryGiB: 256,
          diskGb: 4000,
          idleWatts: 140,
          fullWatts: 380,
        },
      ],
    },
  })
})
afterAll(async () => {
  await browser.close()
  await served.remove()
})

interface Breach {
  readonly id: string
  readonly nodes: readonly { readonly html: string; readonly failureSummary?: string }[]
}

/** What the standard asks of any page. */
const everything = { runOnly: ['wcag2a', 'wcag2aa', 'wcag21aa', 'wcag22aa'] }
/** What can be otherwise where colours alone are. */
const colours = { runOnly: { type: 'rule', values: ['color-contrast', 'link-in-text-block'] } }

/** What breaks the rules that are asked, of which at least so many have something to look at. */
async function breaches(page: Page, rules: object, least: number): Promise<readonly string[]> {
  await page.evaluate(`window.axe || ${axeSource}`)
  const { violations, passed } = (await page.evaluate(
    `axe.run(document, { ...${JSON.stringify(rules)}, resultTypes: ['violations'] }).then((result) => ({ violations: result.violations, passed: result.passes.length }))`,
  )) as { violations: readonly Breach[]; passed: number }
  // A checker that checked nothing finds nothing either.
  expect(passed).toBeGreaterThanOrEqual(least)
  return violations.flatMap((breach) =>
    breach.nodes
      .slice(0, 3)
      .map(
        (node) =>
          `${breach.id}: ${node.html.slice(0, 160)} ${node.failureSummary?.slice(0, 200) ?? ''}`,
      ),
  )
}

const views: readonly (readonly [string, string, string])[] = [
  ['the fleet', '/fleet?on=node/bramble/bramble-general-2', 'MemoryPressure'],
  ['the fleet as a table', '/fleet?as=table', 'bramble-general-4'],
  ['the ground of a hall', '/ground?site=mossgate', 'mossgate management'],
  ['the ground of a box', '/ground?site=glasshouse-12', 'ata-FIR_960_B7'],
  ['the drafts', '/raise', 'Draft a cluster'],
  ['a draft with a stop', '/raise/c-2', 'Two members need both to agree'],
  ['enrolling a cluster', '/raise/enrol', 'What Gyrarch reads there'],
  ['two drafts compared', '/raise/compare?a=c-1&b=c-2', 'fields differ'],
  ['a halted run', '/changes/c-1', 'died during its first boot'],
  ['a draft to take down a guarded cluster', '/changes/c-3', 'cedar is guarded'],
  ['a cluster', '/clusters/cedar?on=cedar-general-3', 'cedar-general-3'],
  ['its objects', '/clusters/cedar?show=objects', 'climate-loop'],
  ['its events', '/clusters/cedar?show=events', 'no events now'],
  ['on duty', '/mend', 'bramble-general-2: it is short of memory'],
  ['a case', '/mend/m-1', 'From cause to symptom'],
  ['a replay', '/mend/practice/replay', 'Nothing to replay yet'],
  ['who is told', '/mend/told', 'Nobody is told yet'],
  ['practice', '/mend/practice', 'It never comes alone'],
  ['capacity', '/shape', 'more of gathering-ledger'],
  ['the placement board', '/shape/board?aim=cluster/cedar&node=cedar-general-2', 'CPU free'],
  ['the board of pasted objects', '/shape/board?free=yes', 'as JSON or YAML'],
  [
    'workloads',
    '/shape/workloads?workload=StatefulSet/gathering/gathering-ledger&in=cedar',
    'Owner to pod to node',
  ],
  ['right sizes', '/shape/sizes', 'are asked for and not used'],
  ['namespaces', '/shape/namespaces?aim=cluster/cedar', 'Who can'],
  [
    'a manifest',
    '/shape/manifests?aim=cluster/cedar&object=StatefulSet/gathering/gathering-ledger',
    'nothing would change',
  ],
  ['layered files', '/shape/manifests?view=layers', 'stage: development'],
  ['a day ahead', '/shape/scaling?scaler=bramble/climate/sensor-intake', 'replica hours'],
  ['rest', '/shape/rest?aim=cluster/dill', '153.99'],
  ['maintenance windows', '/shape/windows', 'hall nights'],
  ['claims and classes', '/store?aim=cluster/cedar', 'hall-copies'],
  ['storage without an aim', '/store', 'Point at one'],
  ['the disk wall', '/store/disks?aim=cluster/cedar', 'copies travel mossgate nodes'],
  [
    'the disk wall without a zone',
    '/store/disks?aim=cluster/cedar&lose=mossgate-a',
    'Degraded, still served',
  ],
  ['a volume', '/store/disks?aim=cluster/cedar&volume=seed-photos', 'Who would be hit'],
  ['disks without an aim', '/store/disks', 'Point at one'],
  [
    'disks of a cluster that keeps no copies',
    '/store/disks?aim=cluster/bramble',
    'No copies are kept here',
  ],
  ['the storage network', '/store/network?aim=cluster/cedar', 'would fail'],
  ['registries', '/store/registries', 'vision/seedling-vision'],
  ['a repository', '/store/registries?repository=market/price-feed', 'a key that was withdrawn'],
  ['a shipment', '/store/shipments', 'release 1.33.2'],
  ['support', '/renew', 'burdock'],
  ['support on another day', '/renew?on=2026-06-29', 'out of support on 2026-06-29'],
  ['the removal audit', '/renew/audit?cluster=burdock&target=1.33', 'gone since 1.26'],
  ['waves', '/renew/waves?to=1.34', 'Draft them as one'],
  ['a rehearsal on what is pasted', '/renew/rehearse', 'What is done'],
  ['an upgrade', '/renew/upgrades?cluster=burdock', '4 turnovers'],
  ['what was observed', '/journal/observed?about=cluster/cedar', 'What is kept'],
  ['two moments compared', '/journal/compare', 'Between them'],
  ['how well estimates did', '/journal/estimates', 'Estimates'],
  ['spend', '/shape/spend?aim=cluster/bramble', 'By namespace'],
  ['what is wired', '/wire?aim=cluster/bramble', '1 call fails'],
  ['what is wired without an aim', '/wire', 'Point at one'],
  [
    'a packet walk',
    '/wire/walk?aim=cluster/bramble&from=climate/climate-loop&to=weather-bureau&port=8443',
    'Dropped at acceptance',
  ],
  [
    'policies and the calls behind them',
    '/wire/policies?aim=cluster/bramble&workload=market/ledger-view',
    'market/broker-bot',
  ],
  ['the call matrix', '/wire/calls?aim=cluster/bramble', 'is open to them'],
  [
    'traffic and its shift',
    '/wire/traffic?aim=cluster/bramble&route=market/market-desk%200',
    'Draft the shift',
  ],
  ['a firewall', '/wire/firewall?aim=cluster/bramble&rule=desk-web-in', 'never decides: web-in'],
  ['hosts', '/wire/hosts?aim=cluster/bramble', 'desk.fernhollow.example'],
  ['translation', '/wire/translation?aim=cluster/bramble', 'Packet sizes'],
  [
    'names',
    '/wire/names?aim=cluster/bramble&pod=market/broker-bot&name=ledger-view',
    'Answered by',
  ],
  ['the journal', '/journal', 'halted'],
  ['a line of it', '/journal/1', 'Line 1'],
  [
    'the address ledger, carved',
    '/ground/addresses?within=10.44.0.0/20&prefixes=22%2024',
    '10.44.12.0/22',
  ],
  ['the SSH keys', '/keys', 'duty-2026'],
  ['the fault tray', '/faults', 'The machine service answers “unavailable”.'],
  ['the packing of a hall', '/ground/packing?site=mossgate&host=m-a-1', 'If m-a-1 dies'],
  ['name records', '/ground/names?site=mossgate', 'What should resolve does'],
  ['what keeps a cluster', '/clusters/cedar?show=keeping', 'Health keeping'],
  ['boot data', '/changes/c-1/boot', '#cloud-config'],
  ['a draft with a form', '/changes/c-4', 'Edit a site'],
]

const isDark = (): boolean => document.documentElement.hasAttribute('data-dark')

describe('in light and in dark', () => {
  it.each(views)('%s is shown without complaint, accessibly', async (_name, path, text) => {
    expect(halted.state).toBe('halted')
    const { page, complaints } = await openPageIn(
      browser.defaultBrowserContext(),
      served.url + path,
    )
    await see(page, text)
    expect(await breaches(page, everything, 11)).toEqual([])
    await page.emulateMediaFeatures([{ name: 'prefers-color-scheme', value: 'dark' }])
    await page.waitForFunction(isDark)
    expect(await breaches(page, colours, 1)).toEqual([])
    expect(complaints).toEqual([])
    await page.close()
  })
})

it('an unknown page says so, in the frame', async () => {
  const { page } = await openPage(browser, `${served.url}/clusters/lost`)
  await see(page, 'There is no cluster lost.')
  await find(page, 'link', 'Fleet')
  await page.browserContext().close()
})

it('keys go to areas, turn drawings to tables, open the jump, and are silent in fields', async () => {
  const { page, complaints } = await openPage(browser, `${served.url}/fleet`)
  await page.keyboard.press('2')
  await see(page, 'mossgate management')
  await page.keyboard.press('1')
  await find(page, 'button', 'The whole fleet')
  await page.keyboard.press('t')
  await find(page, 'textbox', 'Find in fleet')
  await page.keyboard.press('/')
  await page.keyboard.type('2')
  await see(page, '2')
  expect(page.url()).toContain('/fleet')
  await page.keyboard.press('Tab')
  await page.keyboard.down('Control')
  await page.keyboard.press('k')
  await page.keyboard.up('Control')
  await find(page, 'combobox', 'Jump to')
  await page.waitForFunction(() => document.activeElement?.getAttribute('role') === 'combobox')
  await page.keyboard.type('dill')
  await page.waitForFunction(() =>
    document.querySelector('[role=option]')?.textContent?.startsWith('dillcluster'),
  )
  await page.keyboard.press('Enter')
  await page.waitForFunction(() => location.pathname === '/clusters/dill')
  expect(complaints).toEqual([])
  await page.browserContext().close()
})

it('one event stream serves all tabs of a browser', async () => {
  const context = await browser.createBrowserContext()
  const streams: string[] = []
  const tabs = await Promise.all(
    [1, 2, 3].map(async () => {
      const page = await context.newPage()
      page.on('request', (sent) => {
        if (sent.url().endsWith('/api/v1/live')) streams.push(sent.url())
      })
      await goTo(page, `${served.url}/fleet`)
      return page
    }),
  )
  await api(served.url).ask('POST', '/clock', { advanceSeconds: 3600 })
  for (const page of tabs)
    await page.waitForFunction(
      () => /0[7-9]:\d\d:\d\d/.test(document.querySelector('header time')?.textContent ?? ''),
      { polling: 100 },
    )
  expect(streams).toHaveLength(1)
  await context.close()
})

it('when the tab that holds the event stream is closed, another takes it over', async () => {
  const context = await browser.createBrowserContext()
  const streams: string[] = []
  const open = async (): Promise<Page> => {
    const page = await context.newPage()
    page.on('request', (sent) => {
      if (sent.url().endsWith('/api/v1/live')) streams.push(sent.url())
    })
    await goTo(page, `${served.url}/journal`)
    await page.waitForFunction(() => document.documentElement.dataset['awake'] === 'yes', {
      polling: 100,
    })
    return page
  }
  const leader = await open()
  await leader.waitForFunction(() => performance.getEntriesByType('resource').length > 0, {
    polling: 100,
  })
  const follower = await open()
  expect(streams).toHaveLength(1)
  await leader.close()
  for (let i = 0; i < 100 && streams.length < 2; i++)
    await new Promise((wait) => setTimeout(wait, 100))
  expect(streams).toHaveLength(2)
  // What happens from here on reaches the tab that is left, without its being loaded again.
  const before = await follower.$eval('header time', (time) => time.textContent)
  await api(served.url).ask('POST', '/clock', { advanceSeconds: 7200 })
  await follower.waitForFunction(
    (was) => document.querySelector('header time')?.textContent !== was,
    { polling: 100 },
    before,
  )
  await context.close()
})

it('a page shows what was drafted elsewhere without being loaded again', async () => {
  const { page } = await openPage(browser, `${served.url}/raise`)
  await see(page, 'Draft a cluster')
  const { json } = await api(served.url).ask<ApiChange>('POST', '/changes', {
    kind: 'cluster.backup',
    intent: { cluster: 'dill', backup: 'dill-by-hand' },
  })
  await see(page, json.id)
  await page.browserContext().close()
})

it('a draft file that is no JSON, too large, or of an unknown kind is refused with the reason', async () => {
  const { page } = await openPage(browser, `${served.url}/raise`)
  const drop = async (name: string, body: string): Promise<void> => {
    await page.evaluate(
      (fileName, text) => {
        const input = document.querySelector<HTMLInputElement>('input[type=file]')
        const transfer = new DataTransfer()
        transfer.items.add(new File([text], fileName, { type: 'application/json' }))
        if (input) input.files = transfer.files
        input?.dispatchEvent(new Event('change', { bubbles: true }))
      },
      name,
      body,
    )
  }
  await drop('broken.json', '{ "gyrarch": ')
  await see(page, 'not valid JSON')
  await drop('huge.json', ' '.repeat(1024 * 1024 + 1))
  await see(page, 'a shared draft is at most 1 MiB')
  await drop('odd.json', JSON.stringify({ gyrarch: 'draft/1', kind: 'cluster.paint', intent: {} }))
  await see(page, 'There is no change kind cluster.paint')
  await drop(
    'good.json',
    JSON.stringify({ gyrarch: 'draft/1', kind: 'cluster.takedown', intent: { cluster: 'dill' } }),
  )
  await see(page, 'Take down dill')
  await press(page, 'button', 'Discard')
  await see(page, 'Drop a shared draft here')
  await page.browserContext().close()
})

// 1280 by 800 at twice its size is 640 by 400; 1024 is where the reason folds.
describe.each([
  [640, 400],
  [1024, 768],
])('at %d by %d', (width, height) => {
  it.each([
    ['the fleet', '/fleet', 'Wants you'],
    ['a firewall', '/wire/firewall?aim=cluster/bramble', 'A new rule'],
    ['the drafts', '/raise', 'Draft a cluster'],
    ['a draft', '/raise/c-2', 'Control plane'],
    ['rest', '/shape/rest?aim=cluster/dill', 'Add a window'],
    ['a cluster', '/clusters/cedar', 'cedar-cp-1'],
  ])('%s lies within the window, and all of it can be scrolled to', async (_name, path, text) => {
    const { page } = await openPage(browser, served.url + path)
    await page.setViewport({ width, height })
    await see(page, text)
    const outside = await page.evaluate(() =>
      [...document.querySelectorAll('header, nav, main, main h1')]
        .filter((element) => element.getBoundingClientRect().right > innerWidth + 1)
        .map((element) => element.tagName),
    )
    expect(outside).toEqual([])
    // The last button of the page comes into view when it is asked to.
    const isReached = await page.evaluate(() => {
      const last = [...document.querySelectorAll('main button, main a')].at(-1)
      last?.scrollIntoView({ block: 'center' })
      const box = last?.getBoundingClientRect()
      return box !== undefined && box.top >= 0 && box.bottom <= innerHeight + 1
    })
    expect(isReached).toBe(true)
    await page.browserContext().close()
  })
})

it('every kind of thing that is jumped to has a page that shows it', async () => {
  const seen = new Map<string, { readonly name: string; readonly path: string }>()
  const find = async (text: string): Promise<boolean> => {
    const answer = await fetch(`${served.url}/do/jump?text=${encodeURIComponent(text)}`)
    const { places, more } = (await answer.json()) as {
      readonly places: readonly {
        readonly kind: string
        readonly name: string
        readonly path: string
        readonly isCommand?: boolean
      }[]
      readonly more: boolean
    }
    for (const { kind, name, path, isCommand } of places)
      if (isCommand !== true && !seen.has(kind)) seen.set(kind, { name, path })
    return more
  }
  // Clusters are listed in the background: what is not there yet is there a moment later.
  while (await find('')) await new Promise((resolve) => setTimeout(resolve, 100))
  const words = [
    ...['site', 'machine', 'host', 'network', 'address', 'record', 'image', 'balancer', 'rule'],
    ...['cluster', 'pool', 'node', 'backup', 'deployment', 'stateful', 'daemon', 'pod', 'service'],
    ...['policy', 'namespace', 'config', 'claim', 'volume', 'case', 'change', 'area', 'view'],
  ]
  for (const word of words) await find(word)
  for (const kind of ['node', 'pod', 'service', 'deployment', 'host', 'address', 'case', 'volume'])
    expect([...seen.keys()]).toContain(kind)
  for (const [kind, { name, path }] of seen) {
    const response = await fetch(served.url + path)
    const text = (await response.text()).replaceAll('<!-- -->', '')
    expect(`${kind} ${path} ${response.status}`).toBe(`${kind} ${path} 200`)
    // A record is shown by its own label, without the domain that all of them are in.
    const [word = ''] = name.split(kind === 'name record' ? '.' : /[ :]/)
    expect(text.includes(word), `${kind} ${name} at ${path}`).toBe(true)
  }
})

/** What links have in common that lead to the same page with another choice: paths without names, and what is asked. */
function shapeOf(href: string): string {
  const url = new URL(href, served.url)
  const [area = '', view = ''] = url.pathname.split('/').slice(1)
  const named = ['clusters', 'changes'].includes(area) || /\d$/.test(view) ? '…' : view
  return `${area}/${named}?${[...url.searchParams.keys()].sort().join('&')}`
}

it('every link of every view leads to a page', async () => {
  const hrefs = new Map<string, string[]>()
  for (const [, path] of views) {
    const text = await (await fetch(served.url + path)).text()
    for (const [, escaped = ''] of text.matchAll(/ href="(\/(?!assets|favicon|\/)[^"]*)"/g)) {
      const href = escaped.replaceAll('&amp;', '&')
      const alike = hrefs.get(shapeOf(href)) ?? []
      if (alike.length < 2 && !alike.includes(href)) alike.push(href)
      hrefs.set(shapeOf(href), alike)
    }
  }
  expect(hrefs.size).toBeGreaterThan(60)
  const dead: string[] = []
  for (const href of [...hrefs.values()].flat()) {
    const response = await fetch(served.url + href)
    const text = await response.text()
    if (response.status !== 200 || text.includes('This page could not be shown'))
      dead.push(`${response.status} ${href}`)
  }
  expect(dead).toEqual([])
})
