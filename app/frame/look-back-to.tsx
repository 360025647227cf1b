/** Which moment to look back to. */
import Button from '@mui/material/Button'
import Popover from '@mui/material/Popover'
import { useState } from 'react'
import { useNavigate } from 'react-router'
import { Day } from '../kit/day'
import { TimeOfDay } from '../kit/time-of-day'
import { clockText } from '../parts/when'
import { useAtMoment } from './at-moment'

const before: readonly (readonly [says: string, seconds: number])[] = [
  ['10 minutes ago', 600],
  ['An hour ago', 3600],
  ['A day ago', 86_400],
  ['A week ago', 7 * 86_400],
]

const iso = (ms: number): string => new Date(ms).toISOString().replace(/\.\d+Z$/, 'Z')

export default function LookBackTo({
  now,
  anchor,
  onClose,
}: {
  readonly now: string
  readonly anchor: HTMLElement
  readonly onClose: () => void
}) {
  const navigate = useNavigate()
  const atMoment = useAtMoment()
  const [day, setDay] = useState(now.slice(0, 10))
  const [time, setTime] = useState(now.slice(11, 16))
  const go = (at: string): void => {
    onClose()
    void navigate(atMoment(at))
  }
  const chosen = `${day}T${time}:00Z`
  const isAhead = Date.parse(chosen) > Date.parse(now)
  return (
    <Popover
      open
      anchorEl={anchor}
      onClose={onClose}
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
  )
}
