import { describe, expect, it } from 'vitest'
import { bareSite, type SiteView } from '../fleet'
import type { ApiObject } from '../objects'
import { poolTrend, nodePortsOf, portCollisions, virtualAddressFor } from '.'

const site: SiteView = {
  ...bareSite('mossgate', 'hall', 'd'),
  networks: [
    {
      name: 'front',
      range: '10.20.40.0/25',
      role: 'frontage',
      gateway: '10.20.40.1',
      pool: '10.20.40.32-10.20.40.34',
    },
  ],
  balancers: [{ name: 'a', address: '10.20.40.32', port: 443, cluster: 'cedar', service: 'x/y' }],
}
const held = (address: string, how: 'static' | 'virtual', cluster: string) => ({
  address,
  network: 'front',
  for: 'x',
  cluster,
  how,
})

describe('a virtual address', () => {
  it('is the lowest free one of the pool, or the one asked for', () => {
    expect(virtualAddressFor(site, 'cedar', null)).toEqual({ ok: true, address: '10.20.40.33' })
    expect(virtualAddressFor(site, 'cedar', '10.20.40.34')).toEqual({
      ok: true,
      address: '10.20.40.34',
    })
  })
  it('held for another is not free, held for the cluster itself is', () => {
    const with_ = {
      ...site,
      addresses: [held('10.20.40.33', 'virtual', 'cedar'), held('10.20.40.34', 'static', 'cedar')],
    }
    expect(virtualAddressFor(with_, 'cedar', null)).toEqual({ ok: true, address: '10.20.40.33' })
    expect(virtualAddressFor(with_, 'alder', null)).toMatchObject({
      ok: false,
      says: expect.stringContaining('is full') as string,
    })
  })
  it('that cannot be had is refused with the reason', () => {
    const says = (request: string | null, change: Partial<SiteView> = {}) => {
      const virtualAddress = virtualAddressFor({ ...site, ...change }, 'cedar', request)
      return virtualAddress.ok ? '' : virtualAddress.says
    }
    expect([
      says('10.20.40.32'),
      says('10.20.40.99'),
      says('x'),
      says(null, { networks: [] }),
      says(null, { quotaBalancers: 1 }),
    ]).toEqual([
      '10.20.40.32 is taken.',
      '10.20.40.99 is not in the pool 10.20.40.32-10.20.40.34.',
      expect.stringContaining('no address'),
      'mossgate offers no virtual addresses.',
      'mossgate allows 1 load balancer; all are in use.',
    ])
  })
  it('without a pool of its own leaves the network’s first and last address alone', () => {
    expect(
      virtualAddressFor(
        {
          ...site,
          balancers: [],
          networks: [{ name: 'front', range: '198.51.100.0/30', role: 'frontage' }],
        },
        'c',
        null,
      ),
    ).toEqual({ ok: true, address: '198.51.100.1' })
  })
})

describe('a pool', () => {
  const now = '2026-03-31T00:00:00Z'
  it('is full after its free addresses over the net growth of a day', () => {
    const kept = [
      { from: '2026-01-01T00:00:00Z', until: null },
      { from: '2026-03-10T00:00:00Z', until: null },
      { from: '2026-03-12T00:00:00Z', until: null },
      { from: '2026-03-05T00:00:00Z', until: '2026-03-20T00:00:00Z' },
    ]
    const trend = poolTrend(60, kept, '2025-01-01T00:00:00Z', now)
    expect(trend).toEqual({ kind: 'grows', days: expect.closeTo(60 / (2 / 30), 9) as number })
    expect(poolTrend(60, [], '2025-01-01T00:00:00Z', now)).toEqual({ kind: 'still' })
    expect(poolTrend(60, kept, '2026-03-15T00:00:00Z', now)).toEqual({ kind: 'still' })
  })

  it('has no trend under a week of records, nor by one raise', () => {
    const raise = Array.from({ length: 9 }, () => ({ from: '2026-03-30T12:00:00Z', until: null }))
    expect(poolTrend(60, raise, '2026-03-29T00:00:00Z', now)).toEqual({ kind: 'unknown' })
    expect(poolTrend(60, raise, '2026-01-01T00:00:00Z', now)).toEqual({ kind: 'unknown' })
    expect(poolTrend(60, raise, now, now)).toEqual({ kind: 'unknown' })
  })
})

describe('ports of nodes', () => {
  const workload = (name: string, spec: unknown): ApiObject =>
    ({
      kind: 'DaemonSet',
      metadata: { namespace: 'platform', name },
      spec: { template: { spec } },
    }) as ApiObject
  const web = {
    containers: [
      {
        ports: [
          { containerPort: 8080, hostPort: 80 },
          { containerPort: 8443, hostPort: 443 },
        ],
      },
    ],
  }
  it('are those asked for by host port, or all of a pod on its host’s network', () => {
    expect(nodePortsOf(workload('a', web))).toEqual(['80/TCP', '443/TCP'])
    expect(
      nodePortsOf(
        workload('a', {
          hostNetwork: true,
          containers: [{ ports: [{ containerPort: 53, protocol: 'UDP' }] }],
        }),
      ),
    ).toEqual(['53/UDP'])
    expect(
      nodePortsOf(workload('a', { containers: [{ ports: [{ containerPort: 80 }] }] })),
    ).toEqual([])
  })
  it('collide where two may stand on the same node', () => {
    const apiObjects = [workload('ingress', web)]
    expect(portCollisions(workload('other', web), apiObjects)).toEqual([
      { port: '80/TCP', with: 'DaemonSet/platform/ingress' },
      { port: '443/TCP', with: 'DaemonSet/platform/ingress' },
    ])
    expect(portCollisions(workload('ingress', web), apiObjects)).toEqual([])
    expect(
      portCollisions(workload('other', { ...web, nodeSelector: { pool: 'a' } }), [
        workload('ingress', { ...web, nodeSelector: { pool: 'b' } }),
      ]),
    ).toEqual([])
  })
})
