import fc from 'fast-check'
import { expect, it } from 'vitest'
import { timeTicks } from './time-ticks'

const at = (iso: string): number => Date.parse(iso)
const says = (from: string, until: string, max = 8, zone?: string): readonly string[] =>
  timeTicks(at(from), at(until), max, zone).map((tick) => tick.label)

it('marks a day at whole hours, however crooked it begins', () => {
  expect(says('2026-03-02T06:07:31Z', '2026-03-03T06:07:31Z', 9)).toEqual([
    '09:00',
    '12:00',
    '15:00',
    '18:00',
    '21:00',
    '00:00',
    '03:00',
    '06:00',
  ])
})

it('marks a month by dates, a few minutes by minutes and years by years', () => {
  expect(says('2026-03-02T00:00:00Z', '2026-04-02T00:00:00Z')[0]).toBe('2 Mar')
  expect(says('2026-03-02T06:00:00Z', '2026-03-02T06:03:00Z')).toEqual([
    '06:00',
    '06:01',
    '06:02',
    '06:03',
  ])
  expect(says('2020-01-01T00:00:00Z', '2026-01-01T00:00:00Z')[0]).toBe('2020')
})

it('counts in the hours of the zone that is named', () => {
  expect(says('2026-03-02T06:00:00Z', '2026-03-02T18:00:00Z', 8, 'Asia/Kolkata')[0]).toBe('12:00')
})

it('never repeats a label, keeps within the interval and gives at least one', () => {
  fc.assert(
    fc.property(
      fc.integer({ min: 0, max: 2_000_000_000_000 }),
      fc.integer({ min: 0, max: 400 * 86_400_000 }),
      fc.integer({ min: 2, max: 14 }),
      (from, length, max) => {
        const ticks = timeTicks(from, from + length, max)
        expect(ticks.length).toBeGreaterThan(0)
        expect(ticks.length).toBeLessThanOrEqual(max)
        expect(new Set(ticks.map((tick) => tick.label)).size).toBe(ticks.length)
        for (const tick of ticks) {
          expect(tick.at).toBeGreaterThanOrEqual(from)
          expect(tick.at).toBeLessThanOrEqual(from + length)
        }
      },
    ),
  )
})
