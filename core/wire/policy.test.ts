import fc from 'fast-check'
import { describe, expect, it } from 'vitest'
import { parseAddress } from '../addresses'
import { readObjects } from '../objects'
import {
  asEnd,
  policyIn,
  policyOut,
  readPolicyWorld,
  type BadText,
  type PolicyEnd,
  type PolicyWorld,
  type Protocol,
} from '.'
import { plainPolicy } from './testing/plain-policy'
import { pod, policy, policyObjects } from './testing/worlds'

function read(objects: readonly unknown[]): PolicyWorld {
  const bad: BadText[] = []
  const { located, wrong } = readObjects(objects)
  expect(wrong).toBeNull()
  const world = readPolicyWorld(located, 'objects', bad)
  expect(bad).toEqual([])
  return world
}

const endOf = (world: PolicyWorld, end: { pod?: string; address?: string }): PolicyEnd => {
  const existingEnd = end.pod === undefined ? undefined : world.pods.get(end.pod)
  if (existingEnd) return { pod: existingEnd }
  const address = parseAddress(end.address ?? '')
  if (!address.ok) throw new Error(address.says)
  return asEnd(world, address.value)
}

function ask(
  objects: readonly unknown[],
  from: { pod?: string; address?: string },
  to: { pod?: string; address?: string },
  port = 80,
  protocol: Protocol = 'TCP',
) {
  const world = read(objects)
  const egress = policyOut(world, endOf(world, from), endOf(world, to), port, protocol)
  const ingress = policyIn(world, endOf(world, from), endOf(world, to), port, protocol)
  return {
    allowed: egress.allowed && ingress.allowed,
    egress: { isolated: egress.isolated, by: egress.by },
    ingress: { isolated: ingress.isolated, by: ingress.by },
  }
}

const a = pod({
  namespace: 'market',
  name: 'a',
  ip: '10.124.0.5',
  node: 'n1',
  hostIP: '10.44.0.11',
  labels: { app: 'a' },
})
const b = pod({
  namespace: 'market',
  name: 'b',
  ip: '10.124.1.5',
  node: 'n2',
  hostIP: '10.44.0.12',
  labels: { app: 'b' },
  ports: [{ name: 'web', containerPort: 80 }],
})
const c = pod({
  namespace: 'climate',
  name: 'c',
  ip: '10.124.1.6',
  node: 'n2',
  hostIP: '10.44.0.12',
  labels: { app: 'a' },
})
const from = { pod: 'market/a' }
const to = { pod: 'market/b' }
const onB = { podSelector: { matchLabels: { app: 'b' } } }

