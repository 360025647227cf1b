import { describe, expect, it } from 'vitest'
import { bareSite, type TrafficSpan, type TrafficView } from '../../fleet'
import { callsIn, ruleHits, wouldMeet } from '.'

const now = '2026-03-03T06:00:00Z'
const span = (more: Partial<TrafficSpan>): TrafficSpan => ({
  from: '2026-03-03T05:00:00Z',
  until: null,
  perSecond: 2,
  failing: 0,
  at: '',
  by: '',
  source: '10.44.0.4',
  destination: '10.88.4.20',
  port: 8443,
  leaving: { source: '10.44.0.4', destination: '10.88.4.20', port: 8443 },
  met: ['palisade-east/bureau-out', 'tarn-north/bureau-out'],
  ...more,
})
const flow = (from: string, to: string, ...spans: TrafficSpan[]): TrafficView => ({
  from,
  to,
  port: spans[0]?.port ?? 0,
  method: 'GET',
  path: '/',
  medianMs: 5,
  spans,
})

describe('what rules met', () => {
  it('is the calls of the last day, cut at its beginning', () => {
    expect(callsIn(span({}), now)).toBe(7200)
    expect(
      callsIn(span({ from: '2026-03-01T00:00:00Z', until: '2026-03-02T07:00:00Z' }), now),
    ).toBe(7200)
    expect(
      callsIn(span({ from: '2026-03-01T00:00:00Z', until: '2026-03-01T07:00:00Z' }), now),
    ).toBe(0)
  })
  it('counts each site’s own rules', () => {
    const hits = ruleHits(
      bareSite('palisade-east', 'cloud', 'd'),
      [
        flow(
          'climate/loop',
          '10.88.4.20',
          span({ until: '2026-03-03T05:30:00Z' }),
          span({ from: '2026-03-03T05:30:00Z', met: [] }),
        ),
      ],
      now,
    )
    expect([...hits]).toEqual([['bureau-out', 3600]])
  })
  it('is told for a rule that was not there: by what left the site, or came from outside', () => {
    const traffic = [
      flow('climate/loop', '10.88.4.20', span({})),
      flow('market/desk', 'market/ledger', span({ leaving: null, port: 8443 })),
      flow('192.0.2.7', '198.51.100.1', span({ leaving: null, port: 443 })),
    ]
    expect(
      wouldMeet(
        {
          name: 'x',
          priority: 1,
          direction: 'out',
          action: 'deny',
          protocol: 'tcp',
          to: ['10.88.4.0/24'],
        },
        traffic,
        now,
      ),
    ).toEqual([{ from: 'climate/loop', to: '10.88.4.20', port: 8443, calls: 7200 }])
    expect(
      wouldMeet(
        {
          name: 'x',
          priority: 1,
          direction: 'in',
          action: 'deny',
          protocol: 'any',
          ports: ['443'],
        },
        traffic,
        now,
      ).map((met) => met.from),
    ).toEqual(['192.0.2.7'])
    expect(
      wouldMeet(
        { name: 'x', priority: 1, direction: 'out', action: 'deny', protocol: 'udp' },
        traffic,
        now,
      ),
    ).toEqual([])
  })
})
