/** Times as people read them: how long ago or until, the exact time on hover. All on the stand-ins’ clock. */
import { durationText } from '~/core/units'
import { Tip } from '../kit/tip'
import { DateTime } from 'luxon'

/** “Mon 2 Mar 06:42:10”, in UTC like everything the outside tells. */
export function clockText(
  iso: string,
  options: { readonly seconds?: boolean; readonly year?: boolean } = {},
): string {
  const date = options.year ? 'ccc d LLL yyyy' : 'ccc d LLL'
  const time = options.seconds === false ? 'HH:mm' : 'HH:mm:ss'
  return DateTime.fromISO(iso, { zone: 'utc', locale: 'en' }).toFormat(`${date} ${time}`)
}

export const timeText = (iso: string): string => clockText(iso).split(' ').pop() ?? ''

export function Ago({ at, now }: { readonly at: string; readonly now: string }) {
  const seconds = (Date.parse(now) - Date.parse(at)) / 1000
  return (
    <Tip says={`${clockText(at, { year: true })} UTC`}>
      <time dateTime={at} className="nowrap">
        {seconds >= 0 ? `${durationText(seconds)} ago` : `in ${durationText(-seconds)}`}
      </time>
    </Tip>
  )
}
