/** What tabs of one browser share, for tests: an event stream that is told what to tell, a channel, and a lock that one holds. */
import { act } from 'react'
import { vi } from 'vitest'

type Listener = (event: { readonly data: string }) => void

/** An event stream that tells what a test gives it. */
export class Stream {
  static readonly all: Stream[] = []
  readonly url: string
  private readonly listeners = new Map<string, Listener>()
  onerror: () => void = () => undefined
  onopen: () => void = () => undefined

  constructor(url: string) {
    this.url = url
    Stream.all.push(this)
  }

  addEventListener(name: string, listener: Listener): void {
    this.listeners.set(name, listener)
  }

  tell(name: string, data: unknown): void {
    act(() => this.listeners.get(name)?.({ data: JSON.stringify(data) }))
  }

  open(): void {
    act(() => this.onopen())
  }
}

/** Tabs hear each other on it, and never themselves. */
class Channel {
  static readonly all: Channel[] = []
  readonly name: string
  onmessage: ((event: { readonly data: unknown }) => void) | null = null

  constructor(name: string) {
    this.name = name
    Channel.all.push(this)
  }

  postMessage(data: unknown): void {
    const others = Channel.all.filter((each) => each !== this && each.name === this.name)
    act(() => others.forEach((each) => each.onmessage?.({ data })))
  }
}

/** Puts them in place of the browser’s own, until `vi.unstubAllGlobals`. Gives what closes the tab that holds the lock. */
export function stubLiveBrowser(): { readonly closeLeader: () => void } {
  Stream.all.length = 0
  Channel.all.length = 0
  const waiting: (() => unknown)[] = []
  let isHeld = false
  const request = (_name: string, hold: () => unknown): Promise<void> => {
    if (isHeld) waiting.push(hold)
    else hold()
    isHeld = true
    return new Promise(() => undefined)
  }
  vi.stubGlobal('EventSource', Stream)
  vi.stubGlobal('BroadcastChannel', Channel)
  vi.stubGlobal('IS_REACT_ACT_ENVIRONMENT', true)
  Object.defineProperty(navigator, 'locks', { value: { request }, configurable: true })
  return { closeLeader: () => void waiting.shift()?.() }
}
