import { describe, expect, it } from 'vitest'
import { daysUntilFull, growthPerDay } from './growth'

const day = 86_400_000
const daily = (used: readonly number[]) =>
  used.map((usedBytes, index) => ({ at: index * day, usedBytes }))

describe('how storage fills up', () => {
  it('is the line of least squares', () => {
    expect(growthPerDay(daily([0, 3, 6, 9]))).toBe(3)
    expect(growthPerDay(daily([0, 4, 4, 8]))).toBeCloseTo(2.4)
  })
  it('says in how many whole days it is full, from the latest sample on', () => {
    expect(daysUntilFull(daily([0, 3, 6, 9]), 20)).toBe(3)
    expect(daysUntilFull(daily([0, 3, 6, 9]), 5)).toBe(0)
  })
  it('never fills up where it does not grow, and nothing is known of one sample', () => {
    expect(daysUntilFull(daily([5, 5, 5]), 9)).toBeNull()
    expect(daysUntilFull(daily([9, 5, 1]), 9)).toBeNull()
    expect(growthPerDay(daily([5]))).toBeNull()
  })
})
