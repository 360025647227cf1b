import { describe, expect, it } from 'vitest'
import { drain, readWorld, turnOver, type DrainOptions } from '.'
import { node, pod, type TestObject } from './testing/worlds'

const owner = (kind: string, name: string) => ({
  ownerReferences: [{ kind, name, controller: true }],
})
const ready = {
  phase: 'Running',
  startTime: '2026-03-02T06:00:00Z',
  conditions: [{ type: 'Ready', status: 'True', lastTransitionTime: '2026-03-02T06:00:20Z' }],
}
const owned = (
  name: string,
  on: string,
  more: {
    labels?: Record<string, string>
    kind?: string
    spec?: Record<string, unknown>
    status?: Record<string, unknown>
  } = {},
): TestObject =>
  pod(`climate/${name}`, {
    on,
    labels: more.labels ?? { app: 'loop' },
    metadata: owner(more.kind ?? 'ReplicaSet', 'loop'),
    status: more.status ?? ready,
    spec: { nodeName: on, containers: [{ resources: { requests: { cpu: '1' } } }], ...more.spec },
  })
const set = (replicas: number): TestObject => ({
  kind: 'ReplicaSet',
  metadata: { name: 'loop', namespace: 'climate' },
  spec: { replicas },
})
const budget = (spec: Record<string, unknown>): TestObject => ({
  kind: 'PodDisruptionBudget',
  metadata: { name: 'loop', namespace: 'climate' },
  spec: { selector: { matchLabels: { app: 'loop' } }, ...spec },
})

function run(
  objects: readonly TestObject[],
  nodes: readonly string[],
  options: DrainOptions = {},
  how = drain,
) {
  const read = readWorld(objects)
  if (!read.ok) throw new Error(read.says)
  const drainRead = how(read.world, nodes, options)
  if (!drainRead.ok) throw new Error(drainRead.says)
  return drainRead.drain
}

const three = [node('n1'), node('n2'), node('n3')]

describe('draining a node', () => {
  it('moves its pods in order, with the time each takes to be ready', () => {
    const drain = run([...three, set(2), owned('b', 'n1'), owned('a', 'n1')], ['n1'])
    expect(drain.evictions.map(({ pod: key, to }) => [key, to])).toEqual([
      ['climate/a', 'n2'],
      ['climate/b', 'n3'],
    ])
    expect(drain.waves).toEqual([{ nodes: ['n1'], seconds: 40 }])
    expect(drain.seconds).toBe(40)
  })

  it('leaves what a DaemonSet or the node itself runs', () => {
    const mirror = {
      ...owned('m', 'n1'),
      metadata: {
        name: 'm',
        namespace: 'climate',
        annotations: { 'kubernetes.io/config.mirror': 'x' },
      },
    }
    expect(
      run([...three, owned('d', 'n1', { kind: 'DaemonSet' }), mirror], ['n1']).evictions,
    ).toEqual([])
  })

  it('never onto a node that is itself drained', () => {
    const drain = run([...three, set(2), owned('a', 'n1'), owned('b', 'n2')], ['n1', 'n2'])
    expect(drain.evictions.map(({ to }) => to)).toEqual(['n3', 'n3'])
    expect(drain.waves.map((wave) => wave.nodes)).toEqual([['n1'], ['n2']])
  })

  it.each<[string, Record<string, unknown>, number, RegExp | null]>([
    [
      'a budget that can never allow one',
      { minAvailable: 3 },
      3,
      /can never let one go: it asks for 3 healthy of 3/,
    ],
    ['a percentage that rounds up to all', { minAvailable: '67%' }, 3, /can never let one go/],
    ['a share that leaves one', { minAvailable: '66%' }, 3, null],
    ['most unavailable, rounded up', { maxUnavailable: '1%' }, 3, null],
    [
      'replicas the owner asks for and that are not there',
      { minAvailable: 3 },
      4,
      /asks for 3 healthy; 3 of 4 are/,
    ],
  ])('%s', (_name, spec, replicas, says) => {
    const drain = run(
      [...three, set(replicas), budget(spec), owned('a', 'n1'), owned('b', 'n2'), owned('c', 'n3')],
      ['n1'],
    )
    if (says) expect(drain.blocked[0]?.says).toMatch(says)
    else expect(drain.evictions).toHaveLength(1)
  })

  it('is ready again before the next one goes, so a budget for one at a time lets all go', () => {
    const drain = run(
      [...three, set(2), budget({ maxUnavailable: 1 }), owned('a', 'n1'), owned('b', 'n1')],
      ['n1'],
    )
    expect(drain.evictions).toHaveLength(2)
  })

  it('never evicts a pod under two budgets', () => {
    const second = {
      ...budget({ maxUnavailable: 1 }),
      metadata: { name: 'other', namespace: 'climate' },
    }
    expect(
      run(
        [
          ...three,
          set(2),
          budget({ maxUnavailable: 1 }),
          second,
          owned('a', 'n1'),
          owned('b', 'n2'),
        ],
        ['n1'],
      ).blocked[0]?.says,
    ).toContain('2 disruption budgets')
  })

  it('holds a pod that is not ready only while too few others are healthy', () => {
    const sick = owned('a', 'n1', {
      status: { phase: 'Running', conditions: [{ type: 'Ready', status: 'False' }] },
    })
    const others = [owned('b', 'n2'), owned('c', 'n3')]
    expect(
      run([...three, set(3), budget({ minAvailable: 2 }), sick, ...others], ['n1']).blocked,
    ).toEqual([])
    expect(
      run([...three, set(3), budget({ minAvailable: 3 }), sick, ...others], ['n1']).blocked,
    ).toHaveLength(1)
    expect(
      run(
        [
          ...three,
          set(3),
          budget({ minAvailable: 3, unhealthyPodEvictionPolicy: 'AlwaysAllow' }),
          sick,
          ...others,
        ],
        ['n1'],
      ).blocked,
    ).toEqual([])
  })

  it('names a pod that nothing would make anew, local data, and a path that stays', () => {
    const alone = pod('climate/alone', { on: 'n1', status: ready })
    const data = owned('data', 'n1', { spec: { volumes: [{ name: 'scratch', emptyDir: {} }] } })
    const path = owned('path', 'n1', {
      spec: { volumes: [{ name: 'h', hostPath: { path: '/var/log' } }] },
    })
    const drain = run([...three, set(2), alone, data, path], ['n1'])
    expect(drain.blocked.map(({ pod: key }) => key)).toEqual(['climate/alone', 'climate/data'])
    expect(drain.cautions).toEqual([
      {
        pod: 'climate/path',
        code: 'host-path-stays',
        params: { paths: ['/var/log'], from: 'n1' },
        says: 'What it keeps at /var/log stays on n1.',
      },
    ])
    expect(run([...three, set(2), data], ['n1'], { allowLocalData: true }).blocked).toEqual([])
  })

  it('says why nothing else takes a pod, and leaves it where it is', () => {
    const drain = run([node('n1'), node('n2', { cpu: '500m' }), set(1), owned('a', 'n1')], ['n1'])
    expect(drain.blocked).toEqual([
      {
        pod: 'climate/a',
        code: 'no-room',
        params: { reasons: '1 is short of cpu' },
        says: 'No other node takes it: 1 is short of cpu.',
        noRoom: {
          tally: { cpu: 1 },
          asks: { cpuMilli: 1000, memoryBytes: 0 },
          usable: { nodes: 1, cpuMilli: 500, memoryBytes: 8 * 2 ** 30 },
        },
      },
    ])
  })

  it('uses the nodes of a surge when those that stand do not do', () => {
    const drain = run([node('n1'), set(1), owned('a', 'n1')], ['n1'], { surge: 1, unavailable: 0 })
    expect(drain.evictions.map(({ to }) => to)).toEqual(['n1-more-1'])
  })
})

