import { describe, expect, it } from 'vitest'
import {
  bareSite,
  clusterState,
  leftovers,
  nodeState,
  permittedSkew,
  poolState,
  siteState,
  type ClusterView,
  type NodeView,
  type PoolView,
  type SiteView,
  type StateContext,
} from '.'

const now = Date.parse('2026-03-02T06:00:00Z')
const context: StateContext = { now, workedOn: new Set(), unheard: {} }
const ready = (status: 'True' | 'False' | 'Unknown') => ({
  type: 'Ready',
  status,
  reason: '',
  message: 'said so',
  since: '2026-03-01T00:00:00Z',
})
const pressure = {
  type: 'DiskPressure',
  status: 'True' as const,
  reason: '',
  message: '87 % full',
  since: '2026-03-01T00:00:00Z',
}
const node = (name: string, changes: Partial<NodeView> = {}): NodeView => ({
  name,
  pool: 'general',
  zone: 'a',
  roles: ['worker'],
  machine: name,
  address: '10.0.0.1',
  release: '1.33.2',
  conditions: [ready('True')],
  cordoned: false,
  cpuMilli: 4000,
  memoryBytes: 1,
  allocatableCpuMilli: 3920,
  allocatableMemoryBytes: 1,
  requestedCpuMilli: 0,
  requestedMemoryBytes: 0,
  pods: 0,
  createdAt: '2026-03-01T00:00:00Z',
  ...changes,
})
const pool = (nodes: readonly NodeView[]): PoolView => ({
  name: 'general',
  size: 'rack-4',
  lifetime: 'on-demand',
  range: null,
  taints: [],
  nodes,
})
const cluster = (nodes: readonly NodeView[], changes: Partial<ClusterView> = {}): ClusterView => ({
  name: 'cedar',
  site: 'mossgate',
  guarded: false,
  labels: {},
  release: '1.33.2',
  controlPlane: { kind: 'managed', tier: 'plain' },
  endpoint: 'https://10.0.0.1:6443',
  apiAnswers: true,
  membersUp: 0,
  resting: false,
  restingSince: null,
  restingMachines: [],
  restingNodes: [],
  rest: null,
  autoscale: null,
  pods: '10.0.0.0/18',
  services: '10.1.0.0/20',
  maxPodsPerNode: 110,
  drives: [],
  pools: [pool(nodes)],
  podCount: 0,
  namespaces: [],
  dnsAnswers: true,
  certificatesUntil: null,
  backups: [],
  observedAt: '2026-03-02T05:00:00Z',
  ...changes,
})

describe('a node', () => {
  const of = (changes: Partial<NodeView>, where: StateContext = context): string =>
    nodeState(node('n', changes), cluster([]), where).state
  it.each([
    ['ready', {}, 'well'],
    ['not ready', { conditions: [ready('False')] }, 'broken'],
    ['not heard of by its API', { conditions: [ready('Unknown')] }, 'broken'],
    ['without conditions', { conditions: [] }, 'broken'],
    ['under pressure', { conditions: [ready('True'), pressure] }, 'strained'],
    ['under pressure and not ready', { conditions: [ready('False'), pressure] }, 'broken'],
    ['cordoned outside a change', { cordoned: true }, 'strained'],
    ['three minors behind', { release: '1.30.2' }, 'well'],
    ['four minors behind', { release: '1.29.0' }, 'strained'],
    ['newer than its API', { release: '1.34.0' }, 'strained'],
  ] as const)('%s', (_what, changes, state) => expect(of(changes)).toBe(state))

  it('that a change is at work on works, cordoned or not', () => {
    const worked = { ...context, workedOn: new Set(['node/cedar/n']) }
    expect(of({}, worked)).toBe('working')
    expect(of({ cordoned: true }, worked)).toBe('working')
    expect(of({ conditions: [ready('True'), pressure] }, worked)).toBe('strained')
  })

  it('of a cluster not heard of for five minutes is unknown', () => {
    expect(of({}, { ...context, unheard: { cedar: '2026-03-02T05:54:59Z' } })).toBe('unknown')
    expect(of({}, { ...context, unheard: { cedar: '2026-03-02T05:55:01Z' } })).toBe('well')
  })

  it('may be two minors behind an API older than 1.28, else three', () => {
    expect(permittedSkew('1.27.9')).toBe(2)
    expect(permittedSkew('1.28.0')).toBe(3)
  })
})

