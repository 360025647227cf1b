/** What is to be decided: told within its days, what is over first, and of the same thing the same. */
import { describe, expect, it } from 'vitest'
import type { FleetView } from '../fleet'
import { demoFleet } from '../testing/demo-fleet'
import { noticesOf } from './notices'

const on = (day: string, change: (view: FleetView) => FleetView = (view) => view): FleetView =>
  change({ ...demoFleet(), now: `${day}T06:00:00Z` })

const idsOf = (view: FleetView, days?: number): readonly string[] =>
  noticesOf(view, days).map(({ id }) => id)

describe('notices', () => {
  it('tell of support within the days that are asked for, what is over longest first', () => {
    const notices = noticesOf(on('2026-03-02'))
    expect(notices.map(({ about, daysLeft }) => [about, daysLeft])).toEqual([
      ['burdock', -948],
      ['sorrel', -111],
      ['cedar', -2],
    ])
    expect(notices[2]?.says).toBe('cedar: support of 1.32.4 ended on 2026-02-28')
    expect(idsOf(on('2026-03-29'))).not.toContain('support-alder-1.33.1')
    expect(idsOf(on('2026-03-30'))).toContain('support-alder-1.33.1')
    expect(idsOf(on('2026-03-29'), 200)).toContain('support-alder-1.33.1')
  })

  it('tell of certificates of control planes of one’s own, and of pools that lag two minors', () => {
    const view = on('2026-03-02', (fleet) => ({
      ...fleet,
      clusters: fleet.clusters.map((cluster) => {
        if (cluster.name === 'alder')
          return { ...cluster, certificatesUntil: '2026-03-20T10:00:00Z' }
        if (cluster.name === 'bramble')
          return { ...cluster, certificatesUntil: '2026-03-20T10:00:00Z' }
        return cluster.name === 'dill'
          ? {
              ...cluster,
              pools: cluster.pools.map((pool) => ({
                ...pool,
                nodes: pool.nodes.map((node) => ({ ...node, release: '1.31.9' })),
              })),
            }
          : cluster
      }),
    }))
    const own = noticesOf(view).filter(({ kind }) => kind !== 'support')
    expect(own.map(({ kind, about, says }) => [kind, about, says])).toEqual([
      ['certificates', 'alder', 'alder: the certificate of its API ends on 2026-03-20, in 18 days'],
      ['lag', 'dill', 'dill: base is 2 minors behind its control plane'],
      ['lag', 'dill', 'dill: general is 2 minors behind its control plane'],
    ])
  })

  it('tell of a credential only while something that it opens is closed', () => {
    const account = {
      name: 'bramble-market',
      purpose: 'pull' as const,
      cluster: 'bramble',
      namespace: 'market',
      repositories: ['market'],
      rounds: [
        { round: 1, until: '2026-03-01T00:00:00Z' },
        { round: 2, until: '2026-04-01T00:00:00Z' },
      ],
    }
    const withAccess = (closed: readonly string[]) =>
      on('2026-03-02', (fleet) => ({
        ...fleet,
        sites: fleet.sites.map((site) =>
          site.name === 'mossgate'
            ? {
                ...site,
                registry: {
                  host: 'registry.fernhollow.example',
                  images: {},
                  access: { closed: [...closed], accounts: [account] },
                },
              }
            : site,
        ),
      }))
    const told = (closed: readonly string[]) =>
      noticesOf(withAccess(closed)).filter(({ kind }) => kind === 'credential')
    expect(told([])).toEqual([])
    expect(told(['market']).map(({ day, daysLeft }) => [day, daysLeft])).toEqual([
      ['2026-04-01', 30],
    ])
  })
})
