/** Times as people read them: how long ago or until, the exact time on hover. All on the stand-ins’ clock. */
import { durationText } from '~/core/units'

const months = ['Jan', 'Feb', 'Mar', 'Apr', 'May', 'Jun', 'Jul', 'Aug', 'Sep', 'Oct', 'Nov', 'Dec']
const days = ['Sun', 'Mon', 'Tue', 'Wed', 'Thu', 'Fri', 'Sat']
const two = (value: number): string => String(value).padStart(2, '0')

/** “Mon 2 Mar 06:42:10”, in UTC like everything the outside tells. */
export function clockText(
  iso: string,
  options: { readonly seconds?: boolean; readonly year?: boolean } = {},
): string {
  const at = new Date(iso)
  const date = `${days[at.getUTCDay()] ?? ''} ${at.getUTCDate()} ${months[at.getUTCMonth()] ?? ''}${options.year ? ` ${at.getUTCFullYear()}` : ''}`
  return `${date} ${two(at.getUTCHours())}:${two(at.getUTCMinutes())}${options.seconds === false ? '' : `:${two(at.getUTCSeconds())}`}`
}

export const timeText = (iso: string): string => clockText(iso).split(' ').pop() ?? ''

export function Ago({ at, now }: { readonly at: string; readonly now: string }) {
  const seconds = (Date.parse(now) - Date.parse(at)) / 1000
  return (
    <time dateTime={at} title={`${clockText(at, { year: true })} UTC`} className="nowrap">
      {seconds >= 0 ? `${durationText(seconds)} ago` : `in ${durationText(-seconds)}`}
    </time>
  )
}
