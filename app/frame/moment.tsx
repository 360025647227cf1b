/** Looking back: the fleet as it was at another moment, and the way from change to change. */
import { ChevronLeft, ChevronRight, History } from 'lucide-react'
import Button from '@mui/material/Button'
import Popover from '@mui/material/Popover'
import { useState } from 'react'
import { useLocation, useNavigate, useSearchParams } from 'react-router'
import { Day } from '../kit/day'
import { IconButton } from '../kit/icon-button'
import { TimeOfDay } from '../kit/time-of-day'
import { To, useAddress } from '../parts/to'
import { clockText } from '../parts/when'

export interface Moment {
  readonly at: string
  /** The nearest moments at which something was seen to change; null where there is none. */
  readonly earlier: string | null
  readonly later: string | null
}

const before: readonly (readonly [says: string, seconds: number])[] = [
  ['10 minutes ago', 600],
  ['An hour ago', 3600],
  ['A day ago', 86_400],
  ['A week ago', 7 * 86_400],
]

const iso = (ms: number): string => new Date(ms).toISOString().replace(/\.\d+Z$/, 'Z')

/** The present address at another moment. */
function useAtMoment(): (at: string | null) => string {
  const { pathname } = useLocation()
  const [search] = useSearchParams()
  const address = useAddress()
  const keep = Object.fromEntries(search)
  return (at) => address(pathname, { ...keep, at })
}

export function LookBack({ now }: { readonly now: string }) {
  const [anchor, setAnchor] = useState<HTMLElement | null>(null)
  const navigate = useNavigate()
  const atMoment = useAtMoment()
  const [day, setDay] = useState(now.slice(0, 10))
  const [time, setTime] = useState(now.slice(11, 16))
  const go = (at: string): void => {
    setAnchor(null)
    void navigate(atMoment(at))
  }
  const chosen = `${day}T${time}:00Z`
  const isAhead = Date.parse(chosen) > Date.parse(now)
  return (
    <>
      <IconButton
        says="Look back"
        hint="The fleet as it was"
        expanded={anchor !== null}
        onClick={(event) => setAnchor(event.currentTarget)}
      >
        <History size={15} aria-hidden />
      </IconButton>
      <Popover
        open={anchor !== null}
        anchorEl={anchor}
        onClose={() => setAnchor(null)}
        anchorOrigin={{ vertical: 'bottom', horizontal: 'right' }}
        transformOrigin={{ vertical: 'top', horizontal: 'right' }}
      >
        <div className="look-back" role="dialog" aria-label="Look back">
          <p className="soft">Every page can show the fleet as it was.</p>
          <div className="look-back-steps">
            {before.map(([says, seconds]) => (
              <Button
                key={says}
                size="small"
                onClick={() => go(iso(Date.parse(now) - seconds * 1000))}
              >
                {says}
              </Button>
            ))}
          </div>
          <div className="look-back-time">
            <Day label="Day" value={day} onChange={setDay} />
            <TimeOfDay label="Time, UTC" value={time} onChange={setTime} />
            <Button variant="contained" disabled={isAhead} onClick={() => go(chosen)}>
              Show it
            </Button>
          </div>
          {isAhead ? <p className="soft">That is later than now, {clockText(now)}.</p> : null}
        </div>
      </Popover>
    </>
  )
}

/** Says that what is shown is past, and leads on: to the change before, the one after, and back. */
export function MomentStrip({ moment }: { readonly moment: Moment }) {
  const atMoment = useAtMoment()
  const navigate = useNavigate()
  const step = (at: string | null) => () => void navigate(atMoment(at))
  return (
    <div className="moment-strip" role="status">
      <History size={14} aria-hidden />
      <span>
        The fleet as it was on <b className="mono">{clockText(moment.at, { year: true })}</b> UTC.
        What you draft is judged by the fleet as it is now.
      </span>
      <span className="spring" />
      {moment.earlier === null ? null : (
        <IconButton says="To the change before" onClick={step(moment.earlier)}>
          <ChevronLeft size={14} aria-hidden />
        </IconButton>
      )}
      {moment.later === null ? null : (
        <IconButton says="To the change after" onClick={step(moment.later)}>
          <ChevronRight size={14} aria-hidden />
        </IconButton>
      )}
      <To path="/journal/observed" query={{ until: moment.at }}>
        What changed
      </To>
      <Button size="small" onClick={step(null)}>
        Back to now
      </Button>
    </div>
  )
}
