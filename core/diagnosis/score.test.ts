import { describe, expect, it } from 'vitest'
import { drillScore } from './score'

const done = { isMended: true, minutesToCause: 0, hints: 0, wrongCauses: 0, probes: 0, harm: 0 }

describe('a drill', () => {
  it('is worth all of it where the cause is named at once and mended', () =>
    expect(drillScore(done)).toBe(100))

  it.each([
    [{ minutesToCause: 7.9 }, 93],
    [{ minutesToCause: 300 }, 70],
    [{ minutesToCause: null }, 60],
    [{ hints: 2 }, 80],
    [{ wrongCauses: 1 }, 90],
    [{ probes: 3 }, 94],
    [{ harm: 2 }, 70],
    [{ hints: 9, harm: 4 }, 0],
    [{ isMended: false }, 0],
  ])('with %j is worth %i', (facts, score) => expect(drillScore({ ...done, ...facts })).toBe(score))
})
