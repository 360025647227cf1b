/** Maintenance windows as iCalendar (RFC 5545), out and in. Which clusters a window covers travels in properties of our own. */
import ICAL from 'ical.js'
import { tzlib_get_ical_block as zoneBlock } from 'timezones-ical-library'
import type { WindowView } from '~/core/fleet'
import { type WindowIntent, windowIntent } from '~/core/windows'

const clustersProperty = 'x-gyrarch-clusters'
const labelsProperty = 'x-gyrarch-labels'

const localTime = (text: string, zone: ICAL.Timezone): ICAL.Time =>
  ICAL.Time.fromData(
    {
      year: Number(text.slice(0, 4)),
      month: Number(text.slice(5, 7)),
      day: Number(text.slice(8, 10)),
      hour: Number(text.slice(11, 13)),
      minute: Number(text.slice(14, 16)),
      second: 0,
      isDate: false,
    },
    zone,
  )

/** The time zone of a name as RFC 5545 spells it out; null for one that is not known. */
function zoneComponent(zone: string): ICAL.Component | null {
  const block = zoneBlock(zone)[0]
  if (typeof block !== 'string' || !block.startsWith('BEGIN:VTIMEZONE')) return null
  return new ICAL.Component(ICAL.parse(block) as unknown[])
}

function eventOf(window: WindowView, stamp: ICAL.Time): ICAL.Component {
  const zone = new ICAL.Timezone({ tzid: window.zone, component: zoneComponent(window.zone) ?? '' })
  const event = new ICAL.Component('vevent')
  const timed = (name: string, text: string): void => {
    const property = event.addPropertyWithValue(name, localTime(text, zone))
    property.setParameter('tzid', window.zone)
  }
  event.addPropertyWithValue('uid', `window-${encodeURIComponent(window.name)}@gyrarch.invalid`)
  event.addPropertyWithValue('dtstamp', stamp)
  event.addPropertyWithValue('summary', window.name)
  timed('dtstart', window.start)
  event.addPropertyWithValue('duration', ICAL.Duration.fromSeconds(window.minutes * 60))
  if (window.rule !== null)
    event.addPropertyWithValue(
      'rrule',
      ICAL.Recur.fromString(window.rule.replace(/^RRULE:/i, '').toUpperCase()),
    )
  for (const day of window.except) timed('exdate', `${day}${window.start.slice(10)}`)
  event.addPropertyWithValue('transp', 'TRANSPARENT')
  if (window.clusters.length > 0)
    event.addPropertyWithValue(clustersProperty, window.clusters.join(','))
  const labels = Object.entries(window.labels)
  if (labels.length > 0)
    event.addPropertyWithValue(
      labelsProperty,
      labels.map(([key, value]) => `${key}=${value}`).join(','),
    )
  return event
}

/** All windows as one calendar. `now` is ISO time. */
export function writeCalendar(windows: readonly WindowView[], now: string): string {
  const calendar = new ICAL.Component('vcalendar')
  calendar.addPropertyWithValue('version', '2.0')
  calendar.addPropertyWithValue('prodid', '-//Gyrarch//Maintenance windows//EN')
  for (const zone of new Set(windows.map((window) => window.zone))) {
    const component = zoneComponent(zone)
    if (component) calendar.addSubcomponent(component)
  }
  const stamp = ICAL.Time.fromJSDate(new Date(now), true)
  for (const window of windows) calendar.addSubcomponent(eventOf(window, stamp))
  return `${calendar.toString()}\r\n`
}

/** Days as one calendar: each a whole day with what it is. `now` is ISO time, days are ISO dates. */
export function writeDays(
  days: readonly { readonly id: string; readonly day: string; readonly says: string }[],
  name: string,
  now: string,
): string {
  const calendar = new ICAL.Component('vcalendar')
  calendar.addPropertyWithValue('version', '2.0')
  calendar.addPropertyWithValue('prodid', `-//Gyrarch//${name}//EN`)
  const stamp = ICAL.Time.fromJSDate(new Date(now), true)
  for (const { id, day, says } of days) {
    const event = new ICAL.Component('vevent')
    event.addPropertyWithValue('uid', `${encodeURIComponent(id)}@gyrarch.invalid`)
    event.addPropertyWithValue('dtstamp', stamp)
    event.addPropertyWithValue('summary', says)
    event.addPropertyWithValue('dtstart', ICAL.Time.fromDateString(day))
    event.addPropertyWithValue('transp', 'TRANSPARENT')
    calendar.addSubcomponent(event)
  }
  return `${calendar.toString()}\r\n`
}

