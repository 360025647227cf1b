import fc from 'fast-check'
import { DateTime } from 'luxon'
import { describe, expect, it } from 'vitest'
import type { NodeObject } from '../objects'
import { isOfKind } from '../objects'
import { node as nodeObject, pod } from '../placement/testing/worlds'
import {
  behave,
  dayAhead,
  defaultBehaviour,
  halfEmptyNodes,
  instantOf,
  nodeToGive,
  poolsToGrow,
  type PoolOrder,
  type ScalablePool,
  noHistory,
  replicasWanted,
  restIntervals,
  restSavings,
  type RestWindow,
  type ScalingHistory,
} from '.'

function node(name: string, more: Parameters<typeof nodeObject>[1]): NodeObject {
  const object = nodeObject(name, more)
  if (!isOfKind(object, 'Node')) throw new Error(`${name} is no node`)
  return object
}

describe('replicas', () => {
  it.each<[string, number, number, number, number, number, number]>([
    ['twice the load, twice the replicas', 4, 200, 100, 1, 20, 8],
    ['a remainder rounds up', 3, 101, 60, 1, 20, 6],
    ['a tenth above is left alone', 10, 110, 100, 1, 20, 10],
    ['just above a tenth is not', 10, 110.1, 100, 1, 20, 12],
    ['a tenth below is left alone', 10, 90, 100, 1, 20, 10],
    ['decimals are what they are written as', 10, 1.1, 1, 1, 20, 10],
    ['multiplied first: no third is lost', 3, 100, 300, 1, 20, 1],
    ['clamped above', 4, 1000, 100, 1, 6, 6],
    ['clamped below', 4, 0, 100, 2, 6, 2],
    ['within a tenth but out of bounds', 10, 100, 100, 1, 6, 6],
    ['scaled to 0 stays 0', 0, 1000, 100, 2, 6, 0],
  ])('%s', (_name, current, value, target, min, max, desired) =>
    expect(
      replicasWanted({ current, min, max, metrics: [{ name: 'requests', value, target }] }).desired,
    ).toBe(desired),
  )

  it('takes the largest of several metrics and says which', () => {
    const result = replicasWanted({
      current: 4,
      min: 1,
      max: 20,
      metrics: [
        { name: 'cpu', value: 150, target: 100 },
        { name: 'requests', value: 240, target: 100 },
      ],
    })
    expect(result).toEqual({
      desired: 10,
      because: 'requests is 240 against a target of 100: 4 × 240 ÷ 100 rounds up to 10.',
    })
  })
})

describe('scaling behaviour', () => {
  const bounds = { min: 1, max: 100 }
  const follow = (wishes: readonly number[], start: number, stepSeconds = 15) => {
    let history: ScalingHistory = noHistory
    let replicas = start
    return wishes.map((wished, i) => {
      const next = behave(replicas, wished, bounds, defaultBehaviour, history, i * stepSeconds)
      history = next.history
      replicas = next.replicas
      return replicas
    })
  }
  it('grows at once, by the larger of all again and four every 15 s', () =>
    expect(follow([50, 50, 50, 50, 50], 1)).toEqual([5, 10, 20, 40, 50]))
  it('shrinks only when nothing more was asked for during five minutes', () => {
    const wishes = [10, ...Array.from({ length: 21 }, () => 2)]
    const seen = follow(wishes, 10)
    expect(seen.slice(0, 20)).toEqual(Array.from({ length: 20 }, () => 10))
    expect(seen[21]).toBe(2)
  })
  it('never leaves its bounds, and 0 stays 0', () => {
    fc.assert(
      fc.property(
        fc.array(fc.nat(300), { maxLength: 40 }),
        fc.integer({ min: 1, max: 100 }),
        (wishes, start) => follow(wishes, start).every((n) => n >= 1 && n <= 100),
      ),
    )
    expect(behave(0, 50, bounds, defaultBehaviour, noHistory, 0).replicas).toBe(0)
  })
})

