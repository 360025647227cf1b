/** The frame around every area. */
import { lazy, type ReactNode, Suspense, useEffect, useRef, useState } from 'react'
import { useLocation, useNavigate, useRevalidator, useSearchParams } from 'react-router'
import { AimBar, type ClockState } from './aim-bar'
import { type Aim, useAim } from './aim'
import type { Place } from './jump'
import { useKey } from './keys'
import { isLeader, useLive } from './live'
import { FoldProvider } from './page'
import { type Counts, Rail } from './rail'
import { RunLine, type RunSummary } from './run-line'
import { type Moment, MomentStrip } from './moment'
import { isUnderway } from './underway'

export interface FrameData {
  readonly clock: ClockState
  readonly aims: readonly Aim[]
  readonly runs: readonly RunSummary[]
  readonly counts: Counts
  /** The moment that is looked at; null is now. */
  readonly moment: Moment | null
}

/**
 * Reads loaders again when something has changed, at most once a second. What was told after the page was read and
 * before its tab listened is known by its mark.
 */
function useFreshness(isPast: boolean, mark: number): void {
  const revalidator = useRevalidator()
  const last = useRef(0)
  const timer = useRef<ReturnType<typeof setTimeout> | null>(null)
  const again = (): void => {
    // What was stays as it was.
    if (timer.current !== null || isPast) return
    timer.current = setTimeout(
      () => {
        timer.current = null
        // Reading again now would make the router drop where the answer leads to.
        if (isUnderway()) {
          last.current = Date.now() - 700
          again()
          return
        }
        last.current = Date.now()
        if (document.visibilityState === 'visible') void revalidator.revalidate()
      },
      Math.max(0, 1000 - (Date.now() - last.current)),
    )
  }
  useLive('state', again)
  useLive('journal', again)
  useLive('reset', again)
  const compare = (told: { readonly mark: number }): void => {
    if (told.mark > mark) again()
  }
  useLive('clock', compare)
  const first = useRef(compare)
  useEffect(() => {
    const stop = new AbortController()
    void fetch('/api/v1/clock', { signal: stop.signal })
      .then((answer) => answer.json() as Promise<{ readonly mark: number }>)
      .then((told) => first.current(told))
      // A page that is left, or a server that is gone: the stream sees to the latter.
      .catch(() => undefined)
    return () => stop.abort()
  }, [])
  useEffect(() => {
    const seen = (): void =>
      void (
        document.visibilityState === 'visible' &&
        !isUnderway() &&
        !isPast &&
        revalidator.revalidate()
      )
    document.addEventListener('visibilitychange', seen)
    return () => document.removeEventListener('visibilitychange', seen)
  }, [revalidator, isPast])
}

/** Title and, if allowed, a notification say when a run ends or halts. */
function useEndings(): void {
  const [ending, setEnding] = useState<string | null>(null)
  useLive('journal', (line) => {
    if (!['run.done', 'run.halted', 'run.taken-back'].includes(line.kind)) return
    setEnding(line.says)
    if (
      isLeader() &&
      typeof Notification !== 'undefined' &&
      Notification.permission === 'granted' &&
      document.visibilityState === 'hidden'
    )
      new Notification('Gyrarch', { body: line.says })
  })
  useEffect(() => {
    if (ending === null) return
    const before = document.title
    document.title = ending
    const timer = setTimeout(() => {
      if (document.title === ending) document.title = before
      setEnding(null)
    }, 8000)
    return () => clearTimeout(timer)
  }, [ending])
}

const Jump = lazy(() => import('./jump').then((module) => ({ default: module.Jump })))
const PlacePicker = lazy(() => import('./jump').then((module) => ({ default: module.PlacePicker })))
const KeysDialog = lazy(() => import('./keys-dialog'))
const Passing = lazy(() => import('../kit/passing').then((module) => ({ default: module.Passing })))

/** What the aim can be pointed at. */
function useAims(data: FrameData): readonly Place[] {
  const navigate = useNavigate()
  const { pathname } = useLocation()
  const [search] = useSearchParams()
  const pointAt = (ref: string | null) => () => {
    const params = new URLSearchParams(search)
    if (ref === null) params.delete('aim')
    else params.set('aim', ref)
    void navigate(`${pageFor(pathname, ref)}?${params.toString()}`)
  }
  return [
    { key: 'fleet', label: 'whole fleet', kind: 'fleet', go: pointAt(null) },
    ...data.aims.map((aim): Place => ({
      key: aim.ref,
      label: aim.name,
      kind: `${aim.where}${aim.guarded ? ', guarded' : ''}`,
      go: pointAt(aim.ref),
    })),
  ]
}

/** A cluster’s page is that cluster: pointing elsewhere leaves it for the other one, or for the fleet. */
function pageFor(pathname: string, ref: string | null): string {
  if (!pathname.startsWith('/clusters/')) return pathname
  return ref?.startsWith('cluster/') ? `/clusters/${ref.slice('cluster/'.length)}` : '/fleet'
}

export function Frame({
  data,
  children,
}: {
  readonly data: FrameData
  readonly children: ReactNode
}) {
  const aim = useAim(data.aims)
  const [live, setLive] = useState<{
    readonly clock: ClockState
    readonly since: ClockState
  } | null>(null)
  // Whichever came last: the stream, until a loader has read the clock anew.
  const clock = live?.since === data.clock ? live.clock : data.clock
  useLive('clock', (told) => setLive({ clock: told, since: data.clock }))
  useFreshness(data.moment !== null, data.clock.mark)
  useEndings()
  const [dialog, setDialog] = useState<'jump' | 'aim' | 'keys' | null>(null)
  const [copied, setCopied] = useState<string | null>(null)
  const close = (): void => setDialog(null)
  useKey('k', () => setDialog('jump'), { ctrl: true })
  useKey('a', () => setDialog('aim'))
  useKey('?', () => setDialog('keys'))
  useKey('/', () => document.querySelector<HTMLInputElement>('[data-find]')?.focus())
  useKey('y', () => {
    const name = document.querySelector<HTMLElement>('[data-copy]')?.dataset['copy']
    if (name === undefined) return
    void navigator.clipboard?.writeText(name)
    setCopied(name)
  })
  const aims = useAims(data)
  // From here on typing is heard: tests and impatient people can tell.
  useEffect(() => {
    document.documentElement.dataset['awake'] = 'yes'
  }, [])
  return (
    <FoldProvider>
      <div className="frame">
        <a href="#area" className="visually-hidden">
          To the content
        </a>
        <AimBar
          aim={aim}
          clock={clock}
          onAim={() => setDialog('aim')}
          onJump={() => setDialog('jump')}
          onKeys={() => setDialog('keys')}
        />
        <div>
          <RunLine given={data.runs} now={clock.now} />
          {data.moment ? <MomentStrip moment={data.moment} /> : null}
        </div>
        <div className="below" style={{ gridRow: 3 }}>
          <Rail counts={data.counts} />
          {children}
        </div>
      </div>
      {copied === null ? null : (
        <Suspense>
          <Passing says={`${copied} is copied.`} onGone={() => setCopied(null)} />
        </Suspense>
      )}
      {/* Dialogs are brought when they are first opened. */}
      <Suspense>
        {dialog === 'jump' ? <Jump open onClose={close} /> : null}
        {dialog === 'aim' ? (
          <PlacePicker
            open
            title="Point at"
            places={aims}
            onClose={close}
            empty="Nothing of that name."
          />
        ) : null}
        {dialog === 'keys' ? <KeysDialog calm={clock.calm} onClose={close} /> : null}
      </Suspense>
    </FoldProvider>
  )
}
