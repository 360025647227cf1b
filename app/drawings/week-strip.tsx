/** A week of a rest calendar to scale: a row a day in the calendar’s zone, resting hours hatched, the present as a line. */
import { weekdays, type Weekday } from '~/core/scaling'
import './week-strip.css'

export interface WeekStripProps {
  /** Minutes of each day at which it rests, as pairs. */
  readonly rests: Readonly<Record<Weekday, readonly (readonly [number, number])[]>>
  readonly now: { readonly day: Weekday; readonly minute: number } | null
}

const hour = 26
const row = 24
const left = 44

const clock = (minutes: number): string =>
  `${String(Math.floor(minutes / 60)).padStart(2, '0')}:${String(minutes % 60).padStart(2, '0')}`

/** The first and the last hour are written within the strip. */
const anchors: Readonly<Record<number, 'start' | 'end'>> = { 0: 'start', 24: 'end' }

export function WeekStrip({ rests, now }: WeekStripProps) {
  const width = left + 24 * hour + 1
  return (
    <svg
      className="week-strip"
      width={width}
      height={7 * row + 20}
      role="img"
      aria-label={`Rests: ${weekdays.map((day) => `${day} ${rests[day].map(([from, to]) => `${clock(from)} to ${clock(to)}`).join(' and ') || 'not at all'}`).join('; ')}`}
    >
      <defs>
        <pattern
          id="week-rest"
          width="6"
          height="6"
          patternUnits="userSpaceOnUse"
          patternTransform="rotate(45)"
        >
          <path d="M0 0v6" stroke="var(--resting)" strokeWidth="2.4" />
        </pattern>
      </defs>
      {[0, 6, 12, 18, 24].map((at) => (
        <text key={at} x={left + at * hour} y={12} textAnchor={anchors[at] ?? 'middle'}>
          {clock(at * 60)}
        </text>
      ))}
      {weekdays.map((day, i) => (
        <g key={day} transform={`translate(0 ${18 + i * row})`}>
          <text x={0} y={15}>
            {day}
          </text>
          <rect className="day" x={left} y={2} width={24 * hour} height={row - 5} />
          {rests[day].map(([from, to]) => (
            <rect
              key={from}
              x={left + (from / 60) * hour}
              y={2}
              width={((to - from) / 60) * hour}
              height={row - 5}
              fill="url(#week-rest)"
              stroke="var(--resting)"
            >
              <title>{`${day}: rests ${clock(from)} to ${clock(to)}`}</title>
            </rect>
          ))}
          {now?.day === day ? (
            <line
              className="now"
              x1={left + (now.minute / 60) * hour}
              x2={left + (now.minute / 60) * hour}
              y1={0}
              y2={row - 1}
            />
          ) : null}
        </g>
      ))}
    </svg>
  )
}
