/** When a draft is to run: now, at a time, or when a maintenance window next opens. */
import Button from '@mui/material/Button'
import { useState } from 'react'
import { Choice } from '../kit/choice'
import { Day } from '../kit/day'
import { TimeOfDay } from '../kit/time-of-day'
import { clockText } from './when'

export interface WindowChoice {
  readonly name: string
  /** When it next opens, ISO; null where it never does. */
  readonly next: string | null
  readonly minutes: number
}

export type When = { readonly at: string } | { readonly window: string }

/** Chooses a time and hands it on; folded until it is asked for. */
export function Later({
  windows,
  now,
  worst,
  disabled,
  onSchedule,
}: {
  readonly windows: readonly WindowChoice[]
  readonly now: string
  /** The worst estimate of the plan, in seconds. */
  readonly worst: number
  readonly disabled: boolean
  readonly onSchedule: (when: When, isShort: boolean) => void
}) {
  const [isOpen, setOpen] = useState(false)
  const open = windows.filter((window) => window.next !== null)
  const [name, setName] = useState<string | null>(open[0]?.name ?? null)
  const [day, setDay] = useState(now.slice(0, 10))
  const [time, setTime] = useState(now.slice(11, 16))
  if (!isOpen)
    return (
      <Button variant="outlined" disabled={disabled} onClick={() => setOpen(true)}>
        Run later…
      </Button>
    )
  const window = open.find((each) => each.name === name) ?? null
  const at = `${day}T${time}:00Z`
  const isPast = window === null && Date.parse(at) <= Date.parse(now)
  const isShort = window !== null && worst > window.minutes * 60
  return (
    <fieldset className="later">
      <legend>Run later</legend>
      <Choice
        label="When"
        value={name ?? ''}
        options={[
          ...open.map((each) => ({
            value: each.name,
            says: `${each.name}, ${clockText(each.next ?? '', { seconds: false })} UTC`,
          })),
          { value: '', says: 'at a time' },
        ]}
        onChange={(value) => setName(value === '' ? null : value)}
        width="100%"
        unfolds
      />
      {window === null ? (
        <div className="later-time">
          <Day label="Day" value={day} onChange={setDay} width={150} />
          <TimeOfDay label="Time, UTC" value={time} onChange={setTime} width={110} />
        </div>
      ) : null}
      <p className="soft">
        {windows.length === 0 ? 'No window covers what it touches. ' : ''}
        {isPast ? `It is ${clockText(now)} already. ` : ''}
        {isShort
          ? 'At worst it takes longer than the window lasts: scheduling it accepts that. '
          : ''}
        It is checked and planned again then; a plan that differs waits for you.
      </p>
      <div className="acts">
        <Button
          variant="contained"
          disabled={disabled || isPast}
          onClick={() => onSchedule(window ? { window: window.name } : { at }, isShort)}
        >
          Schedule
        </Button>
        <Button variant="text" onClick={() => setOpen(false)}>
          Not later
        </Button>
      </div>
    </fieldset>
  )
}
