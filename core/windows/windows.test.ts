import { describe, expect, it } from 'vitest'
import { occurrences, readRule, type WindowSpec } from '.'

const at = (text: string): number => Date.parse(text)
const starts = (window: Partial<WindowSpec>, from: string, until: string): readonly string[] => {
  const read = occurrences(
    [{ name: 'w', start: '2026-03-07T22:00', zone: 'Europe/Berlin', minutes: 240, ...window }],
    at(from),
    at(until),
  )
  if (!read.ok) throw new Error(`${read.path}: ${read.says}`)
  return read.occurrences.map(({ start }) => new Date(start).toISOString().slice(0, 16))
}
const spring = ['2026-03-01T00:00:00Z', '2026-04-20T00:00:00Z'] as const

describe('occurrences of a maintenance window', () => {
  it('keep their local time over a change of the clocks, and leave out excepted dates', () =>
    expect(starts({ rule: 'FREQ=WEEKLY;BYDAY=SA', except: ['2026-04-04'] }, ...spring)).toEqual([
      '2026-03-07T21:00',
      '2026-03-14T21:00',
      '2026-03-21T21:00',
      '2026-03-28T21:00',
      '2026-04-11T20:00',
      '2026-04-18T20:00',
    ]))

  it('without a rule are one', () => expect(starts({}, ...spring)).toEqual(['2026-03-07T21:00']))

  it('that the clocks skip are read with the offset before, repeated ones are the first', () => {
    const night = { start: '2026-03-29T02:30', minutes: 30 }
    expect(starts(night, ...spring)).toEqual(['2026-03-29T01:30'])
    const autumn = { start: '2026-10-25T02:30', minutes: 30 }
    expect(starts(autumn, '2026-10-01T00:00:00Z', '2026-11-01T00:00:00Z')).toEqual([
      '2026-10-25T00:30',
    ])
  })

  it('overlap the time asked about, half-open', () => {
    expect(starts({}, '2026-03-08T00:59:00Z', '2026-03-08T02:00:00Z')).toHaveLength(1)
    expect(starts({}, '2026-03-08T01:00:00Z', '2026-03-08T02:00:00Z')).toHaveLength(0)
    expect(starts({}, '2026-03-07T20:00:00Z', '2026-03-07T21:00:00Z')).toHaveLength(0)
  })

  it.each([
    ['counts excepted dates', 'FREQ=DAILY;COUNT=3', ['2026-03-08'], ['03-07', '03-09']],
    ['ends at an instant', 'FREQ=DAILY;UNTIL=20260309T210000Z', [], ['03-07', '03-08', '03-09']],
    ['ends at a local time', 'FREQ=DAILY;UNTIL=20260309T215959', [], ['03-07', '03-08']],
    ['ends with a local day', 'FREQ=DAILY;UNTIL=20260308', [], ['03-07', '03-08']],
    [
      'does not begin where it yields nothing',
      'FREQ=WEEKLY;BYDAY=MO;COUNT=2',
      [],
      ['03-09', '03-16'],
    ],
    [
      'counts a day once that two positions name',
      'FREQ=WEEKLY;BYDAY=MO;BYSETPOS=1,-1;COUNT=2',
      [],
      ['03-09', '03-16'],
    ],
    ['takes nothing past the end of a set', 'FREQ=MONTHLY;BYDAY=5SU;BYSETPOS=-2;COUNT=2', [], []],
    [
      'takes a position of a whole month',
      'FREQ=MONTHLY;BYDAY=MO,TU,WE,TH,FR;BYSETPOS=-1;COUNT=2',
      [],
      ['03-31', '04-30'],
    ],
  ])('%s', (_what, rule, except, days) =>
    expect(
      starts({ rule, except }, '2026-03-01T00:00:00Z', '2026-05-20T00:00:00Z').map((text) =>
        text.slice(5, 10),
      ),
    ).toEqual(days),
  )

  it('are in order of start and end, those of several windows in the order given', () => {
    const window = { start: '2026-03-07T22:00', zone: 'UTC', minutes: 60 }
    const read = occurrences(
      [
        { ...window, name: 'long', minutes: 120 },
        { ...window, name: 'b' },
        { ...window, name: 'a' },
      ],
      at('2026-03-01T00:00:00Z'),
      at('2026-04-01T00:00:00Z'),
    )
    expect(read.ok && read.occurrences.map((occurrence) => occurrence.window)).toEqual([
      'b',
      'a',
      'long',
    ])
  })

  it.each([
    [{ start: '2026-02-30T22:00' }, 'windows[0].start'],
    [{ start: '2026-03-07 22:00' }, 'windows[0].start'],
    [{ zone: 'Mossgate/Hall' }, 'windows[0].zone'],
    [{ except: ['2026-04-31'] }, 'windows[0].except[0]'],
    [{ rule: 'FREQ=HOURLY' }, 'windows[0].rule'],
  ])('%j is refused with the field', (wrong, path) => {
    const window = { name: 'w', start: '2026-03-07T22:00', zone: 'UTC', minutes: 60, ...wrong }
    expect(occurrences([window], 0, 1)).toMatchObject({ ok: false, path })
  })
})

describe('a rule', () => {
  it.each([
    ['', /is no part of a rule/],
    ['BYDAY=SA', /says how often/],
    ['FREQ=MINUTELY', /it is DAILY/],
    ['FREQ=DAILY;FREQ=DAILY', /stands twice/],
    ['FREQ=DAILY;BYHOUR=3', /BYHOUR is not taken/],
    ['FREQ=DAILY;COUNT=2;UNTIL=20260401', /not by both/],
    ['FREQ=DAILY;INTERVAL=0', /at least 1/],
    ['FREQ=WEEKLY;BYDAY=1MO', /only in a month or a year/],
    ['FREQ=MONTHLY;BYDAY=6MO', /±1 to ±5/],
    ['FREQ=MONTHLY;BYMONTHDAY=32', /±1 to ±31/],
    ['FREQ=YEARLY;BYMONTH=-1', /1 to 12/],
    ['FREQ=DAILY;BYSETPOS=1', /chooses among days/],
    ['FREQ=DAILY;UNTIL=20260230', /write 20261231/],
    ['FREQ=WEEKLY;WKST=XX', /give a day like MO/],
  ])('%s is refused', (text, says) => {
    const read = readRule(text)
    expect(read.ok ? '' : read.says).toMatch(says)
  })
  it('may have its name before it, in either case', () =>
    expect(readRule('rrule:freq=weekly;byday=sa').ok).toBe(true))
})
