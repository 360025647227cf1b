import { describe, expect, it } from 'vitest'
import { bareSite, type ClusterView, type FleetView, type NodeView } from '../fleet'
import { bareCluster, bareFleet, bareNode } from '../testing/bare'
import {
  decideHealth,
  type DiagnosedNode,
  type HealthPast,
  type HealthPolicy,
  usualHealth,
} from './health'

const now = '2026-03-02T06:10:00Z'
const node = (name: string, since: string | null): NodeView =>
  bareNode(name, {
    conditions: [
      {
        type: 'Ready',
        status: since === null ? 'True' : 'Unknown',
        reason: '',
        message: '',
        since: since ?? '2026-03-01T00:00:00Z',
      },
    ],
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
/** The usual policy, of somebody who lets machines of guarded clusters be replaced. */
const bold = { ...usualHealth, replaceGuarded: true }
const decide = (fleet: FleetView, past: readonly HealthPast[] = [], policy: HealthPolicy = bold) =>
  decideHealth(fleet, () => policy, past)
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
    expect(decide(fleet, [past, replaced])).toMatchObject({
      acts: [],
      held: [{ node: 'a', code: 'held.replaced' }],
    })
  })

  it('replaces machines of a guarded cluster only if its policy says so', () => {
    const fleet = view([cluster([node('a', '2026-03-02T05:50:00Z'), node('b', null)])])
    const past = [restart('a', '2026-03-02T05:56:00Z', '2026-03-02T05:58:00Z')]
    expect(decide(fleet, past, usualHealth)).toMatchObject({
      acts: [],
      held: [{ node: 'a', code: 'held.guarded' }],
    })
    const open = view([
      cluster([node('a', '2026-03-02T05:50:00Z'), node('b', null)], { guarded: false }),
    ])
    expect(decide(open, past, usualHealth).acts).toMatchObject([{ kind: 'machine.replace' }])
  })

  it('never empties a pool', () => {
    const fleet = view([cluster([node('a', '2026-03-02T05:50:00Z')])])
    expect(
      decide(fleet, [restart('a', '2026-03-02T05:56:00Z', '2026-03-02T05:58:00Z')]),
    ).toMatchObject({ acts: [], held: [{ node: 'a', code: 'held.last' }] })
  })

  it('replaces no more machines than are allowed in a day, over time as at once', () => {
    const nodes = [
      node('a', '2026-03-02T05:30:00Z'),
      node('b', '2026-03-02T05:20:00Z'),
      node('c', '2026-03-02T05:10:00Z'),
      ...['d', 'e', 'f', 'g', 'h', 'i'].map((name) => node(name, null)),
    ]
    const restarts = ['a', 'b', 'c'].map((name) =>
      restart(name, '2026-03-02T05:40:00Z', '2026-03-02T05:50:00Z'),
    )
    expect(decide(view([cluster(nodes)]), restarts).acts.map((act) => act.node)).toEqual(['a', 'b'])
    const replaced = (name: string, startedAt: string): HealthPast => ({
      ...restart(name, startedAt, startedAt),
      kind: 'machine.replace',
    })
    const today = [
      replaced('h', '2026-03-01T08:00:00Z'),
      replaced('i', '2026-03-02T05:00:00Z'),
      ...restarts,
    ]
    expect(decide(view([cluster(nodes)]), today).acts).toEqual([])
    expect(decide(view([cluster(nodes)]), today).held.map(({ code }) => code)).toContain('held.day')
    const earlier = [replaced('h', '2026-03-01T05:00:00Z'), ...today.slice(1)]
    expect(decide(view([cluster(nodes)]), earlier).acts).toMatchObject([
      { node: 'a', kind: 'machine.replace' },
    ])
  })

  it('does not replace again what was replaced within the day and fell ill anew', () => {
    const fleet = view([cluster([node('a', '2026-03-02T05:50:00Z'), node('b', null)])])
    const replaced: HealthPast = {
      ...restart('a', '2026-03-02T01:00:00Z', '2026-03-02T01:06:00Z'),
      kind: 'machine.replace',
    }
    expect(decide(fleet, [replaced])).toMatchObject({
      acts: [],
      held: [{ node: 'a', code: 'held.replaced' }],
    })
  })

  it('leaves alone what one cause explains', () => {
    const fleet = view([cluster([node('a', '2026-03-02T05:50:00Z'), node('b', null)])])
    const cause = { nodes: [{ cluster: 'cedar', node: 'a', since: '2026-03-02T05:50:00Z' }] }
    expect(decideHealth(fleet, () => bold, [], [cause]).acts).toEqual([])
    expect(decideHealth(fleet, () => bold, [], []).acts).toHaveLength(1)
  })

  it('goes by what the case of a node names: left to it, replaced at once, or restarted', () => {
    const fleet = view([cluster([node('a', '2026-03-02T05:50:00Z'), node('b', null)])])
    const named = (mend: DiagnosedNode['mend']): DiagnosedNode => ({
      cluster: 'cedar',
      node: 'a',
      case: 'm-3',
      cause: 'It says so.',
      mend,
    })
    const decideWith = (mend: DiagnosedNode['mend'], policy: HealthPolicy = bold) =>
      decideHealth(fleet, () => policy, [], [], [named(mend)])
    expect(decideWith(null)).toMatchObject({
      acts: [],
      held: [{ node: 'a', code: 'held.case', params: { case: 'm-3' } }],
      lookAgainAt: '2026-03-02T06:20:00.000Z',
    })
    expect(decideWith('machine.replace').acts).toMatchObject([
      { kind: 'machine.replace', reason: expect.stringContaining('m-3: It says so.') },
    ])
    expect(decideWith('machine.replace', usualHealth).held).toMatchObject([
      { code: 'held.guarded' },
    ])
    expect(decideWith('machine.restart').acts).toMatchObject([{ kind: 'machine.restart' }])
  })

  it('looks after what it has begun every minute', () => {
    const fleet = view([cluster([node('a', '2026-03-02T05:50:00Z'), node('b', null)])])
    expect(decide(fleet, [restart('a', '2026-03-02T06:09:00Z', null)]).lookAgainAt).toBe(
      '2026-03-02T06:11:00.000Z',
    )
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
