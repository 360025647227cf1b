/**
 * Pages without a browser: the loader of a route on a Gyrarch of the demo, what it shows rendered in jsdom, and what is
 * drafted there drafted for good. Where a press leads is shown as an address.
 */
import { cleanup, render, screen, within } from '@testing-library/react'
import userEvent from '@testing-library/user-event'
import type { ComponentType } from 'react'
import {
  createRoutesStub,
  type LoaderFunctionArgs,
  RouterContextProvider,
  useLocation,
} from 'react-router'
import { afterAll, afterEach, beforeAll, beforeEach, vi } from 'vitest'
import type { ChangeRecord } from '~/server/changes/changes'
import type { Gyrarch } from '~/server/gyrarch'
import { type Opened, openForTest } from '~/server/testing/open'
import * as drafting from '../areas/draft'
import { gyrarchContext } from '../context'

/** What is asked of a route; its own types say which route, which is of no use here. */
interface PageModule {
  readonly default: unknown
  readonly loader?: unknown
  readonly action?: unknown
}

type Asked = (args: LoaderFunctionArgs) => unknown

/** jsdom lays nothing out and matches no media. */
class NeverTold {
  observe(): void {}
  unobserve(): void {}
  disconnect(): void {}
}

export interface Pages {
  readonly gyrarch: Gyrarch
  /** Opens an address and waits for its page. */
  open(path: string): Promise<void>
  /** The same once more, in place of what is open. */
  again(path: string): Promise<void>
  /** What the loader of an address answers. */
  read(path: string): Promise<unknown>
  /** The change that the last press led to, as it was drafted. */
  drafted(): Promise<ChangeRecord>
}

function Elsewhere() {
  const { pathname, search } = useLocation()
  return <p data-testid="elsewhere">{pathname + search}</p>
}

/** Pages of some routes by their patterns, on one Gyrarch for all tests of a file. */
export function pagesOf(modules: Readonly<Record<string, PageModule>>): Pages {
  let opened: Opened
  beforeAll(async () => {
    opened = await openForTest()
  })
  afterAll(() => opened.close())
  beforeEach(() => {
    vi.stubGlobal('ResizeObserver', NeverTold)
    vi.spyOn(HTMLCanvasElement.prototype, 'getContext').mockReturnValue(null)
    vi.stubGlobal('matchMedia', () => ({
      matches: false,
      addEventListener: () => undefined,
      removeEventListener: () => undefined,
      addListener: () => undefined,
      removeListener: () => undefined,
    }))
  })
  afterEach(() => {
    cleanup()
    vi.unstubAllGlobals()
    vi.restoreAllMocks()
  })
  const onGyrarch =
    (ask: unknown): ((args: LoaderFunctionArgs) => Promise<unknown>) =>
    async (args) => {
      const context = new RouterContextProvider()
      context.set(gyrarchContext, opened.gyrarch)
      return (ask as Asked)({ ...args, context })
    }
  const open: Pages['open'] = async (path) => {
    const routes = Object.entries(modules).map(([pattern, module]) => ({
      path: pattern,
      Component: module.default as ComponentType,
      ...(module.loader ? { loader: onGyrarch(module.loader) } : {}),
      ...(module.action ? { action: onGyrarch(module.action) } : {}),
      HydrateFallback: () => null,
    }))
    const Stub = createRoutesStub([
      ...routes,
      { path: '/do/draft', action: onGyrarch(drafting.action) },
      { path: '*', Component: Elsewhere },
    ])
    render(<Stub initialEntries={[path]} />)
    await screen.findByRole('main')
  }
  return {
    get gyrarch() {
      return opened.gyrarch
    },
    open,
    again: (path) => {
      cleanup()
      return open(path)
    },
    read: async (path) => {
      const request = new Request(`http://page.test${path}`)
      const [pattern] = path.split('?')
      const { loader } = modules[pattern ?? ''] ?? {}
      return onGyrarch(loader)({ request, params: {} } as LoaderFunctionArgs)
    },
    drafted: async () => {
      const { textContent } = await screen.findByTestId('elsewhere')
      const [, id = ''] = /^\/(?:changes|raise)\/([^?]+)/.exec(textContent) ?? []
      return opened.gyrarch.changes.get(id)
    },
  }
}

/** Presses the button of a name, of the part of the page that is given. */
export const press = (name: string | RegExp, part: HTMLElement = document.body): Promise<void> =>
  userEvent.click(within(part).getByRole('button', { name }))

/** The text of the panel that gives reasons. */
export const reason = (): HTMLElement => screen.getByRole('complementary', { name: 'Reason' })

/** Drops a file on the place for it. */
export async function dropped(
  what: string,
  name: string,
  type: string,
  text: string,
): Promise<void> {
  const place = screen.getByRole('group', { name: new RegExp(`^Drop an? ${what}`) })
  const input = place.querySelector<HTMLInputElement>('input[type=file]')
  if (!input) throw new Error(`nothing takes a ${what}`)
  const file = new File([text], name, { type })
  // jsdom’s files cannot be read as browsers’ can.
  Object.defineProperty(file, 'text', { value: () => Promise.resolve(text) })
  await userEvent.upload(input, file)
}
