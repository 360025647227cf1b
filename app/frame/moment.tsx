/** Looking back: the fleet as it was at another moment, and the way from change to change. */
import { ChevronLeft, ChevronRight, History } from 'lucide-react'
import Button from '@mui/material/Button'
import { lazy, Suspense, useState } from 'react'
import { useNavigate } from 'react-router'
import { IconButton } from '../kit/icon-button'
import { To } from '../parts/to'
import { clockText } from '../parts/when'
import { useAtMoment } from './at-moment'

/** Comes when it is asked for: no page needs it to be there. */
const LookBackTo = lazy(() => import('./look-back-to'))

export interface Moment {
  readonly at: string
  /** The nearest moments at which something was seen to change; null where there is none. */
  readonly earlier: string | null
  readonly later: string | null
}

export function LookBack({ now }: { readonly now: string }) {
  const [anchor, setAnchor] = useState<HTMLElement | null>(null)
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
      {anchor ? (
        <Suspense>
          <LookBackTo now={now} anchor={anchor} onClose={() => setAnchor(null)} />
        </Suspense>
      ) : null}
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
