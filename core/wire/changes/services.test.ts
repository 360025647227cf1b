import { describe, expect, it } from 'vitest'
import type { TrafficSpan, TrafficView } from '../../fleet'
import { openMetrics, serviceCurve, serviceUse } from '.'

const now = '2026-03-03T06:00:00Z'
const span = (from: string, until: string | null, perSecond: number, failing = 0): TrafficSpan => ({
  from: `2026-03-03T${from}:00Z`,
  until: until === null ? null : `2026-03-03T${until}:00Z`,
  perSecond,
  failing,
  at: '',
  by: '',
  source: '',
  destination: '',
  port: 80,
  leaving: null,
  met: [],
})
const traffic: readonly TrafficView[] = [
  {
    from: 'market/a',
    to: 'market/ledger',
    port: 80,
    method: 'GET',
    path: '/',
    medianMs: 10,
    spans: [span('04:00', '05:00', 1), span('05:00', null, 3, 1.5)],
  },
  {
    from: 'market/"b"',
    to: 'market/ledger',
    port: 80,
    method: 'GET',
    path: '/',
    medianMs: 20,
    spans: [span('05:30', null, 1)],
  },
]

describe('the use of a service', () => {
  it('is the sum of its callers, its latency weighted by their rates', () => {
    expect(serviceUse(traffic, now)).toEqual([
      {
        service: 'market/ledger',
        callers: ['market/a', 'market/"b"'],
        perSecond: 4,
        failing: 1.5,
        calls: 3600 + 3 * 3600 + 1800,
        failures: 1.5 * 3600,
        medianMs: 12.5,
      },
    ])
  })
  it('over time begins when it was first seen and ends now', () => {
    const curve = serviceCurve(traffic, 'market/ledger', now, 5)
    expect(curve.map((point) => point.at.slice(11, 16))).toEqual([
      '04:00',
      '04:30',
      '05:00',
      '05:30',
      '06:00',
    ])
    expect(curve.map((point) => point.perSecond)).toEqual([1, 1, 3, 4, 4])
    expect(curve.map((point) => point.failed)).toEqual([0, 0, 0.5, 0.375, 0.375])
  })
  it('is told as OpenMetrics: names with their suffix, labels escaped, an end', () => {
    const lines = openMetrics('bramble', traffic, now).split('\n')
    expect(lines).toContain(
      'requests_total{cluster="bramble",caller="market/a",service="market/ledger",port="80"} 14400',
    )
    expect(lines).toContain(
      'failures_total{cluster="bramble",caller="market/a",service="market/ledger",port="80"} 5400',
    )
    expect(lines.find((line) => line.includes('\\"b\\"'))).toBeDefined()
    expect(lines.at(-2)).toBe('# EOF')
    for (const line of lines.slice(0, -1))
      expect(line).toMatch(/^(# (TYPE|HELP|UNIT|EOF)|[a-z_]+\{[^}]*\} [0-9.]+$)/)
  })
})
