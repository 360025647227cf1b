import { describe, expect, it } from 'vitest'
import { demoRecords } from '../demo/scenario'
import { readCalendar, writeCalendar } from './icalendar'

const { windows } = demoRecords()
const text = writeCalendar(windows, '2026-03-02T06:00:00Z')

describe('windows as iCalendar', () => {
  it('come back as they went', () => {
    const long = {
      ...windows[0],
      name: `a long name; with commas, and ${'so on '.repeat(10)}äöü`.slice(0, 80).trim(),
      start: '2026-01-03T22:00',
      zone: 'UTC',
      minutes: 61,
      rule: null,
      except: [],
      clusters: [],
      labels: { stage: 'production', hall: 'north' },
    }
    const all = [...windows, long]
    expect(readCalendar(writeCalendar(all, '2026-03-02T06:00:00Z'))).toEqual({
      windows: all,
      bad: [],
    })
  })

  it('spell their time zones out, in lines of at most 75 bytes that end as the standard says', () => {
    expect(text.match(/BEGIN:VTIMEZONE/g)).toHaveLength(2)
    expect(text).toContain('DTSTART;TZID=Europe/Berlin:20260103T220000')
    expect(text).toContain('EXDATE;TZID=Europe/Berlin:20260404T220000')
    for (const line of text.split('\r\n')) expect(Buffer.byteLength(line)).toBeLessThanOrEqual(75)
    expect(text.replaceAll('\r\n', '')).not.toMatch(/[\r\n]/)
  })

  it('tell which events are no windows, and why', () => {
    const event = (...lines: string[]) =>
      ['BEGIN:VEVENT', 'UID:x', 'SUMMARY:lamp', ...lines, 'END:VEVENT'].join('\r\n')
    const calendar = [
      'BEGIN:VCALENDAR',
      'VERSION:2.0',
      event('DTSTART:20260303T220000', 'DURATION:PT1H'),
      event('DTSTART;VALUE=DATE:20260303', 'DURATION:P1D'),
      event('DTSTART:20260303T220000Z'),
      event('DTSTART:20260303T220000Z', 'DTEND:20260303T233000Z', 'RRULE:FREQ=WEEKLY;BYDAY=TU'),
      'END:VCALENDAR',
    ].join('\r\n')
    const { windows: read, bad } = readCalendar(calendar)
    expect(bad.map(({ event: place }) => place)).toEqual([1, 2, 3])
    expect(read).toMatchObject([
      { name: 'lamp', start: '2026-03-03T22:00', zone: 'UTC', minutes: 90 },
    ])
    expect(readCalendar('no calendar').bad).toHaveLength(1)
    expect(readCalendar('').bad).toHaveLength(1)
  })
})
