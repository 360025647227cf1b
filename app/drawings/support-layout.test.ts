/** Where a support chart draws what. */
import { expect, it } from 'vitest'
import { labelWidth, nameWidth, supportLayout } from './support-layout'

const lines = [
  { minor: '1.33', from: '2025-05-01', until: '2026-06-28' },
  { minor: '1.31', from: '2024-08-13', until: '2025-11-11' },
]

it('keeps the calendar between the labels and the names, and time running to the right', () => {
  const layout = supportLayout(lines, '2026-03-02', '2026-03-02', 900)
  const xs = layout.months.map(({ x }) => x)
  expect(xs).toEqual([...xs].sort((a, b) => a - b))
  expect(Math.min(...xs)).toBeGreaterThanOrEqual(labelWidth)
  expect(Math.max(...xs)).toBeLessThanOrEqual(900 - nameWidth)
  expect(layout.dayX).toBe(layout.todayX)
  for (const bar of layout.bars) expect(bar.x + bar.width).toBeLessThanOrEqual(900 - nameWidth)
})

it('says what is over on a day, and how much of a bar has passed', () => {
  const { bars } = supportLayout(lines, '2026-03-02', '2026-06-28', 900)
  expect(bars.map(({ isOver }) => isOver)).toEqual([false, true])
  const later = supportLayout(lines, '2026-03-02', '2026-06-29', 900)
  expect(later.bars.map(({ isOver }) => isOver)).toEqual([true, true])
  expect(later.bars[0]?.passed).toBeCloseTo(later.bars[0]?.width ?? 0, 5)
})

it('finds the day under a pointer again', () => {
  const layout = supportLayout(lines, '2026-03-02', '2026-09-15', 900)
  expect(layout.dayAt(layout.dayX + 0.01)).toBe('2026-09-15')
})