export interface BadEvent {
  /** Which event, from 1. */
  readonly event: number
  readonly says: string
}

export interface CalendarRead {
  readonly windows: readonly WindowIntent[]
  readonly bad: readonly BadEvent[]
}

class BadCalendar extends Error {}

const mostEvents = 500

const twoDigits = (value: number): string => String(value).padStart(2, '0')
const dayText = (time: ICAL.Time): string =>
  `${String(time.year).padStart(4, '0')}-${twoDigits(time.month)}-${twoDigits(time.day)}`

const listIn = (event: ICAL.Component, name: string): readonly string[] =>
  String(event.getFirstPropertyValue(name) ?? '')
    .replaceAll('\\,', ',')
    .split(',')
    .map((part) => part.trim())
    .filter((part) => part !== '')

const timeIn = (property: ICAL.Property | null): ICAL.Time | null => {
  const value: unknown = property?.getFirstValue()
  return value instanceof ICAL.Time ? value : null
}

/** How long an event is, in minutes: by its DURATION, or to its DTEND. */
function minutesOf(event: ICAL.Component, start: ICAL.Time): number {
  const duration: unknown = event.getFirstPropertyValue('duration')
  if (duration instanceof ICAL.Duration) return Math.round(duration.toSeconds() / 60)
  const end = timeIn(event.getFirstProperty('dtend'))
  if (end) return Math.round(end.subtractDate(start).toSeconds() / 60)
  throw new BadCalendar('It has neither DURATION nor DTEND.')
}

function windowOf(event: ICAL.Component): unknown {
  const property = event.getFirstProperty('dtstart')
  const start = timeIn(property)
  if (!property || !start) throw new BadCalendar('It has no DTSTART.')
  if (start.isDate) throw new BadCalendar('It lasts whole days: a window has a time of day.')
  const named = property.getFirstParameter('tzid')
  const isUtc = start.zone === ICAL.Timezone.utcTimezone
  if (!named && !isUtc) throw new BadCalendar('Its DTSTART names no time zone (TZID).')
  if (event.getFirstProperty('rdate')) throw new BadCalendar('RDATE is not taken: use RRULE.')
  const rules = event.getAllProperties('rrule')
  if (rules.length > 1) throw new BadCalendar('It has more than one RRULE.')
  const rule: unknown = rules[0]?.getFirstValue()
  return {
    name: String(event.getFirstPropertyValue('summary') ?? '').trim(),
    start: `${dayText(start)}T${twoDigits(start.hour)}:${twoDigits(start.minute)}`,
    zone: isUtc ? 'UTC' : named,
    minutes: minutesOf(event, start),
    rule: rule instanceof ICAL.Recur ? rule.toString() : null,
    except: event
      .getAllProperties('exdate')
      .flatMap((each) => each.getValues() as readonly unknown[])
      .flatMap((value) => (value instanceof ICAL.Time ? [dayText(value)] : [])),
    clusters: listIn(event, clustersProperty),
    labels: Object.fromEntries(
      listIn(event, labelsProperty).map((part) => {
        const at = part.indexOf('=')
        return [part.slice(0, at), part.slice(at + 1)]
      }),
    ),
  }
}

/** Reads a calendar: the windows in it, and the events that are none, by their place and with why. */
export function readCalendar(text: string): CalendarRead {
  let events: readonly ICAL.Component[]
  try {
    // A text with nothing in it parses, to something that is no calendar.
    events = new ICAL.Component(ICAL.parse(text) as unknown[]).getAllSubcomponents('vevent')
  } catch (error) {
    return {
      windows: [],
      bad: [
        {
          event: 0,
          says: `It is no iCalendar text: ${error instanceof Error ? error.message.slice(0, 200) : 'unreadable'}.`,
        },
      ],
    }
  }
  const windows: WindowIntent[] = []
  const bad: BadEvent[] = []
  events.slice(0, mostEvents).forEach((event, index) => {
    try {
      const read = windowIntent.safeParse(windowOf(event))
      if (read.success) windows.push(read.data)
      else {
        const [issue] = read.error.issues
        bad.push({
          event: index + 1,
          says: `${issue?.path.join('.') ?? ''}: ${issue?.message ?? 'unreadable'}`,
        })
      }
    } catch (error) {
      bad.push({
        event: index + 1,
        says: error instanceof Error ? error.message.slice(0, 200) : 'unreadable',
      })
    }
  })
  if (events.length > mostEvents)
    bad.push({ event: mostEvents + 1, says: `Only the first ${mostEvents} events are read.` })
  return { windows, bad }
}
