/** What every browser test of ways through the pages begins and ends with: one Gyrarch whose clock stands, one browser. */
import type { Browser, Page } from 'puppeteer-core'
import { afterAll, afterEach, beforeAll, expect } from 'vitest'
import { openBrowser, visitor, type Visits } from './browser'
import { api, serve, type Served } from './server'

export interface Suite {
  readonly url: string
  readonly api: ReturnType<typeof api>
  visit(path: string): Promise<Page>
  /** Moves the clock on, by so many seconds. */
  advance(seconds: number): Promise<unknown>
  /** Kills it and starts it on the same data, at another address; pages of before are gone. */
  restart(): Promise<void>
}

/**
 * One for all tests of a file; a page that complains fails its test. `refusals` allows answers of 409,
 * which is what a refused call is for; the browser still logs them.
 */
export function suite(
  { refusals }: { readonly refusals: boolean },
  visits: Visits = visitor(),
): Suite {
  let browser: Browser
  let served: Served
  beforeAll(async () => {
    browser = await openBrowser()
    served = await serve()
    await api(served.url).ask('POST', '/clock', { speed: 0 })
  })
  afterAll(async () => {
    await browser.close()
    await served.remove()
  })
  const endVisits = async (): Promise<void> => {
    expect(
      (await visits.end()).filter((complaint) => !refusals || !complaint.includes('409')),
    ).toEqual([])
  }
  afterEach(endVisits)
  return {
    get url() {
      return served.url
    },
    get api() {
      return api(served.url)
    },
    visit: (path) => visits.visit(browser, served.url + path),
    restart: async () => {
      await endVisits()
      await served.kill()
      served = await serve({ dir: served.dir })
    },
    advance: (seconds) => api(served.url).ask('POST', '/clock', { advanceSeconds: seconds }),
  }
}