const broken = node('b', { conditions: [ready('False')] })

describe('a pool', () => {
  it('is broken only if over half of its nodes are', () => {
    expect(poolState(pool([broken, node('a')]), cluster([]), context).state).toBe('strained')
    expect(poolState(pool([broken, broken, node('a')]), cluster([]), context).state).toBe('broken')
    expect(poolState(pool([]), cluster([]), context).state).toBe('well')
  })
})

describe('a cluster', () => {
  it('is broken if its API does not answer or its quorum is lost', () => {
    expect(clusterState(cluster([], { apiAnswers: false }), context).state).toBe('broken')
    const own = (membersUp: number): string =>
      clusterState(
        cluster([], { controlPlane: { kind: 'own', members: ['a', 'b', 'c'] }, membersUp }),
        context,
      ).state
    expect([own(3), own(2), own(1)]).toEqual(['well', 'well', 'broken'])
  })

  it('is strained if any pool is not well, works while it is raised, rests when stopped', () => {
    expect(clusterState(cluster([broken, node('a')]), context).state).toBe('strained')
    expect(
      clusterState(cluster([], { apiAnswers: false }), {
        ...context,
        workedOn: new Set(['cluster/cedar']),
      }).state,
    ).toBe('working')
    expect(clusterState(cluster([], { apiAnswers: false, resting: true }), context).state).toBe(
      'resting',
    )
  })

  it('says whether a change or its calendar stopped it, and until when', () => {
    const rest = {
      zone: 'Europe/Berlin',
      windows: [{ days: ['sun', 'mon'] as const, stop: '20:00', start: '08:30' }],
    }
    const saysOf = (restingSince: string) =>
      clusterState(cluster([], { apiAnswers: false, resting: true, rest, restingSince }), {
        ...context,
        now: Date.parse('2026-03-02T06:00:00Z'),
      }).says
    expect(saysOf('2026-03-01T19:00:05Z')).toBe(
      'At rest by its calendar until Mon 2 Mar 08:30 (Europe/Berlin).',
    )
    expect(saysOf('2026-03-01T12:00:00Z')).toBe('Stopped by a change.')
  })
})

const site: SiteView = { ...bareSite('mossgate', 'hall', 'd'), zones: ['a'] }

describe('a site', () => {
  it('takes the worst of its clusters, but is broken only if all are', () => {
    const down = cluster([], { name: 'alder', apiAnswers: false })
    expect(siteState(site, [cluster([]), down], context).state).toBe('strained')
    expect(siteState(site, [down], context).state).toBe('broken')
    expect(siteState(site, [cluster([]), { ...down, site: 'elsewhere' }], context).state).toBe(
      'well',
    )
  })

  it('tells what no cluster owns', () => {
    const machine = {
      name: 'm',
      zone: 'a',
      host: null,
      size: 's',
      cores: 1,
      memoryBytes: 1,
      diskGb: 1,
      lifetime: 'on-demand' as const,
      power: 'on' as const,
      address: null,
      cluster: 'gone',
    }
    const held = {
      address: '10.0.0.9',
      network: 'n',
      for: 'x',
      cluster: null,
      how: 'static' as const,
    }
    const left = leftovers(
      {
        ...site,
        machines: [machine, { ...machine, name: 'owned', cluster: 'cedar' }],
        addresses: [held],
      },
      [cluster([])],
    )
    expect(left.map(({ kind, name }) => [kind, name])).toEqual([
      ['machine', 'm'],
      ['address', '10.0.0.9'],
    ])
  })
})