describe('rest', () => {
  const zone = 'Europe/Berlin'
  const month = { from: Date.parse('2026-02-28T23:00:00Z'), to: Date.parse('2026-03-31T22:00:00Z') }
  const dill: readonly RestWindow[] = [
    { days: ['mon', 'tue', 'wed', 'thu', 'fri', 'sat', 'sun'], stop: '20:00', start: '06:00' },
    { days: ['sat', 'sun'], stop: '06:00', start: '20:00' },
  ]
  it('of dill in March 2026 is exact to the hour in which the clocks change', () => {
    const savings = restSavings(zone, dill, month, 0.354)
    // 31 days less one hour; running on 22 weekdays from 06:00 to 20:00.
    expect(savings.hours).toBe(743)
    expect(savings.hoursRunning).toBe(22 * 14)
    expect(savings.saved).toBeCloseTo((743 - 308) * 0.354, 9)
    expect(savings.spendWithout - savings.spendWith).toBeCloseTo(savings.saved, 9)
  })
  it.each<[string, string, number]>([
    ['a night of 23 hours is that long', '2026-03-28', 9],
    ['a night of 25 hours is that long', '2026-10-24', 11],
    ['an ordinary night', '2026-03-14', 10],
  ])('%s', (_name, date, hours) => {
    const day = DateTime.fromISO(date, { zone })
    const night = restIntervals(
      zone,
      [{ days: ['mon', 'tue', 'wed', 'thu', 'fri', 'sat', 'sun'], stop: '20:00', start: '06:00' }],
      { from: day.plus({ hours: 12 }).toMillis(), to: day.plus({ days: 1, hours: 12 }).toMillis() },
    )
    expect(night.map(({ from, to }) => (to - from) / 3_600_000)).toEqual([hours])
  })
  it('takes the first instant after a gap, and the first of two', () => {
    expect(new Date(instantOf(zone, { year: 2026, month: 3, day: 29 }, 150)).toISOString()).toBe(
      '2026-03-29T01:00:00.000Z',
    )
    expect(new Date(instantOf(zone, { year: 2026, month: 10, day: 25 }, 150)).toISOString()).toBe(
      '2026-10-25T00:30:00.000Z',
    )
  })
  it('agrees with every minute of a fortnight asked one by one', () => {
    const time = fc
      .tuple(fc.nat(23), fc.constantFrom(0, 15, 30, 45))
      .map(([h, m]) => `${String(h).padStart(2, '0')}:${String(m).padStart(2, '0')}`)
    const window = fc
      .record({
        days: fc.subarray<'mon' | 'tue' | 'wed' | 'thu' | 'fri' | 'sat' | 'sun'>([
          'mon',
          'tue',
          'wed',
          'thu',
          'fri',
          'sat',
          'sun',
        ]),
        stop: time,
        start: time,
      })
      .filter(({ stop, start }) => stop !== start)
    const from = Date.parse('2026-01-12T00:00:00Z')
    const within = { from, to: from + 14 * 86_400_000 }
    // No change of clocks in this fortnight: a quarter of an hour rests if its local time of day lies in a window of its day or of the day before.
    fc.assert(
      fc.property(fc.array(window, { maxLength: 4 }), (windows) => {
        const intervals = restIntervals(zone, windows, within)
        let resting = 0
        for (let at = within.from; at < within.to; at += 900_000) {
          const local = DateTime.fromMillis(at, { zone })
          const minute = local.hour * 60 + local.minute
          const name = (day: DateTime) =>
            (['mon', 'tue', 'wed', 'thu', 'fri', 'sat', 'sun'] as const)[day.weekday - 1] ?? 'mon'
          const minutes = (text: string): number =>
            Number(text.slice(0, 2)) * 60 + Number(text.slice(3))
          const rests = windows.some((candidate) => {
            const [stop, start] = [minutes(candidate.stop), minutes(candidate.start)]
            const today = candidate.days.includes(name(local))
            const yesterday = candidate.days.includes(name(local.minus({ days: 1 })))
            return start > stop
              ? today && minute >= stop && minute < start
              : (today && minute >= stop) || (yesterday && minute < start)
          })
          if (rests) resting += 900_000
        }
        expect(intervals.reduce((sum, interval) => sum + (interval.to - interval.from), 0)).toBe(
          resting,
        )
      }),
      { numRuns: 25 },
    )
  })
})

