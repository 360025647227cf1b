/** Headless Chromium for tests, which find things by role and name, as a person does. */
import puppeteer, {
  type Browser,
  type BrowserContext,
  type ElementHandle,
  type Page,
} from 'puppeteer-core'

export async function openBrowser(): Promise<Browser> {
  return puppeteer.launch({
    executablePath: '/usr/bin/chromium',
    args: [
      '--headless',
      '--no-sandbox',
      '--disable-gpu',
      '--disable-quic',
      '--no-first-run',
      '--disable-background-networking',
      '--disable-component-update',
      '--disable-sync',
    ],
  })
}

/** What a page complained about: console errors, unhandled rejections, failed requests. A test fails on any. */
export interface Watched {
  readonly page: Page
  readonly complaints: string[]
}

/** A page in a context of its own, as a browser that has never been here. */
export async function openPage(
  browser: Browser,
  url: string,
  scheme: 'light' | 'dark' = 'light',
): Promise<Watched> {
  return openPageIn(await browser.createBrowserContext(), url, scheme)
}

/** A page in a context that others were opened in before: what they loaded is at hand. */
export async function openPageIn(
  context: BrowserContext,
  url: string,
  scheme: 'light' | 'dark' = 'light',
): Promise<Watched> {
  const page = await context.newPage()
  // Without “Headless” in its name it is treated as the browser it is.
  await page.setUserAgent({
    userAgent:
      'Mozilla/5.0 (X11; Linux x86_64) AppleWebKit/537.36 (KHTML, like Gecko) Chrome/150.0.0.0 Safari/537.36',
  })
  await page.setViewport({ width: 1280, height: 800 })
  await page.emulateMediaFeatures([{ name: 'prefers-color-scheme', value: scheme }])
  const complaints: string[] = []
  page.on('console', (message) => {
    const { url = '' } = message.location()
    if (message.type() === 'error') complaints.push(`console: ${message.text()} ${url}`)
  })
  page.on('response', (response) => {
    // What was refused, and why: the console has the status alone.
    if (response.status() === 409)
      void response.text().then(
        (text) =>
          complaints.push(`409 ${response.request().postData() ?? ''}: ${text.slice(0, 600)}`),
        () => undefined,
      )
  })
  page.on('pageerror', (error) => complaints.push(`page: ${String(error)}`))
  await goTo(page, url)
  return { page, complaints }
}

/** Opens a page and waits until it answers to clicks. */
export async function goTo(page: Page, url: string): Promise<void> {
  await page.goto(url, { waitUntil: 'load' })
  // Tabs in the background paint nothing, so they are asked at intervals and not at each frame.
  await page.waitForFunction(() => document.documentElement.dataset['awake'] === 'yes', {
    polling: 100,
  })
}

const selector = (role: string, name: string): string =>
  `::-p-aria([name="${name}"][role="${role}"])`

/** The element of a role and name, once it is there. */
export async function find(
  page: Page,
  role: string,
  name: string,
  timeout = 20_000,
): Promise<ElementHandle> {
  const element = await page.waitForSelector(selector(role, name), { timeout }).catch(() => null)
  if (!element)
    throw new Error(
      `no ${role} “${name}” on ${page.url()}: ${(await page.evaluate(() => document.body.innerText)).slice(0, 1500)}`,
    )
  return element
}

export async function press(
  page: Page,
  role: string,
  name: string,
  timeout?: number,
): Promise<void> {
  await find(page, role, name, timeout)
  // Whether something stands still is asked at each frame, and only the tab in front paints any.
  await page.bringToFront()
  // A busy page may still be moving: clicked once it stands still.
  await page
    .locator(selector(role, name))
    .setTimeout(timeout ?? 20_000)
    .click()
    .catch(async (error: unknown) => {
      const is = await page
        .$eval(selector(role, name), (element) => element.outerHTML.slice(0, 300))
        .catch(() => 'gone')
      throw new Error(`${role} “${name}” could not be pressed, it is ${is}`, { cause: error })
    })
}

/** Presses what begins a draft and goes to it; a page that is still being drawn may move it from under the pointer, or make it anew. */
export async function pressToDraft(page: Page, name: string): Promise<void> {
  for (let attempt = 0; attempt < 4 && !page.url().includes('/changes/'); attempt++) {
    await press(page, 'button', name)
    await page
      .waitForFunction(() => location.pathname.startsWith('/changes/'), { timeout: 8000 })
      .catch(() => undefined)
  }
}

/** Waits until the page shows a text. */
export async function see(page: Page, text: string, timeout = 30_000): Promise<void> {
  await page
    .waitForFunction((wanted) => document.body.innerText.includes(wanted), { timeout }, text)
    .catch(async () => {
      throw new Error(
        `“${text}” did not appear on ${page.url()}: ${(await page.evaluate(() => document.body.innerText)).slice(0, 1500)}`,
      )
    })
}

/** Replaces what a labelled field holds. */
export async function fill(page: Page, role: string, name: string, value: string): Promise<void> {
  const field = await find(page, role, name)
  await field.click({ count: 3 })
  await page.keyboard.press('Backspace')
  await field.type(value)
}

/** Picks an option of a select by its text. */
export async function choose(page: Page, name: string, option: string): Promise<void> {
  await press(page, 'combobox', name)
  await press(page, 'option', option)
  // While the list closes it still catches clicks.
  await page.waitForFunction(() => document.querySelector('[role=listbox]') === null)
  await page.waitForFunction(
    (wanted) =>
      [...document.querySelectorAll('[role=combobox]')].some((box) => box.textContent === wanted),
    {},
    option,
  )
}

/** Presses *Run* on a draft once nothing stands against it and it is kept. */
export async function runWhenReady(page: Page): Promise<void> {
  await see(page, 'Nothing stands against it')
  await see(page, ', kept')
  await page.waitForFunction(() =>
    [...document.querySelectorAll('button')].some(
      (button) => button.textContent === 'Run' && !button.disabled,
    ),
  )
  await press(page, 'button', 'Run')
  await see(page, 'steps done')
}

/** The pages a test opens on a served Gyrarch: `end` closes them and gives what they complained about. */
export interface Visits {
  visit(browser: Browser, url: string): Promise<Page>
  end(): Promise<readonly string[]>
}

/** Each page as in a browser that has never been here. */
export function visitor(): Visits {
  const open: Watched[] = []
  return {
    visit: async (browser, url) => {
      const watched = await openPage(browser, url)
      open.push(watched)
      return watched.page
    },
    end: async () => {
      const gone = open.splice(0)
      for (const { page } of gone) await page.browserContext().close()
      return gone.flatMap((watched) => watched.complaints)
    },
  }
}

/** Each page as in a browser that knows the files, and has forgotten all else: for who looks at many pages, one at a time. */
export function returningVisitor(): Visits {
  const open: Watched[] = []
  return {
    visit: async (browser, url) => {
      const watched = await openPageIn(browser.defaultBrowserContext(), url)
      open.push(watched)
      return watched.page
    },
    end: async () => {
      const gone = open.splice(0)
      for (const { page } of gone) {
        const session = await page.createCDPSession()
        const { origin } = new URL(page.url())
        const storageTypes = 'local_storage,indexeddb,cookies'
        await session.send('Storage.clearDataForOrigin', { origin, storageTypes })
        await page.close()
      }
      return gone.flatMap((watched) => watched.complaints)
    },
  }
}
