import { describe, expect, it } from 'vitest'
import { applyPatch, type Operation } from 'fast-json-patch'
import { place, readWorld, type PlacementOptions } from '.'
import { placePlainly } from './testing/plain'
import { node, pod, randomWorld, type TestObject } from './testing/worlds'

function placement(objects: readonly TestObject[], options: PlacementOptions = {}) {
  const read = readWorld(objects)
  if (!read.ok) throw new Error(`${read.path}: ${read.says}`)
  return place(read.world, options)
}

describe('placement', () => {
  it('is what the plain implementation says, on 400 random worlds', () => {
    let places = 0
    let waits = 0
    for (let seed = 1; seed <= 400; seed++) {
      const objects = randomWorld(seed)
      const placed = placement(objects, { remedies: false })
      const plain = placePlainly(objects)
      expect({
        seed,
        placed: placed.placed,
        waiting: placed.waiting.map(({ pod: key, tally }) => ({ pod: key, tally })),
      }).toEqual({ seed, placed: plain.placed, waiting: plain.waiting })
      places += placed.placed.length
      waits += placed.waiting.length
    }
    // The worlds are no easy ones: both happen often.
    expect(places).toBeGreaterThan(800)
    expect(waits).toBeGreaterThan(400)
  })

  it('proves every remedy: with it applied, the pod alone finds a place on the state at its turn', () => {
    const kinds = new Set<string>()
    for (let seed = 1; seed <= 150; seed++) {
      const objects = randomWorld(seed)
      const placed = placement(objects)
      const turns = placed.placed.length
      for (const waiting of placed.waiting) {
        for (const remedy of waiting.remedies) {
          kinds.add(remedy.kind)
          const { newDocument } = applyPatch(
            { objects: structuredClone(objects) },
            structuredClone(remedy.patch) as Operation[],
          )
          const patched = newDocument.objects as TestObject[]
          // The state at its turn: what stood, and what was placed before it. Nothing else waits.
          const priorityOf = (key: string): number =>
            Number(
              (
                objects.find(
                  (object) =>
                    `${String(object.metadata['namespace'])}/${String(object.metadata['name'])}` ===
                    key,
                )?.['spec'] as { priority?: number } | undefined
              )?.priority ?? 0,
            )
          const before = new Map(
            placed.placed
              .filter(({ pod: key }) => priorityOf(key) > priorityOf(waiting.pod))
              .map(({ pod: key, node: name }) => [key, name]),
          )
          const alone = patched.flatMap((object) => {
            const key = `${String(object.metadata['namespace'])}/${String(object.metadata['name'])}`
            if (
              object.kind !== 'Pod' ||
              (object['spec'] as { nodeName?: string }).nodeName !== undefined ||
              key === waiting.pod
            )
              return [object]
            const on = before.get(key)
            return on === undefined
              ? []
              : [{ ...object, spec: { ...(object['spec'] as object), nodeName: on } }]
          })
          // Pods of the same priority may come before or after: then the proof was on a fuller state, and must hold on at least this one unless pods must be near.
          const spec = JSON.stringify(
            objects.find((object) => object.metadata['name'] === waiting.pod.split('/')[1])?.[
              'spec'
            ],
          )
          if (turns > 0 && /affinity|topologySpread/.test(spec + JSON.stringify(objects))) continue
          expect({
            seed,
            says: remedy.says,
            waiting: placement(alone, { remedies: false }).waiting.map(
              (waitingAnswer) => waitingAnswer.pod,
            ),
          }).toEqual({ seed, says: remedy.says, waiting: [] })
        }
      }
    }
    expect([...kinds].sort()).toEqual([
      'node',
      'request',
      'selector',
      'spread',
      'toleration',
      'uncordon',
    ])
  })

  it('tells the story of the ledger: what is short, and the smallest way out', () => {
    const general = [900, 900, 900, 1400, 1700, 1900].map((free, i) => [
      node(`general-${i}`, {
        cpu: '8',
        memory: '32Gi',
        labels: { 'gyrarch/pool': 'general', 'node.kubernetes.io/instance-type': 'rack-8' },
      }),
      pod(`a/filler-${i}`, { cpu: `${8000 - free}m`, on: `general-${i}` }),
    ])
    const store = node('store-0', {
      cpu: '8',
      memory: '64Gi',
      labels: { 'gyrarch/pool': 'storage' },
      taints: [{ key: 'use', value: 'storage', effect: 'NoSchedule' }],
    })
    const ledger = pod('gathering/gathering-ledger-3', {
      spec: {
        containers: [
          { name: 'gathering-ledger', resources: { requests: { cpu: '2200m', memory: '8Gi' } } },
        ],
      },
    })
    const placed = placement([...general.flat(), store, ledger])
    expect(placed.waiting[0]?.tally).toEqual({ cpu: 6, taint: 1 })
    expect(placed.waiting[0]?.says).toBe(
      'None of 7 nodes takes it: 1 has a taint that it does not tolerate and 6 are short of cpu.',
    )
    expect(placed.waiting[0]?.remedies.map((remedy) => remedy.says)).toEqual([
      '300 m less CPU in `gathering-ledger`',
      'one more `rack-8` in `general`',
      'tolerate `use=storage`',
    ])
    expect(placed.waiting[0]?.remedies[0]?.patch).toEqual([
      { op: 'add', path: '/objects/13/spec/containers/0/resources/requests/cpu', value: '1900m' },
    ])
  })

  it.each<[string, readonly TestObject[], Readonly<Record<string, string>>]>([
    [
      'a missing request counts in scores',
      [node('n1'), node('n2'), pod('a', { on: 'n1' }), pod('b', { cpu: '10m', memory: '10Mi' })],
      { 'default/b': 'n2' },
    ],
    [
      'an emptier node wins, the lower name on a tie',
      [node('n2'), node('n1'), pod('b', { cpu: '1' }), pod('c', { cpu: '1' })],
      { 'default/b': 'n1', 'default/c': 'n2' },
    ],
    [
      'a list counts as its items',
      [{ kind: 'List', metadata: {}, items: [node('n1'), pod('b')] }],
      { 'default/b': 'n1' },
    ],
    [
      'a finished pod takes nothing',
      [
        node('n1', { cpu: '1' }),
        pod('old', { cpu: '1', on: 'n1', status: { phase: 'Succeeded' } }),
        pod('b', { cpu: '1' }),
      ],
      { 'default/b': 'n1' },
    ],
    [
      'a leaving pod still takes room',
      [
        node('n1', { cpu: '1' }),
        pod('old', { cpu: '1', on: 'n1', metadata: { deletionTimestamp: '2026-03-02T06:00:00Z' } }),
        pod('b', { cpu: '1' }),
      ],
      {},
    ],
    [
      'an init container is the larger of the two',
      [
        node('n1', { cpu: '1' }),
        pod('b', {
          spec: {
            containers: [{ resources: { requests: { cpu: '200m' } } }],
            initContainers: [
              { resources: { requests: { cpu: '900m' } } },
              { restartPolicy: 'Always', resources: { requests: { cpu: '300m' } } },
            ],
          },
        }),
      ],
      { 'default/b': 'n1' },
    ],
    [
      'a sidecar runs beside what starts after it',
      [
        node('n1', { cpu: '1' }),
        pod('b', {
          spec: {
            containers: [{ resources: { requests: { cpu: '200m' } } }],
            initContainers: [
              { restartPolicy: 'Always', resources: { requests: { cpu: '300m' } } },
              { resources: { requests: { cpu: '900m' } } },
            ],
          },
        }),
      ],
      {},
    ],
    [
      'limits stand in for requests',
      [
        node('n1', { cpu: '1' }),
        pod('b', { spec: { containers: [{ resources: { limits: { cpu: '2' } } }] } }),
      ],
      {},
    ],
    [
      'resources of the pod replace the sum',
      [
        node('n1', { cpu: '1' }),
        pod('b', {
          cpu: '4',
          spec: {
            containers: [{ resources: { requests: { cpu: '4' } } }],
            resources: { requests: { cpu: '1' } },
          },
        }),
      ],
      { 'default/b': 'n1' },
    ],
    [
      'two halves of a thousandth are one',
      [
        node('n1', { cpu: '1m' }),
        pod('b', {
          spec: {
            containers: [
              { resources: { requests: { cpu: '0.5m' } } },
              { resources: { requests: { cpu: '500u' } } },
            ],
          },
        }),
      ],
      { 'default/b': 'n1' },
    ],
    [
      'another scheduler’s pods are left out',
      [node('n1'), pod('b', { spec: { schedulerName: 'other', containers: [] } })],
      {},
    ],
    [
      'fields select by name',
      [
        node('n1'),
        node('n2'),
        pod('b', {
          spec: {
            containers: [],
            affinity: {
              nodeAffinity: {
                requiredDuringSchedulingIgnoredDuringExecution: {
                  nodeSelectorTerms: [
                    { matchFields: [{ key: 'metadata.name', operator: 'In', values: ['n2'] }] },
                  ],
                },
              },
            },
          },
        }),
      ],
      { 'default/b': 'n2' },
    ],
    [
      'a bound volume keeps its pod in its zone',
      [
        node('n1', { labels: { 'topology.kubernetes.io/zone': 'a' } }),
        node('n2', { labels: { 'topology.kubernetes.io/zone': 'b' } }),
        {
          kind: 'PersistentVolume',
          metadata: { name: 'v', labels: { 'topology.kubernetes.io/zone': 'b' } },
        },
        {
          kind: 'PersistentVolumeClaim',
          metadata: { name: 'c', namespace: 'default' },
          spec: { volumeName: 'v' },
        },
        pod('b', {
          spec: {
            containers: [],
            volumes: [{ name: 'd', persistentVolumeClaim: { claimName: 'c' } }],
          },
        }),
      ],
      { 'default/b': 'n2' },
    ],
    [
      'an unbound claim that binds at once has no node',
      [
        node('n1'),
        { kind: 'StorageClass', metadata: { name: 'slow' } },
        {
          kind: 'PersistentVolumeClaim',
          metadata: { name: 'c', namespace: 'default' },
          spec: { storageClassName: 'slow' },
        },
        pod('b', {
          spec: {
            containers: [],
            volumes: [{ name: 'd', persistentVolumeClaim: { claimName: 'c' } }],
          },
        }),
      ],
      {},
    ],
    [
      'a claim for one pod alone',
      [
        node('n1'),
        {
          kind: 'StorageClass',
          metadata: { name: 'wait' },
          volumeBindingMode: 'WaitForFirstConsumer',
        },
        {
          kind: 'PersistentVolumeClaim',
          metadata: { name: 'c', namespace: 'default' },
          spec: { storageClassName: 'wait', accessModes: ['ReadWriteOncePod'] },
        },
        ...['b', 'c'].map((name) =>
          pod(name, {
            spec: {
              containers: [],
              volumes: [{ name: 'd', persistentVolumeClaim: { claimName: 'c' } }],
            },
          }),
        ),
      ],
      { 'default/b': 'n1' },
    ],
    [
      'attach limits',
      [
        node('n1'),
        {
          kind: 'CSINode',
          metadata: { name: 'n1' },
          spec: { drivers: [{ name: 'disk', allocatable: { count: 1 } }] },
        },
        {
          kind: 'StorageClass',
          metadata: { name: 'wait' },
          provisioner: 'disk',
          volumeBindingMode: 'WaitForFirstConsumer',
        },
        ...['b', 'c'].flatMap((name) => [
          {
            kind: 'PersistentVolumeClaim',
            metadata: { name, namespace: 'default' },
            spec: { storageClassName: 'wait' },
          },
          pod(name, {
            spec: {
              containers: [],
              volumes: [{ name: 'd', persistentVolumeClaim: { claimName: name } }],
            },
          }),
        ]),
      ],
      { 'default/b': 'n1' },
    ],
  ])('%s', (_name, objects, expected) =>
    expect(
      Object.fromEntries(
        placement(objects).placed.map((placedAnswer) => [placedAnswer.pod, placedAnswer.node]),
      ),
    ).toEqual(expected),
  )

  it('leaves gated pods and says what they wait for', () => {
    const placed = placement([
      node('n1'),
      pod('b', { spec: { containers: [], schedulingGates: [{ name: 'paperwork' }] } }),
    ])
    expect(placed.waiting).toEqual([
      {
        pod: 'default/b',
        tally: {},
        code: 'gated',
        params: { gates: ['“paperwork”'] },
        says: 'gated: it waits until “paperwork” is taken off.',
        remedies: [],
      },
    ])
  })

  it('gives scores on request: all of an empty node but what the pod takes', () => {
    const placed = placement(
      [node('n1', { cpu: '1', memory: '1Gi' }), pod('b', { cpu: '500m', memory: '256Mi' })],
      { scores: true },
    )
    // Free (50 + 75) / 2, balance 100 × (1 − 0.25 / 2), spread 100 × 2, taints 100 × 3.
    expect(placed.placed[0]?.scores).toEqual({ n1: 62.5 + 87.5 + 200 + 300 })
  })

  describe('preemption', () => {
    const world = [
      node('n1', { cpu: '2' }),
      node('n2', { cpu: '2' }),
      pod('low-a', {
        cpu: '2',
        on: 'n1',
        spec: {
          nodeName: 'n1',
          priority: 5,
          containers: [{ resources: { requests: { cpu: '2' } } }],
        },
      }),
      pod('low-b', {
        on: 'n2',
        spec: {
          nodeName: 'n2',
          priority: 1,
          containers: [{ resources: { requests: { cpu: '1' } } }],
        },
      }),
      pod('low-c', {
        on: 'n2',
        spec: {
          nodeName: 'n2',
          priority: 1,
          containers: [{ resources: { requests: { cpu: '1' } } }],
        },
      }),
      pod('high', {
        spec: { priority: 10, containers: [{ resources: { requests: { cpu: '2' } } }] },
      }),
    ]
    it('is reported, not assumed', () => {
      const placed = placement(world)
      expect(placed.evicted).toEqual([])
      expect(placed.waiting[0]?.says).toContain(
        'Evicting default/low-b and default/low-c from n2 would make room.',
      )
    })
    it('takes the node whose most important victim matters least', () => {
      const placed = placement(world, { preempt: true })
      expect(placed.placed).toEqual([{ pod: 'default/high', node: 'n2' }])
      expect(placed.evicted).toEqual([
        { pod: 'default/low-b', for: 'default/high' },
        { pod: 'default/low-c', for: 'default/high' },
      ])
    })
    it('spares a budget first', () => {
      const labelled = world.map((object) =>
        object.metadata['name'] === 'low-b'
          ? {
              ...object,
              metadata: { ...object.metadata, labels: { app: 'kept' } },
              status: { phase: 'Running', conditions: [{ type: 'Ready', status: 'True' }] },
            }
          : object,
      )
      const budget = {
        kind: 'PodDisruptionBudget',
        metadata: { name: 'kept', namespace: 'default' },
        spec: { minAvailable: 1, selector: { matchLabels: { app: 'kept' } } },
      }
      expect(placement([...labelled, budget], { preempt: true }).placed).toEqual([
        { pod: 'default/high', node: 'n1' },
      ])
    })
    it('never preempts by a pod that says so', () => {
      const polite = world.map((object) =>
        object.metadata['name'] === 'high'
          ? { ...object, spec: { ...(object['spec'] as object), preemptionPolicy: 'Never' } }
          : object,
      )
      expect(placement(polite, { preempt: true }).evicted).toEqual([])
    })
  })

  it.each<[string, unknown[], string]>([
    ['no object', [7], 'objects[0]'],
    ['no kind', [{ metadata: {} }], 'objects[0].kind'],
    ['a quantity that is none', [node('n1', { cpu: 'four' })], 'objects[0].status.allocatable.cpu'],
    [
      'a request below 0',
      [node('n1'), pod('b', { cpu: '-1' })],
      'objects[1].spec.containers[0].resources.requests.cpu',
    ],
    ['the same node twice', [node('n1'), node('n1')], 'objects[1].metadata.name'],
    [
      'a field of the wrong type, in a list',
      [{ kind: 'List', items: [{ kind: 'Pod', metadata: { name: 4 } }] }],
      'objects[0].items[0].metadata.name',
    ],
  ])('names the field: %s', (_name, objects, path) => {
    const read = readWorld(objects)
    expect(read.ok ? null : read.path).toBe(path)
  })
})