describe('waves', () => {
  const ten = Array.from({ length: 10 }, (_, i) => node(`n${i}`))
  const names = ten.map((object) => String(object.metadata['name']))
  it.each<[DrainOptions, readonly number[]]>([
    [{}, [1, 1, 1, 1, 1, 1, 1, 1, 1, 1]],
    [{ surge: '25%', unavailable: 0 }, [3, 3, 3, 1]],
    [{ surge: 0, unavailable: '25%' }, [2, 2, 2, 2, 2]],
    [{ surge: 2, unavailable: 2 }, [4, 4, 2]],
  ])('%j are %j', (options, expected) =>
    expect(run(ten, names, options).waves.map((wave) => wave.nodes.length)).toEqual(expected),
  )

  it.each<[DrainOptions, readonly string[], string]>([
    [{ surge: 0, unavailable: 0 }, ['n1'], 'options.unavailable'],
    [{ surge: 0, unavailable: '5%' }, ['n1'], 'options.unavailable'],
    [{ surge: 'some' }, ['n1'], 'options.surge'],
    [{}, ['n99'], 'nodes[0]'],
    [{}, [], 'nodes'],
  ])('%j of %j is wrong at %s', (options, nodes, path) => {
    const read = readWorld(ten)
    const drainRead = read.ok ? drain(read.world, nodes, options) : null
    expect(drainRead?.ok === false && drainRead.path).toBe(path)
  })
})

describe('turning a pool over', () => {
  it('uses nodes again once they have been replaced', () => {
    const world = [
      node('n1', { cpu: '2' }),
      node('n2', { cpu: '2' }),
      set(3),
      owned('a', 'n1'),
      owned('b', 'n1'),
      owned('c', 'n2'),
    ]
    // One by one there is no room for both pods of n1 beside c; with one more node there is.
    expect(run(world, ['n1', 'n2'], {}, turnOver).blocked[0]?.pod).toBe('climate/b')
    const drain = run(world, ['n1', 'n2'], { surge: 1, unavailable: 0 }, turnOver)
    expect(drain.blocked).toEqual([])
    expect(
      drain.evictions
        .filter(({ from }) => from === 'n2')
        .every(({ to }) => to === 'n1' || to === 'n1-more-1'),
    ).toBe(true)
  })
})
