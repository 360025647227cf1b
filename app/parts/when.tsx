/** Times as people read them: how long ago or until, the exact time on hover. All on the stand-ins’ clock. */
import { durationText } from '~/core/units'
import { Tip } from '../kit/tip'
import { useTurn } from '../kit/turn'

const clock = new Intl.DateTimeFormat('en-US', {
  timeZone: 'UTC',
  weekday: 'short',
  day: 'numeric',
  month: 'short',
  year: 'numeric',
  hour: '2-digit',
  minute: '2-digit',
  second: '2-digit',
  hourCycle: 'h23',
})

/** “Mon 2 Mar 06:42:10”, in UTC like everything the outside tells. */
export function clockText(
  iso: string,
  options: { readonly seconds?: boolean; readonly year?: boolean } = {},
): string {
  const parts = Object.fromEntries(
    clock.formatToParts(Date.parse(iso)).map(({ type, value }) => [type, value]),
  )
  const {
    weekday = '',
    day = '',
    month = '',
    year = '',
    hour = '',
    minute = '',
    second = '',
  } = parts
  const date = `${weekday} ${day} ${month}${options.year ? ` ${year}` : ''}`
  return `${date} ${hour}:${minute}${options.seconds === false ? '' : `:${second}`}`
}

export const timeText = (iso: string): string => clockText(iso).split(' ').pop() ?? ''

export function Ago({ at, now }: { readonly at: string; readonly now: string }) {
  useTurn()
  const seconds = (Date.parse(now) - Date.parse(at)) / 1000
  return (
    <Tip says={`${clockText(at, { year: true })} UTC`}>
      <time dateTime={at} className="nowrap">
        {seconds >= 0 ? `${durationText(seconds)} ago` : `in ${durationText(-seconds)}`}
      </time>
    </Tip>
  )
}