describe('network policy', () => {
  it('lets all through where no policy isolates', () =>
    expect(ask([a, b], from, to)).toEqual({
      allowed: true,
      egress: { isolated: false, by: [] },
      ingress: { isolated: false, by: [] },
    }))
  it('without rules lets nothing in', () =>
    expect(ask([a, b, policy('market', 'shut', onB)], from, to)).toMatchObject({
      allowed: false,
      ingress: { isolated: true, by: ['market/shut'] },
    }))
  it('with an empty rule lets everything in', () =>
    expect(ask([a, b, policy('market', 'open', { ...onB, ingress: [{}] })], from, to).allowed).toBe(
      true,
    ))
  it('names only those that allow, and all that isolate where none does', () => {
    const shut = policy('market', 'shut', onB)
    const open = policy('market', 'open', {
      ...onB,
      ingress: [{ from: [{ podSelector: { matchLabels: { app: 'a' } } }] }],
    })
    expect(ask([a, b, shut, open], from, to).ingress.by).toEqual(['market/open'])
    expect(ask([a, b, shut, open], { pod: 'market/b' }, to).ingress).toEqual({
      isolated: true,
      by: [],
    })
    expect(ask([a, b, c, shut, open], { pod: 'climate/c' }, to).ingress.by).toEqual([
      'market/open',
      'market/shut',
    ])
  })
  it('does not isolate the way out for an empty list of rules without types', () => {
    expect(
      ask([a, b, policy('market', 'none', { podSelector: {}, egress: [] })], from, to).egress
        .isolated,
    ).toBe(false)
    expect(
      ask(
        [a, b, policy('market', 'none', { podSelector: {}, egress: [], policyTypes: ['Egress'] })],
        from,
        to,
      ).egress,
    ).toEqual({ isolated: true, by: ['market/none'] })
    expect(
      ask(
        [
          a,
          b,
          policy('market', 'some', { podSelector: { matchLabels: { app: 'a' } }, egress: [{}] }),
        ],
        from,
        to,
      ),
    ).toMatchObject({ allowed: true, egress: { isolated: true, by: ['market/some'] } })
  })
  it('knows a namespace without an object by its name alone', () => {
    const named = policy('market', 'named', {
      ...onB,
      ingress: [
        {
          from: [
            { namespaceSelector: { matchLabels: { 'kubernetes.io/metadata.name': 'climate' } } },
          ],
        },
      ],
    })
    expect(ask([b, c, named], { pod: 'climate/c' }, to).allowed).toBe(true)
    const team = policy('market', 'team', {
      ...onB,
      ingress: [{ from: [{ namespaceSelector: { matchLabels: { team: 'x' } } }] }],
    })
    expect(ask([b, c, team], { pod: 'climate/c' }, to).allowed).toBe(false)
    expect(
      ask(
        [b, c, team, { kind: 'Namespace', metadata: { name: 'climate', labels: { team: 'x' } } }],
        { pod: 'climate/c' },
        to,
      ).allowed,
    ).toBe(true)
  })
  it('takes an address for the pod that has it, and blocks for any address', () => {
    const block = policy('market', 'block', {
      ...onB,
      ingress: [{ from: [{ ipBlock: { cidr: '10.124.0.0/16', except: ['10.124.1.0/24'] } }] }],
    })
    expect(ask([a, b, block], { address: '10.124.0.5' }, to).allowed).toBe(true)
    expect(ask([a, b, c, block], { address: '10.124.1.6' }, to).allowed).toBe(false)
    expect(ask([b, block], { address: '192.0.2.1' }, to)).toMatchObject({
      allowed: false,
      egress: { isolated: false, by: [] },
    })
  })
  it('reads named ports on the pod that is reached, and ranges', () => {
    const web = policy('market', 'web', { ...onB, ingress: [{ ports: [{ port: 'web' }] }] })
    expect(ask([a, b, web], from, to, 80).allowed).toBe(true)
    expect(ask([a, b, web], from, to, 81).allowed).toBe(false)
    expect(ask([a, b, web], from, to, 80, 'UDP').allowed).toBe(false)
    const range = policy('market', 'range', {
      ...onB,
      ingress: [{ ports: [{ port: 8000, endPort: 8100, protocol: 'UDP' }] }],
    })
    expect(
      [8000, 8100, 8101].map((port) => ask([a, b, range], from, to, port, 'UDP').allowed),
    ).toEqual([true, true, false])
  })
  it('never stands between a pod and itself, or a pod and its own node', () => {
    const shut = policy('market', 'shut', { podSelector: {}, policyTypes: ['Ingress', 'Egress'] })
    expect(ask([a, b, shut], from, from)).toEqual({
      allowed: true,
      egress: { isolated: true, by: [] },
      ingress: { isolated: true, by: [] },
    })
    expect(ask([a, b, shut], { address: '10.44.0.12' }, to)).toMatchObject({
      allowed: true,
      ingress: { isolated: true, by: [] },
    })
    expect(ask([a, b, shut], { address: '10.44.0.11' }, to).allowed).toBe(false)
    expect(ask([a, b, shut], from, { address: '10.44.0.11' }).allowed).toBe(true)
  })
  it('takes a host-network pod for its node', () => {
    const agent = pod({
      namespace: 'market',
      name: 'agent',
      ip: '10.44.0.12',
      node: 'n2',
      hostIP: '10.44.0.12',
      labels: { app: 'a' },
      hostNetwork: true,
    })
    const friends = policy('market', 'friends', {
      podSelector: {},
      ingress: [{ from: [{ podSelector: { matchLabels: { app: 'a' } } }] }],
    })
    expect(ask([a, b, agent, friends], { pod: 'market/agent' }, to).allowed).toBe(true)
    expect(ask([a, b, agent, friends], { pod: 'market/agent' }, { pod: 'market/a' }).allowed).toBe(
      false,
    )
    expect(ask([a, b, agent, friends], from, { pod: 'market/agent' }).ingress.isolated).toBe(false)
  })
  it('names ranges that are none', () => {
    const bad: BadText[] = []
    readPolicyWorld(
      readObjects([
        policy('market', 'wrong', {
          podSelector: {},
          ingress: [
            { from: [{ ipBlock: { cidr: '10.0.0.1/8' } }], ports: [{ port: 90, endPort: 80 }] },
          ],
        }),
      ]).located,
      'objects',
      bad,
    )
    expect(bad.map(({ path }) => path)).toEqual([
      'objects[0].spec.ingress[0].from[0].ipBlock.cidr',
      'objects[0].spec.ingress[0].ports[0].endPort',
    ])
  })
  it('agrees with the plain reference on 2,000 random cases', () => {
    const ends = ['p0', 'p1', 'p2'].flatMap((name) =>
      ['market', 'default'].map((space) => ({ pod: `${space}/${name}` })),
    )
    const places = [
      { address: '10.44.0.11' },
      { address: '10.88.4.20' },
      { address: '10.124.0.10' },
      { address: '10.124.1.11' },
    ]
    let isolated = 0
    let refused = 0
    fc.assert(
      fc.property(
        policyObjects,
        fc.constantFrom(...ends, ...places),
        fc.constantFrom(...ends, ...places),
        fc.constantFrom(80, 443, 8443, 53),
        fc.constantFrom<Protocol>('TCP', 'UDP'),
        (objects, source, goal, port, protocol) => {
          const world = read(objects)
          fc.pre(
            ('address' in source || world.pods.has(source.pod)) &&
              ('address' in goal || world.pods.has(goal.pod)),
          )
          const result = ask(objects, source, goal, port, protocol)
          if (result.egress.isolated || result.ingress.isolated) isolated++
          if (!result.allowed) refused++
          expect(result).toEqual(plainPolicy(objects as never, source, goal, port, protocol))
        },
      ),
      { numRuns: 2000, seed: 5 },
    )
    // The cases are worth something only if many of them are decided.
    expect(isolated).toBeGreaterThan(700)
    expect(refused).toBeGreaterThan(300)
  })
})
