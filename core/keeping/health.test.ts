import { describe, expect, it } from 'vitest'
import { bareSite, type ClusterView, type FleetView, type NodeView } from '../fleet'
import { bareCluster, bareFleet } from '../testing/bare'
import { decideHealth, type HealthPast, usualHealth } from './health'

const now = '2026-03-02T06:10:00Z'
const node = (name: string, since: string | null): NodeView => ({
  name,
  pool: 'general',
  zone: 'a',
  roles: ['worker'],
  machine: name,
  address: '',
  release: '1.33.2',
  conditions: [
    {
      type: 'Ready',
      status: since === null ? 'True' : 'Unknown',
      reason: '',
      message: '',
      since: since ?? '2026-03-01T00:00:00Z',
    },
  ],
  cordoned: false,
  cpuMilli: 1,
  memoryBytes: 1,
  allocatableCpuMilli: 1,
  allocatableMemoryBytes: 1,
  requestedCpuMilli: 0,
  requestedMemoryBytes: 0,
  pods: 0,
  createdAt: '',
})
const cluster = (nodes: readonly NodeView[], changes: Partial<ClusterView> = {}): ClusterView =>
  bareCluster('cedar', 'mossgate', {
    guarded: true,
    pools: [{ name: 'general', size: '', lifetime: 'on-demand', range: null, taints: [], nodes }],
    observedAt: now,
    ...changes,
  })
const view = (clusters: readonly ClusterView[], changes: Partial<FleetView> = {}): FleetView =>
  bareFleet({ now, sites: [bareSite('mossgate', 'hall', 'd')], clusters, ...changes })
const decide = (fleet: FleetView, past: readonly HealthPast[] = []) =>
  decideHealth(fleet, () => usualHealth, past)
const restart = (name: string, startedAt: string, endedAt: string | null): HealthPast => ({
  cluster: 'cedar',
  node: name,
  kind: 'machine.restart',
  startedAt,
  endedAt,
})

describe('health keeping', () => {
  it('restarts a node that has not been ready for the set time, and waits for one that has not been for as long', () => {
    const decision = decide(
      view([
        cluster([
          node('a', '2026-03-02T06:04:00Z'),
          node('b', null),
          node('c', '2026-03-02T06:08:00Z'),
        ]),
      ]),
    )
    expect(decision.acts).toMatchObject([
      { node: 'a', kind: 'machine.restart', reason: expect.stringContaining('6 min') },
    ])
    expect(decision.lookAgainAt).toBe('2026-03-02T06:13:00.000Z')
  })

  it('replaces one that its restart did not help, and then asks a person', () => {
    const fleet = view([cluster([node('a', '2026-03-02T05:50:00Z'), node('b', null)])])
    const past = restart('a', '2026-03-02T05:56:00Z', '2026-03-02T05:58:00Z')
    expect(decide(fleet, [past]).acts).toMatchObject([{ node: 'a', kind: 'machine.replace' }])
    const replaced: HealthPast = {
      ...past,
      kind: 'machine.replace',
      startedAt: '2026-03-02T06:01:00Z',
      endedAt: '2026-03-02T06:06:00Z',
    }
    expect(decide(fleet, [past, replaced])).toMatchObject({ acts: [], beyond: [{ node: 'a' }] })
  })

  it('gives a restart the set time to help', () => {
    const decision = decide(view([cluster([node('a', '2026-03-02T05:50:00Z')])]), [
      restart('a', '2026-03-02T06:06:00Z', '2026-03-02T06:08:00Z'),
    ])
    expect(decision).toMatchObject({ acts: [], lookAgainAt: '2026-03-02T06:13:00.000Z' })
  })

  it('never works on more than the set share at once', () => {
    const nodes = ['a', 'b', 'c', 'd', 'e', 'f'].map((name) => node(name, '2026-03-02T05:00:00Z'))
    expect(decide(view([cluster(nodes)])).acts.map((act) => act.node)).toEqual(['a', 'b'])
    expect(
      decide(view([cluster(nodes)]), [restart('a', '2026-03-02T06:09:00Z', null)]).acts.map(
        (act) => act.node,
      ),
    ).toEqual(['b'])
  })

  it('leaves alone what a change works on, what a hall is starting, and clusters that do not answer', () => {
    const nodes = [node('a', '2026-03-02T05:00:00Z')]
    expect(decide(view([cluster(nodes)], { workedOn: ['node/cedar/a'] })).acts).toEqual([])
    const machine = {
      name: 'a',
      zone: 'a',
      host: 'h',
      size: '',
      cores: 1,
      memoryBytes: 1,
      diskGb: 1,
      lifetime: 'on-demand' as const,
      power: 'starting' as const,
      address: null,
      cluster: 'cedar',
    }
    expect(
      decide(
        view([cluster(nodes)], {
          sites: [{ ...bareSite('mossgate', 'hall', 'd'), machines: [machine] }],
        }),
      ).acts,
    ).toEqual([])
    expect(decide(view([cluster(nodes, { apiAnswers: false })])).acts).toEqual([])
    expect(
      decideHealth(view([cluster(nodes)]), () => ({ ...usualHealth, enabled: false }), []).acts,
    ).toEqual([])
  })
})
