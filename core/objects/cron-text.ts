/** What a schedule means, in words: “daily at 01:00”. What has no short name is told by its fields. */
import { durationText, listText } from '../units'
import { type CronSchedule, readCron } from './cron'

type Fields = Extract<CronSchedule, { readonly kind: 'fields' }>

const weekdays = ['Sun', 'Mon', 'Tue', 'Wed', 'Thu', 'Fri', 'Sat']
const two = (value: number): string => String(value).padStart(2, '0')
const sorted = (set: ReadonlySet<number>): readonly number[] => [...set].sort((a, b) => a - b)

/** The step by which all of a field’s numbers follow each other from 0 on; null where there is none. */
function stepOf(set: ReadonlySet<number>, count: number): number | null {
  const values = sorted(set)
  const step = values.length > 1 ? (values[1] ?? 0) - (values[0] ?? 0) : count
  return values[0] === 0 &&
    count % step === 0 &&
    values.length === count / step &&
    values.every((value, i) => value === i * step)
    ? step
    : null
}

/** The times of a day, where they are few. */
function timesOf({ minutes, hours }: Fields): string | null {
  if (minutes.size * hours.size > 4) return null
  return listText(
    sorted(hours).flatMap((hour) => sorted(minutes).map((minute) => `${two(hour)}:${two(minute)}`)),
  )
}

function withinDay(fields: Fields): string | null {
  const { minutes, hours } = fields
  const step = stepOf(minutes, 60)
  if (hours.size === 24 && step !== null) {
    if (step === 1) return 'every minute'
    return step === 60 ? 'every hour' : `every ${step} minutes`
  }
  const [minute] = minutes
  if (hours.size === 24 && minutes.size === 1) return `every hour at :${two(minute ?? 0)}`
  const hourStep = stepOf(hours, 24)
  if (minutes.size === 1 && hourStep !== null && hours.size > 4)
    return `every ${hourStep} hours at :${two(minute ?? 0)}`
  return null
}

function daysOf({ days, months, weekdays: chosen, isEither }: Fields): string | null {
  const everyDay = days.size === 31
  const everyMonth = months.size === 12
  if (isEither || !everyMonth) return null
  if (everyDay && chosen.size === 7) return 'daily'
  if (everyDay) {
    const named = sorted(chosen)
    if (named.join() === '1,2,3,4,5') return 'on weekdays'
    return `on ${listText(
      named.map((day) => weekdays[day] ?? ''),
      7,
    )}`
  }
  return days.size <= 3 && chosen.size === 7
    ? `on day ${listText(sorted(days).map(String))} of the month`
    : null
}

/** A schedule in words; `text` itself, quoted, where it has no short name or does not read. */
export function cronText(text: string): string {
  const read = readCron(text)
  if (!read.ok) return `“${text}”`
  const { schedule } = read
  if (schedule.kind === 'every') return `every ${durationText(schedule.seconds)}`
  const days = daysOf(schedule)
  const within = withinDay(schedule)
  if (days !== null && within !== null) return days === 'daily' ? within : `${within}, ${days}`
  const times = timesOf(schedule)
  return days !== null && times !== null ? `${days} at ${times}` : `by “${text}”`
}
