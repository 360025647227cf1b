import { describe, expect, it } from 'vitest'
import { isCronZone, nextCron, readCron } from './cron'

const next = (text: string, zone: string, after: string): string | null => {
  const read = readCron(text)
  if (!read.ok) throw new Error(read.says)
  const at = nextCron(read.schedule, zone, Date.parse(after))
  return at === null ? null : new Date(at).toISOString().replace('.000Z', 'Z')
}

describe('a schedule', () => {
  it.each([
    ['0 2 * * *', 'UTC', '2026-03-02T01:00:00Z', '2026-03-02T02:00:00Z'],
    ['0 2 * * *', 'UTC', '2026-03-02T02:00:00Z', '2026-03-03T02:00:00Z'],
    ['0 2 * * *', 'Europe/Berlin', '2026-03-02T02:00:00Z', '2026-03-03T01:00:00Z'],
    ['*/15 * * * *', 'UTC', '2026-03-02T06:07:00Z', '2026-03-02T06:15:00Z'],
    ['5/20 * * * *', 'UTC', '2026-03-02T06:07:00Z', '2026-03-02T06:25:00Z'],
    ['0 6 * * MON-fri', 'UTC', '2026-03-06T07:00:00Z', '2026-03-09T06:00:00Z'],
    ['0 0 1 JAN *', 'UTC', '2026-03-06T07:00:00Z', '2027-01-01T00:00:00Z'],
    ['0 0 29 2 *', 'UTC', '2026-03-01T00:00:00Z', '2028-02-29T00:00:00Z'],
    // Either of the two days where both are named; both where one is a star.
    ['0 0 13 * 5', 'UTC', '2026-03-02T00:00:00Z', '2026-03-06T00:00:00Z'],
    ['0 0 */2 * 1', 'UTC', '2026-03-02T00:00:00Z', '2026-03-03T00:00:00Z'],
    ['? ? ? ? ?', 'UTC', '2026-03-02T00:00:10Z', '2026-03-02T00:01:00Z'],
    ['@hourly', 'UTC', '2026-03-02T00:00:10Z', '2026-03-02T01:00:00Z'],
    ['@every 1h30m', 'UTC', '2026-03-02T00:00:10Z', '2026-03-02T01:30:10Z'],
    ['@every 90s', 'UTC', '2026-03-02T00:00:10Z', '2026-03-02T00:01:40Z'],
    // In the night in which clocks go forward there is no half past two; an hour later there is.
    ['30 2 * * *', 'Europe/Berlin', '2026-03-28T12:00:00Z', '2026-03-30T00:30:00Z'],
    ['30 3 * * *', 'Europe/Berlin', '2026-03-28T12:00:00Z', '2026-03-29T01:30:00Z'],
    // In the one in which they go back it comes twice.
    ['30 2 * * *', 'Europe/Berlin', '2026-10-24T12:00:00Z', '2026-10-25T00:30:00Z'],
    ['30 2 * * *', 'Europe/Berlin', '2026-10-25T00:30:00Z', '2026-10-25T01:30:00Z'],
    ['15 * * * *', 'Australia/Lord_Howe', '2026-04-04T14:50:00Z', '2026-04-04T15:45:00Z'],
  ])('%s in %s after %s', (text, zone, after, due) => expect(next(text, zone, after)).toBe(due))

  it('that names no day is never due', () => {
    expect(next('0 0 30 2 *', 'UTC', '2026-03-02T00:00:00Z')).toBeNull()
  })

  it.each([
    ['0 0 * * 7', /lies outside 0 to 6/],
    ['60 * * * *', /lies outside 0 to 59/],
    ['* 24 * * *', /lies outside 0 to 23/],
    ['0 0 0 * *', /lies outside 1 to 31/],
    ['0 0 L * *', /nothing that a day of the month can be/],
    ['0 0 * * 5#2', /nothing that a day of the week can be/],
    ['H * * * *', /nothing that a minute can be/],
    ['0 0 15W * *', /nothing that a day/],
    ['5-1 * * * *', /runs backwards/],
    ['*/0 * * * *', /no step/],
    ['*/x * * * *', /no step/],
    ['1,,2 * * * *', /nothing that a minute/],
    ['-5 * * * *', /nothing that a minute/],
    ['* * * *', /has 4/],
    ['* * * * * *', /has 6/],
    ['', /has 0/],
    ['@reboot', /is none of/],
    ['@every', /is none of/],
    ['@every soon', /no length of time/],
    ['@every 5', /no length of time/],
    ['TZ=Europe/Berlin 0 2 * * *', /field timeZone/],
    ['every day at two', /has 4/],
  ])('%j is refused', (text, says) => {
    const read = readCron(text)
    expect(read.ok ? '' : read.says).toMatch(says)
  })

  it('stands in a zone that there is', () => {
    expect(['Europe/Berlin', 'UTC', 'Etc/UTC'].map(isCronZone)).toEqual([true, true, true])
    expect(['', 'Local', 'Nowhere/Land', 'Europe/Berlin '].map(isCronZone)).toEqual([
      false,
      false,
      false,
      false,
    ])
  })
})
