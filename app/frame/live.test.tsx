// @vitest-environment jsdom
import { cleanup, render } from '@testing-library/react'
import { afterEach, beforeEach, describe, expect, it, vi } from 'vitest'
import { Stream, stubLiveBrowser } from '../testing/live-browser'

let browser: ReturnType<typeof stubLiveBrowser>

beforeEach(() => {
  browser = stubLiveBrowser()
})

afterEach(() => {
  cleanup()
  vi.unstubAllGlobals()
})

/** A tab that listens, with all that it has heard; each has modules of its own, as tabs have. */
async function tab() {
  vi.resetModules()
  const live = await import('./live')
  const heard: unknown[] = []
  function Ear() {
    live.useLive('state', ({ version }) => heard.push(version))
    live.useLive('reset', () => heard.push('reset'))
    return null
  }
  const { unmount } = render(<Ear />)
  return { heard, isLeader: live.isLeader, unmount }
}

describe('the event stream of a browser', () => {
  it('is read by one tab, which tells the others all it hears', async () => {
    const tabs = [await tab(), await tab(), await tab()]
    expect(Stream.all.map(({ url }) => url)).toEqual(['/api/v1/live'])
    expect(tabs.map(({ isLeader }) => isLeader())).toEqual([true, false, false])
    Stream.all[0]?.tell('state', { version: 7, slices: [] })
    expect(tabs.map(({ heard }) => heard)).toEqual([[7], [7], [7]])
  })

  it('goes over to the next tab once its reader is closed; what may have been missed is read again', async () => {
    const tabs = [await tab(), await tab(), await tab()]
    Stream.all[0]?.open()
    Stream.all[0]?.tell('state', { version: 1, slices: [] })
    browser.closeLeader()
    expect(tabs[1]?.isLeader()).toBe(true)
    expect(Stream.all).toHaveLength(2)
    Stream.all[1]?.open()
    Stream.all[1]?.tell('state', { version: 2, slices: [] })
    expect(tabs[1]?.heard).toEqual([1, 'reset', 2])
    expect(tabs[2]?.heard).toEqual([1, 'reset', 2])
  })

  it('that was broken has every tab read again, once', async () => {
    const tabs = [await tab(), await tab()]
    const [stream] = Stream.all
    stream?.open()
    expect(tabs[0]?.heard).toEqual([])
    stream?.onerror()
    stream?.open()
    stream?.open()
    expect(tabs.map(({ heard }) => heard)).toEqual([['reset'], ['reset']])
  })

  it('tells nothing to what no longer stands', async () => {
    const { heard, unmount } = await tab()
    unmount()
    Stream.all[0]?.tell('state', { version: 3, slices: [] })
    expect(heard).toEqual([])
  })
})
