/** What the first visit of each page transfers in scripts, compressed, as a browser without a cache loads it. */
import type { Browser } from 'puppeteer-core'
import { openBrowser } from '../e2e/browser'
import { serve } from '../e2e/server'
import type { Figure } from './figure'

const pages = [
  '/fleet',
  '/fleet?as=table',
  '/ground?site=mossgate',
  '/ground/addresses',
  '/ground/packing?site=mossgate',
  '/ground/names?site=mossgate',
  '/raise',
  '/clusters/cedar',
  '/clusters/cedar?show=keeping',
  '/shape',
  '/shape/board?aim=cluster/cedar',
  '/shape/workloads?aim=cluster/cedar',
  '/shape/sizes',
  '/shape/namespaces?aim=cluster/cedar',
  '/shape/manifests?aim=cluster/cedar',
  '/shape/scaling?scaler=bramble/climate/sensor-intake',
  '/shape/rest?aim=cluster/dill',
  '/shape/spend',
  '/wire?aim=cluster/bramble',
  '/wire/walk?aim=cluster/bramble',
  '/wire/policies?aim=cluster/bramble',
  '/wire/calls?aim=cluster/bramble',
  '/wire/traffic?aim=cluster/bramble&service=market/price-feed',
  '/wire/firewall?aim=cluster/bramble',
  '/wire/hosts?aim=cluster/bramble',
  '/wire/translation?aim=cluster/bramble',
  '/wire/names?aim=cluster/bramble',
  '/journal',
  '/keys',
  '/faults',
] as const

const aimKb = 350

/** Script bytes as they came over the wire, workers’ included, in kB of 1,000 bytes. */
async function scriptKb(browser: Browser, url: string): Promise<number> {
  const context = await browser.createBrowserContext()
  const page = await context.newPage()
  const session = await page.createCDPSession()
  await session.send('Network.enable')
  const scripts = new Set<string>()
  let bytes = 0
  session.on('Network.responseReceived', ({ requestId, type, response }) => {
    if (type === 'Script' || /\.js(\?|$)/.test(response.url)) scripts.add(requestId)
  })
  session.on('Network.loadingFinished', ({ requestId, encodedDataLength }) => {
    if (scripts.has(requestId)) bytes += encodedDataLength
  })
  await page.goto(url, { waitUntil: 'load' })
  await page.waitForFunction(() => document.documentElement.dataset['awake'] === 'yes')
  // What a page brings after it is awake, as its charts, belongs to its first load.
  await page.waitForNetworkIdle({ idleTime: 700, concurrency: 1 }).catch(() => undefined)
  await context.close()
  return bytes / 1000
}

const nameOf = (path: string): string => {
  const [page = path, query = ''] = path.split('?')
  if (query === 'as=table') return `${page} as a table`
  return query === 'show=keeping' ? `${page}, keeping` : page
}

/** A figure for each page. */
export async function pageFigures(): Promise<readonly Figure[]> {
  const served = await serve()
  const browser = await openBrowser()
  try {
    const figures: Figure[] = []
    for (const path of pages)
      figures.push({
        name: `First load of ${nameOf(path)}, scripts`,
        value: await scriptKb(browser, served.url + path),
        unit: 'kB',
        aim: { atMost: aimKb },
      })
    return figures
  } finally {
    await browser.close()
    await served.remove()
  }
}
