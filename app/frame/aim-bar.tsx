/** What you are pointed at, the clock, and the way to everything else. */
import { ChevronsRight, CircleHelp, Contrast, Pause, Play, Search, Square } from 'lucide-react'
import { useColorScheme } from '@mui/material/styles'
import { useFetcher } from 'react-router'
import { clockText } from '../parts/when'
import { To } from '../parts/to'
import type { Aim } from './aim'
import { useKey } from './keys'
import { LookBack } from './moment'
import { IconButton } from '../kit/icon-button'
import { Tip } from '../kit/tip'
import { useTurn } from '../kit/turn'

function Mark() {
  return (
    <svg width="26" height="20" viewBox="0 0 26 20" aria-hidden>
      <path d="M2 18A11 11 0 0 1 13 7" fill="none" stroke="var(--petrol)" strokeWidth="3" />
      <path
        d="M13 2a11 11 0 0 1 11 16"
        fill="none"
        stroke="var(--petrol)"
        strokeWidth="3"
        transform="translate(0 1)"
      />
      <path d="M9 18a4.5 4.5 0 0 1 9 0" fill="none" stroke="var(--brass)" strokeWidth="3" />
    </svg>
  )
}

export interface ClockState {
  readonly now: string
  readonly speed: number
  readonly calm: boolean
  readonly slipping: boolean
  /** Where it is being sent, while it is. */
  readonly headingFor: string | null
  /** How much had been told when the clock was read. */
  readonly mark: number
}

function Clock({ clock }: { readonly clock: ClockState }) {
  useTurn()
  const fetcher = useFetcher()
  const ask = (request: Record<string, string>): void =>
    void fetcher.submit(request, { method: 'post', action: '/do/clock' })
  // What was just asked for shows at once; the stream confirms it a moment later.
  const requested = fetcher.formData?.get('speed')
  const speedNow = typeof requested === 'string' ? Number(requested) : clock.speed
  const paused = speedNow === 0
  useKey(' ', () => ask({ speed: paused ? '60' : '0' }))
  useKey('.', () => ask({ next: 'event' }))
  return (
    <>
      <Tip
        says={`The stand-ins’ clock, UTC${clock.calm ? '. Calm: 60× while a change runs, else 1×' : ''}`}
      >
        <time className="mono nowrap" dateTime={clock.now}>
          {clockText(clock.now)}
          {clock.slipping ? ' (slipping)' : ''}
          {clock.headingFor ? ` → ${clockText(clock.headingFor)}` : ''}
        </time>
      </Tip>
      <div className="speed" role="group" aria-label="Speed of the clock">
        <IconButton
          says={paused ? 'Resume' : 'Pause'}
          hint={paused ? 'Resume (Space)' : 'Pause (Space)'}
          pressed={paused}
          onClick={() => ask({ speed: paused ? '60' : '0' })}
        >
          {paused ? <Play size={12} aria-hidden /> : <Pause size={12} aria-hidden />}
        </IconButton>
        {[1, 60, 600].map((speed) => (
          <button
            key={speed}
            type="button"
            aria-pressed={speedNow === speed}
            onClick={() => ask({ speed: String(speed) })}
          >
            {speed}×
          </button>
        ))}
        {clock.headingFor ? (
          <IconButton says="Stop here" onClick={() => ask({ next: 'stop' })}>
            <Square size={11} aria-hidden />
          </IconButton>
        ) : null}
        <IconButton
          says="To the next event"
          hint="To the next event (.)"
          onClick={() => ask({ next: 'event' })}
        >
          <ChevronsRight size={13} aria-hidden />
        </IconButton>
      </div>
    </>
  )
}

export interface AimBarProps {
  readonly aim: Aim | null
  readonly clock: ClockState
  readonly onAim: () => void
  readonly onJump: () => void
  readonly onKeys: () => void
}

export function AimBar({ aim, clock, onAim, onJump, onKeys }: AimBarProps) {
  const { mode, systemMode, setMode } = useColorScheme()
  const dark = (mode === 'system' ? systemMode : mode) === 'dark'
  return (
    <header className="aim-bar" data-guarded={aim?.guarded ?? false}>
      <To path="/fleet" className="mark" aria-label="Gyrarch, to the fleet">
        <Mark />
        Gyrarch
      </To>
      <button type="button" className="aim-button" onClick={onAim} aria-haspopup="dialog">
        <span className="soft">aim</span>
        <b>{aim?.name ?? 'whole fleet'}</b>
        {aim ? <span className="soft">{aim.where}</span> : null}
        {aim?.guarded ? <b>guarded</b> : null}
        <kbd aria-hidden>a</kbd>
      </button>
      <span className="spring" />
      <Clock clock={clock} />
      <LookBack now={clock.now} />
      <button type="button" className="quiet-button" onClick={onJump}>
        <Search size={14} aria-hidden /> Jump <kbd aria-hidden>Ctrl K</kbd>
      </button>
      <IconButton says="Keys" hint="Keys (?)" onClick={onKeys}>
        <CircleHelp size={15} aria-hidden />
      </IconButton>
      <IconButton says="Light or dark" onClick={() => setMode(dark ? 'light' : 'dark')}>
        <Contrast size={15} aria-hidden />
      </IconButton>
    </header>
  )
}
