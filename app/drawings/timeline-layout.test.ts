import { describe, expect, it } from 'vitest'
import type { StepProgress } from '~/core/changes'
import { ticksOf, timelineLayout } from './timeline-layout'

const start = Date.parse('2026-03-02T06:00:00Z')
const at = (seconds: number): string => new Date(start + seconds * 1000).toISOString()

const step = (id: string, more: Partial<StepProgress> = {}): StepProgress => ({
  id,
  after: [],
  says: `do ${id}`,
  group: id,
  state: 'waiting',
  attempts: 0,
  seconds: { likely: 60, worst: 90 },
  startedAt: null,
  endedAt: null,
  dueAt: null,
  ...more,
})

const barsOf = (
  steps: readonly StepProgress[],
  origin: number | null = start,
  nowSeconds = 0,
  critical: readonly string[] = [],
) => {
  const layout = timelineLayout(steps, critical, origin, start + nowSeconds * 1000)
  const bars = new Map(layout.rows.flatMap(({ bars }) => bars).map((bar) => [bar.id, bar]))
  return { layout, bars }
}

describe('a run that has not begun', () => {
  it('has each step where it is expected after all it waits for', () => {
    const { bars, layout } = barsOf(
      [
        step('a'),
        step('b', { seconds: { likely: 100, worst: 200 } }),
        step('c', { after: ['a', 'b'] }),
        step('d', { after: ['c'] }),
      ],
      null,
    )
    expect(bars.get('a')?.start).toBe(0)
    expect(bars.get('c')?.start).toBe(100)
    expect(bars.get('d')?.start).toBe(160)
    expect(bars.get('b')?.worstEnd).toBe(200)
    expect(layout.now).toBeNull()
    expect(layout.seconds).toBe(220)
  })
})

describe('a run under way', () => {
  it('has what happened where it happened, and moves what is to come behind the present', () => {
    const { bars, layout } = barsOf(
      [
        step('a', { state: 'done', startedAt: at(0), endedAt: at(30) }),
        step('b', { after: ['a'], state: 'running', startedAt: at(30) }),
        step('c', { after: ['b'] }),
      ],
      start,
      200,
    )
    expect(bars.get('a')).toMatchObject({ start: 0, end: 30, expectedEnd: 60 })
    // It was expected to end at 90 and is still running at 200: what waits for it cannot begin before.
    expect(bars.get('b')).toMatchObject({ start: 30, end: 200, expectedEnd: 90 })
    expect(bars.get('c')?.start).toBe(200)
    expect(layout.now).toBe(200)
    expect(layout.seconds).toBe(260)
  })

  it('does not wait for the estimate of what ended early', () => {
    const { bars } = barsOf(
      [
        step('a', { state: 'done', startedAt: at(0), endedAt: at(10) }),
        step('b', { after: ['a'] }),
      ],
      start,
      10,
    )
    expect(bars.get('b')?.start).toBe(10)
  })

  it('keeps what failed where it ended', () => {
    const { bars } = barsOf(
      [step('a', { state: 'failed', startedAt: at(5), endedAt: at(20) })],
      start,
      500,
    )
    expect(bars.get('a')).toMatchObject({ start: 5, end: 20, state: 'failed' })
  })
})

describe('rows', () => {
  it('hold the steps of one group, in the order in which groups come first', () => {
    const { layout } = barsOf([
      step('a', { group: 'node 1' }),
      step('b', { group: 'network' }),
      step('c', { group: 'node 1' }),
    ])
    expect(layout.rows.map(({ group, bars }) => [group, bars.map(({ id }) => id)])).toEqual([
      ['node 1', ['a', 'c']],
      ['network', ['b']],
    ])
  })

  it('mark what the whole waits for', () => {
    const { bars } = barsOf([step('a'), step('b')], start, 0, ['b'])
    expect([...bars.values()].map(({ critical }) => critical)).toEqual([false, true])
  })

  it('of a run of thousands of steps in a line are laid out', () => {
    const steps = Array.from({ length: 3000 }, (_, i) =>
      step(`s${i}`, { after: i === 0 ? [] : [`s${i - 1}`] }),
    )
    expect(barsOf(steps, null).layout.seconds).toBe(180_000)
  })
})

describe('marks on the axis', () => {
  it.each([
    [60, '10 s', 10],
    [300, '1 min', 60],
    [3600, '10 min', 600],
    [7 * 3600, '1 h', 3600],
    [100 * 3600, '8 h', 28_800],
  ])('of %i seconds are round: the second is %s', (seconds, says, every) => {
    const marks = ticksOf(seconds)
    expect(marks[0]?.at).toBe(0)
    expect(marks[1]).toEqual({ at: every, says })
    expect(marks.every(({ at: mark }) => mark <= seconds)).toBe(true)
  })

  it('are about eight at most wherever steps reach', () => {
    for (let seconds = 60; seconds < 60 * 3600; seconds += 977)
      expect(ticksOf(seconds).length).toBeLessThanOrEqual(9)
  })
})
