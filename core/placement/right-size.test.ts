import fc from 'fast-check'
import { describe, expect, it } from 'vitest'
import { percentile, rightSizes, sharedOut, type UseFacts } from '.'

const MiB = 1024 ** 2
/** An hour and more of one value. */
const steady = (value: number): readonly number[] => Array.from({ length: 20 }, () => value)
const fact = (more: Partial<UseFacts> = {}): UseFacts => ({
  workload: 'Deployment/market/desk',
  pods: 4,
  requestCpuMilli: 1000,
  requestMemoryBytes: 512 * MiB,
  cpuMilli: Array.from({ length: 100 }, (_, i) => i + 1),
  memoryBytes: steady(400 * MiB),
  memoryKills: 0,
  throttled: 0,
  ...more,
})

describe('right sizes', () => {
  it('take the 95th percentile and a margin, over all pods', () => {
    const [found] = rightSizes([fact()])
    // 95 m × 1.15 is 109.25 m, rounded up to 110 m; 400 MiB × 1.25 is 500 MiB, 512 rounded, which is what is asked for.
    expect(found).toMatchObject({
      cpu: { used: 95, proposed: 110 },
      memory: { proposed: 512 * MiB },
      frees: { cpuMilli: 4 * 890, memoryBytes: 0 },
      says: 'asks for more CPU than it uses',
    })
  })
  it('leave alone what is within a tenth', () =>
    expect(rightSizes([fact({ cpuMilli: steady(850) })])[0]?.cpu.proposed).toBe(1000))
  it('give more memory to what was ended for it, whatever it used', () => {
    const [found] = rightSizes([fact({ memoryBytes: steady(100 * MiB), memoryKills: 2 })])
    expect(found?.memory.proposed).toBe(640 * MiB)
    expect(found?.frees.memoryBytes).toBeLessThan(0)
    expect(found?.says).toBe('killed twice for exceeding its memory limit')
  })
  it('give no less CPU to what its limit held back, whatever it seemed to use', () => {
    const [found] = rightSizes([fact({ cpuMilli: steady(200), throttled: 0.4 })])
    expect(found?.cpu.proposed).toBe(1000)
    expect(found?.says).toBe('held back by its CPU limit 40 % of the time')
  })
  it('say which of the two is asked for in excess, or used', () => {
    const saysOf = (more: Partial<UseFacts>) => rightSizes([fact(more)])[0]?.says
    expect(saysOf({ cpuMilli: steady(850), memoryBytes: steady(50 * MiB) })).toBe(
      'asks for more memory than it uses',
    )
    expect(saysOf({ memoryBytes: steady(50 * MiB) })).toBe(
      'asks for more CPU and memory than it uses',
    )
    expect(saysOf({ memoryBytes: steady(600 * MiB) })).toBe('uses more memory than it asks for')
  })
  it('invent nothing for what has not run, and propose nothing before an hour', () => {
    expect(rightSizes([fact({ cpuMilli: [], memoryBytes: [] })])[0]).toMatchObject({
      cpu: { asked: 1000, used: null, proposed: 1000 },
      memory: { used: null },
      frees: { cpuMilli: 0, memoryBytes: 0 },
      says: 'no figures yet: it has not run',
    })
    expect(
      rightSizes([fact({ cpuMilli: [10, 10, 10, 10], memoryBytes: [MiB, MiB, MiB, MiB] })])[0],
    ).toMatchObject({
      cpu: { used: 10, proposed: 1000 },
      says: 'ran for 20 minutes: an hour is needed before anything is proposed',
    })
  })
  it('a percentile is one of the samples, with at least that share at or below it', () => {
    fc.assert(
      fc.property(
        fc.array(fc.nat(1000), { minLength: 1, maxLength: 60 }),
        fc.double({ min: 0.01, max: 1, noNaN: true }),
        (samples, share) => {
          const count = percentile(samples, share)
          expect(samples).toContain(count)
          expect(
            samples.filter((sample) => sample <= count).length / samples.length,
          ).toBeGreaterThanOrEqual(share - 1e-9)
        },
      ),
    )
  })
})

describe('a proposal for a pod of several containers', () => {
  it('is shared out as they share what is asked', () => {
    expect(sharedOut(500, [600, 200])).toEqual([375, 125])
    expect(sharedOut(100, [1, 1, 1])).toEqual([34, 33, 33])
  })

  it('goes to the first where nothing is asked yet, and leaves out who asks for nothing', () => {
    expect(sharedOut(120, [0, 0])).toEqual([120, 0])
    expect(sharedOut(120, [0, 50])).toEqual([0, 120])
    expect(sharedOut(120, [])).toEqual([])
  })

  it('adds up to what is proposed, and gives nobody more than its share rounded up', () => {
    fc.assert(
      fc.property(
        fc.integer({ min: 0, max: 1_000_000 }),
        fc.array(fc.integer({ min: 0, max: 100_000 }), { minLength: 1, maxLength: 8 }),
        (total, parts) => {
          const shares = sharedOut(total, parts)
          const sum = parts.reduce((all, part) => all + part, 0)
          expect(shares.reduce((all, share) => all + share, 0)).toBe(total)
          if (sum > 0)
            shares.forEach((share, i) =>
              expect(Math.abs(share - (total * (parts[i] ?? 0)) / sum)).toBeLessThan(1),
            )
        },
      ),
    )
  })
})
