/** The Fleet page of 5,000 nodes, from the built server and in the browser. */
import { openBrowser } from '../e2e/browser'
import { serve } from '../e2e/server'
import { type Figure, middle } from './figure'

export async function fleetFigures(): Promise<readonly Figure[]> {
  const served = await serve({ args: ['--nodes', '5000'] })
  try {
    await atRest(served.url)
    return [await responses(served.url), await jumps(served.url), await awakenings(served.url)]
  } finally {
    await served.remove()
  }
}

/** What a server does at its first start is not the page. */
async function atRest(url: string): Promise<void> {
  await fetch(`${url}/api/v1/clock`, {
    method: 'POST',
    headers: { 'content-type': 'application/json' },
    body: JSON.stringify({ speed: 0 }),
  })
  await (await fetch(`${url}/fleet`)).text()
  await new Promise((wait) => setTimeout(wait, 8000))
}

async function responses(url: string): Promise<Figure> {
  const ask = async (): Promise<number> => {
    const from = performance.now()
    await (await fetch(`${url}/fleet`)).text()
    return performance.now() - from
  }
  for (let i = 0; i < 5; i++) await ask()
  const taken: number[] = []
  for (let i = 0; i < 30; i++) taken.push(await ask())
  return {
    name: 'Fleet page of 5,000 nodes, response of the server',
    value: middle(taken).median,
    unit: 'ms',
    aim: { atMost: 150 },
  }
}

async function awakenings(url: string): Promise<Figure> {
  const browser = await openBrowser()
  const taken: number[] = []
  for (let i = 0; i < 5; i++) {
    const page = await browser.newPage()
    const from = performance.now()
    await page.goto(`${url}/fleet`, { waitUntil: 'domcontentloaded' })
    await page.waitForFunction(() => document.documentElement.dataset['awake'] === 'yes')
    taken.push(performance.now() - from)
    await page.close()
  }
  await browser.close()
  return {
    name: 'Fleet page of 5,000 nodes, usable in the browser',
    value: middle(taken).median,
    unit: 'ms',
    aim: { atMost: 1500 },
  }
}

/** One key pressed in Jump, once what the clusters list is indexed. */
async function jumps(url: string): Promise<Figure> {
  const ask = async (text: string): Promise<{ readonly more: boolean; readonly ms: number }> => {
    const from = performance.now()
    const response = await fetch(`${url}/do/jump?text=${encodeURIComponent(text)}`)
    const { more } = (await response.json()) as { more: boolean }
    return { more, ms: performance.now() - from }
  }
  for (let i = 0; i < 600 && (await ask('')).more; i++)
    await new Promise((wait) => setTimeout(wait, 100))
  const taken: number[] = []
  for (const word of ['general-17', 'climate', 'ledger', 'nothing-of-that-name'])
    for (let letters = 1; letters <= word.length; letters++)
      taken.push((await ask(word.slice(0, letters))).ms)
  return {
    name: 'Jump over a fleet of 5,000 nodes, a key',
    value: middle(taken).median,
    unit: 'ms',
    aim: { atMost: 50 },
    detail: `worst ${middle(taken).worst.toFixed(0)} ms`,
  }
}
