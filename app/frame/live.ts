/**
 * One event stream for the whole browser, however many tabs are open: the tab that holds the lock reads it and passes
 * everything on to the others.
 */
import { useEffect, useRef } from 'react'
import type { StepRecord } from '~/server/changes/changes'
import type { JournalEntry } from '~/server/live/hub'

export interface LiveEvents {
  readonly journal: JournalEntry
  readonly run: {
    readonly id: string
    readonly label: string
    readonly state: string
    readonly startedAt: string | null
    readonly endedAt: string | null
    readonly steps: readonly StepRecord[]
  }
  readonly state: { readonly version: number; readonly slices: readonly string[] }
  readonly clock: {
    readonly now: string
    readonly speed: number
    readonly calm: boolean
    readonly slipping: boolean
    /** Where it is being sent, while it is. */
    readonly headingFor: string | null
    /** How much had been told by then: a page read at a smaller mark has missed something. */
    readonly mark: number
  }
  readonly reset: { readonly says: string }
}

type Name = keyof LiveEvents
const names: readonly Name[] = ['journal', 'run', 'state', 'clock', 'reset']

const listeners = new Map<Name, Set<(data: never) => void>>()
let leading = false
let started = false

const dispatch = (name: Name, data: unknown): void => {
  for (const listener of listeners.get(name) ?? []) listener(data as never)
}

/** Whether this tab reads the stream: the one that speaks to the desktop. */
export const isLeader = (): boolean => leading

function start(): void {
  if (started || typeof window === 'undefined') return
  started = true
  const channel = new BroadcastChannel('gyrarch-live')
  // Where another tab has read the stream before this one does, something may have been told in between.
  let mayHaveMissed = false
  channel.onmessage = ({ data }: MessageEvent<{ name: Name; data: unknown }>) => {
    mayHaveMissed = true
    dispatch(data.name, data.data)
  }
  const tell = (name: Name, data: unknown): void => {
    dispatch(name, data)
    channel.postMessage({ name, data })
  }
  void navigator.locks.request(
    'gyrarch-live',
    () =>
      new Promise<never>(() => {
        leading = true
        const source = new EventSource('/api/v1/live')
        for (const name of names) {
          source.addEventListener(name, (event: MessageEvent<string>) =>
            tell(name, JSON.parse(event.data)),
          )
        }
        // A broken stream may have missed what is not in the journal: whoever shows states reads again, in all tabs.
        source.onerror = () => {
          mayHaveMissed = true
        }
        source.onopen = () => {
          if (mayHaveMissed) tell('reset', { says: 'the stream was broken' })
          mayHaveMissed = false
        }
      }),
  )
}

/** Calls `handle` for every event of a name while the component stands. */
export function useLive<N extends Name>(name: N, handle: (data: LiveEvents[N]) => void): void {
  const latest = useRef(handle)
  useEffect(() => {
    latest.current = handle
  })
  useEffect(() => {
    start()
    const listener = (data: never): void => latest.current(data)
    const set = listeners.get(name) ?? new Set()
    listeners.set(name, set)
    set.add(listener)
    return () => void set.delete(listener)
  }, [name])
}