describe('pools that grow', () => {
  const make =
    (pool: string, cpu: string, taints: readonly unknown[] = []) =>
    (name: string) =>
      node(name, {
        cpu,
        memory: '16Gi',
        labels: { 'gyrarch/pool': pool },
        taints: [...taints],
      })
  const pool = (
    name: string,
    cpu: string,
    hourly: number,
    more: Partial<ScalablePool> = {},
  ): ScalablePool => ({
    name,
    min: 0,
    max: 5,
    count: 1,
    nodes: [`${name}-1`],
    hourly,
    make: make(name, cpu),
    ...more,
  })
  const full = [
    node('small-1', { cpu: '2', labels: { 'gyrarch/pool': 'small' } }),
    pod('a/filler', { cpu: '2', on: 'small-1' }),
  ]
  const waiting = (count: number, cpu: string) =>
    Array.from({ length: count }, (_, i) => pod(`a/w-${i}`, { cpu, memory: '1Gi' }))
  const grow = (
    objects: readonly unknown[],
    pools: readonly ScalablePool[],
    order: PoolOrder = 'tightest',
  ) => poolsToGrow(objects as never, pools, order).map((growth) => [growth.pool, growth.by])

  it('by the tightest fit, the lowest price, or the first that does', () => {
    const pools = [pool('large', '8', 0.1), pool('small', '2', 0.2)]
    const objects = [...full, ...waiting(1, '1500m')]
    expect(grow(objects, pools)).toEqual([['small', 1]])
    expect(grow(objects, pools, 'cheapest')).toEqual([['large', 1]])
    expect(grow(objects, [...pools].reverse(), 'listed')).toEqual([['small', 1]])
  })
  it('by as many nodes as what waits needs, and no further than their range', () => {
    expect(grow([...full, ...waiting(5, '1')], [pool('small', '2', 1)])).toEqual([['small', 3]])
    expect(grow([...full, ...waiting(50, '1')], [pool('small', '2', 1, { max: 3 })])).toEqual([
      ['small', 2],
    ])
  })
  it('not for what fits already, nor for what none of their nodes would take', () => {
    expect(
      grow([node('small-1', { cpu: '4' }), ...waiting(2, '1')], [pool('small', '2', 1)]),
    ).toEqual([])
    expect(grow([...full, ...waiting(1, '3')], [pool('small', '2', 1)])).toEqual([])
    expect(
      grow(
        [...full, ...waiting(1, '1')],
        [
          pool('tainted', '2', 1, {
            make: make('tainted', '2', [{ key: 'use', value: 'x', effect: 'NoSchedule' }]),
          }),
        ],
      ),
    ).toEqual([])
  })
  it('and give back only nodes of which less than half is asked for, whose pods find a place elsewhere, above the minimum', () => {
    const owner = { ownerReferences: [{ kind: 'ReplicaSet', name: 'x', controller: true }] }
    const objects = [
      node('small-1', { cpu: '4' }),
      node('small-2', { cpu: '4' }),
      pod('a/one', {
        cpu: '1',
        memory: '1Gi',
        on: 'small-1',
        metadata: owner,
        spec: {
          nodeName: 'small-1',
          containers: [{ resources: { requests: { cpu: '1', memory: '1Gi' } } }],
        },
      }),
    ]
    const scalablePool = pool('small', '4', 1, { count: 2, nodes: ['small-1', 'small-2'] })
    expect(halfEmptyNodes(objects as never, [scalablePool])).toEqual(['small-1', 'small-2'])
    expect(halfEmptyNodes(objects as never, [{ ...scalablePool, min: 2 }])).toEqual([])
    expect(nodeToGive(objects as never, ['small-1'])).toBe('small-1')
    expect(nodeToGive(objects.slice(0, 1).concat(objects.slice(2)) as never, ['small-1'])).toBe(
      null,
    )
  })
})

describe('a day with pools that scale', () => {
  const owner = { ownerReferences: [{ kind: 'ReplicaSet', name: 'desk-1', controller: true }] }
  const objects = [
    node('small-1', { cpu: '2', memory: '8Gi', labels: { 'gyrarch/pool': 'small' } }),
    {
      kind: 'ReplicaSet',
      metadata: {
        name: 'desk-1',
        namespace: 'market',
        ownerReferences: [{ kind: 'Deployment', name: 'desk', controller: true }],
      },
      spec: { replicas: 2 },
    },
    ...[1, 2].map((i) =>
      pod(`market/desk-${i}`, {
        on: 'small-1',
        metadata: owner,
        spec: {
          nodeName: 'small-1',
          containers: [{ resources: { requests: { cpu: '1', memory: '1Gi' } } }],
        },
      }),
    ),
  ]
  const small: ScalablePool = {
    name: 'small',
    min: 1,
    max: 4,
    count: 1,
    nodes: ['small-1'],
    hourly: 2,
    make: (name) =>
      node(name, {
        cpu: '2',
        memory: '8Gi',
        labels: { 'gyrarch/pool': 'small' },
      }),
  }
  const curve = [
    { seconds: 0, load: 200 },
    { seconds: 3600, load: 200 },
    { seconds: 3700, load: 600 },
    { seconds: 10_000, load: 600 },
    { seconds: 10_100, load: 200 },
  ]
  const day = (nodes?: {
    pools: readonly ScalablePool[]
    order: PoolOrder
    startSeconds: number
  }) => {
    const dayRead = dayAhead({
      objects: objects as never,
      workload: 'Deployment/market/desk',
      min: 2,
      max: 10,
      target: 100,
      curve,
      from: 0,
      hourly: () => 2,
      ...(nodes ? { nodes } : {}),
    })
    if (!dayRead.ok) throw new Error(dayRead.says)
    return dayRead.day
  }
  it('waits for room only as long as new nodes take, and pays for them only while they are there', () => {
    const fixed = day()
    const scaled = day({ pools: [small], order: 'tightest', startSeconds: 240 })
    expect(Math.max(...fixed.points.map((point) => point.pending))).toBe(4)
    expect(Math.max(...scaled.points.map((point) => point.nodes))).toBe(3)
    expect(scaled.points.at(-1)?.nodes).toBe(1)
    expect(scaled.pendingPodSeconds).toBeLessThan(fixed.pendingPodSeconds / 8)
    expect(scaled.spend).toBeGreaterThan(fixed.spend)
    expect(scaled.spend).toBeLessThan(fixed.spend + (2 * 2 * 8500) / 3600)
  })
})
