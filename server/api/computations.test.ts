import { describe, expect, it } from 'vitest'
import { askingForAll } from '../testing/asking'
import { everyRule, soundBodies } from '../testing/bodies'

const { post } = askingForAll()

describe('computations', () => {
  it.each([
    [
      'allocatable',
      { cpu: '4', memory: '16Gi' },
      {
        cpuMilli: 3920,
        memoryBytes: 14_283_282_841,
        reserved: { cpuMilli: 80, memoryBytes: 2_896_586_343 },
      },
    ],
    [
      'quorum',
      { zones: [2, 1] },
      { members: 3, tolerates: 1, survivesZoneLoss: [false, true], finding: null },
    ],
    [
      'cluster-ranges',
      { pods: '10.130.0.0/18', maxPodsPerNode: 110, services: '10.131.0.0/20' },
      {
        perNodePrefix: 24,
        maxNodes: 64,
        services: 4094,
        apiAddress: '10.131.0.1',
        dnsAddress: '10.131.0.10',
      },
    ],
    [
      'cluster-ranges',
      { pods: 'fd00::/32', maxPodsPerNode: 110, services: 'fd01::/64' },
      {
        perNodePrefix: 120,
        maxNodes: (2n ** 88n).toString(),
        services: (2n ** 64n - 1n).toString(),
        apiAddress: 'fd01::1',
        dnsAddress: 'fd01::a',
      },
    ],
    [
      'address-carve',
      {
        within: '10.44.0.0/20',
        taken: ['10.44.0.0/22', '10.44.4.0/22', '10.44.8.0/22'],
        prefixes: [24, 22, 21],
      },
      {
        blocks: [{ prefix: 22, block: '10.44.12.0/22' }],
        unfit: [
          { prefix: 24, largestFree: null, move: ['10.44.0.0/22'] },
          { prefix: 21, largestFree: '10.44.12.0/22', move: ['10.44.8.0/22'] },
        ],
      },
    ],
    [
      'address-overlaps',
      {
        ranges: [
          { name: 'a', range: '10.0.0.0/24' },
          { name: 'b', range: '10.0.0.128 - 10.0.1.5' },
        ],
      },
      {
        overlaps: [{ a: 'a', b: 'b', first: '10.0.0.128', last: '10.0.0.255', count: '128' }],
        invalid: [],
      },
    ],
  ])('%s', async (name, body, expected) =>
    expect((await post(`/compute/${name}`, body)).json).toEqual(expected),
  )

  it.each([
    [
      'replicas',
      { current: 4, min: 2, max: 8, metrics: [{ name: 'requests', value: 180, target: 100 }] },
      {
        desired: 8,
        because: 'requests is 180 against a target of 100: 4 × 180 ÷ 100 rounds up to 8.',
      },
    ],
    [
      'rest-savings',
      {
        zone: 'Europe/Berlin',
        from: '2026-03-28T18:00:00Z',
        until: '2026-03-29T06:00:00Z',
        hourly: 2,
        windows: [{ days: ['sat'], stop: '20:00', start: '06:00' }],
      },
      { hours: 12, hoursRunning: 3, spendWithout: 24, spendWith: 6, saved: 18 },
    ],
    [
      'diagnose',
      {
        objects: [
          {
            kind: 'Node',
            metadata: { name: 'n1' },
            spec: { unschedulable: true },
            status: { conditions: [{ type: 'Ready', status: 'True' }] },
          },
        ],
        about: 'node/n1',
        now: '2026-03-02T06:00:00Z',
      },
      {
        symptom: 'n1 takes no pods as it should',
        causes: [
          {
            cause: 'cordoned',
            about: 'node/n1',
            share: 1,
            says: 'n1: it was closed for new pods',
            chain: [{ about: 'node/n1', says: 'unschedulable: true' }],
            because: [{ type: 'object', about: 'node/n1', at: null, text: 'unschedulable: true' }],
            remedies: [
              {
                says: 'Open n1 again: it takes pods then',
                patch: [{ op: 'replace', path: '/objects/0/spec/unschedulable', value: false }],
              },
            ],
          },
        ],
        ruledOut: [],
        next: null,
      },
    ],
    [
      'placement',
      { objects: [{ kind: 'Pod', metadata: { name: 'a' }, spec: {} }] },
      {
        placed: [],
        waiting: [
          {
            pod: 'default/a',
            tally: {},
            code: 'no-node-fits',
            params: { tally: 'There is no node.', victims: [], node: '' },
            says: 'There is no node.',
            remedies: [],
          },
        ],
        evicted: [],
        nodes: [],
      },
    ],
    [
      'drain',
      { objects: [everyRule[0], everyRule[6]], nodes: ['n1'] },
      {
        evictions: [],
        blocked: [
          {
            pod: 'field/standing',
            code: 'no-room',
            params: { reasons: '' },
            says: 'There is no other node.',
          },
        ],
        waves: [{ nodes: ['n1'], seconds: 0 }],
        seconds: 0,
      },
    ],
  ])('%s', async (name, body, expected) =>
    expect((await post(`/compute/${name}`, body)).json).toEqual(expected),
  )

  it.each([
    [
      'release-path',
      {
        path: null,
        nearest: '1.31.9',
        cutBy: [{ from: '1.31.9', to: '1.32.4', reason: 'it lost leases' }],
      },
    ],
    [
      'convert-manifests',
      {
        manifests:
          'apiVersion: batch/v1 # nightly\nkind: CronJob\nmetadata: {name: pruning-report}\n',
        converted: [
          {
            document: 0,
            kind: 'CronJob',
            name: 'pruning-report',
            from: 'batch/v1beta1',
            to: 'batch/v1',
            changes: [{ path: 'apiVersion', says: 'batch/v1beta1 becomes batch/v1' }],
          },
        ],
        left: [],
        later: [],
        unreadable: [],
      },
    ],
    [
      'removal-audit',
      {
        objects: 1,
        found: [
          {
            document: 0,
            line: 1,
            apiVersion: 'batch/v1beta1',
            kind: 'CronJob',
            namespace: 'gathering',
            name: 'pruning-report',
            removedIn: '1.25',
            gone: true,
            successor: 'batch/v1',
          },
        ],
        unreadable: [],
      },
    ],
    [
      'cluster-upgrade',
      {
        path: ['1.31.9', '1.32.6', '1.33.2'],
        steps: [
          { kind: 'add-on', name: 'rainfall', from: '1.0.3', to: '1.1.1' },
          { kind: 'control-plane', from: '1.31.9', to: '1.32.6' },
          { kind: 'control-plane', from: '1.32.6', to: '1.33.2' },
          { kind: 'turnover', pool: 'general', from: '1.31.9', to: '1.33.2' },
        ],
        problems: [],
      },
    ],
    [
      'lay-stages',
      {
        placed: [
          {
            name: 'alder',
            start: '2026-03-07T21:00:00.000Z',
            end: '2026-03-07T23:00:00.000Z',
          },
          {
            name: 'cedar',
            start: '2026-03-14T21:00:00.000Z',
            end: '2026-03-14T23:30:00.000Z',
          },
        ],
        unplaced: [],
      },
    ],
    [
      'shipment',
      {
        releases: ['1.32.4'],
        addOns: [{ name: 'rainfall', versions: ['1.1.0'] }],
        images: ['sha256:a', 'sha256:b'],
        held: [{ digest: 'sha256:c', why: 'unsigned', lack: ['rainfall 1.1.0'] }],
        bytes: 1020,
        diskBytes: 1173,
        fits: false,
        seconds: 11,
        drives: [
          {
            medium: 'drive',
            blobs: ['sha256:a', 'sha256:b', 'sha256:layer-a', 'sha256:layer-b'],
          },
        ],
        lowerBound: 1,
        unfit: [],
        problems: [],
      },
    ],
    [
      'replica-placement',
      {
        volumes: [
          {
            name: 'photos',
            replicas: [{ node: 'cedar-storage-1', disk: 'sda' }],
            short: 1,
            tally: { 'node-taken': 1 },
          },
        ],
        losses: ['cedar-storage-1/sda', 'cedar-storage-1', 'mossgate-a'].map((disk) => ({
          disk,
          lost: ['photos'],
          degraded: [],
          whole: true,
          copyBytes: 0,
          seconds: 0,
        })),
      },
    ],
  ])('%s', async (name, expected) => {
    const body = soundBodies[`/compute/${name}`]
    expect((await post(`/compute/${name}`, body)).json).toEqual(expected)
  })

  it('take bodies of more than 8 MiB where whole clusters are sent', async () => {
    const node = everyRule[0]
    const big = {
      objects: [
        node,
        { kind: 'Pod', metadata: { name: 'a', annotations: { note: 'x'.repeat(90_000) } } },
        ...Array.from({ length: 110 }, (_, i) => ({
          kind: 'ConfigMap',
          metadata: { name: `c${i}` },
          data: { text: 'x'.repeat(90_000) },
        })),
      ],
    }
    expect((await post('/compute/placement', big)).status).toBe(200)
  })

  it('refuse what is no input, with the field', async () => {
    expect((await post('/compute/quorum', { zones: [] })).json.error?.fields[0]?.path).toBe('zones')
    expect(
      (
        await post('/compute/cluster-ranges', {
          pods: '10.130.0.1/18',
          maxPodsPerNode: 110,
          services: '10.131.0.0/20',
        })
      ).json.error?.says,
    ).toContain('10.130.0.0/18')
    const night = {
      zone: 'Europe/Berlin',
      from: '2026-03-28T18:00:00Z',
      until: '2026-03-29T06:00:00Z',
      hourly: 2,
    }
    for (const [more, path] of [
      [{ zone: 'Europe/Fernhollow' }, 'zone'],
      [{ windows: [{ days: ['sat'], stop: '24:00', start: '06:00' }] }, 'windows[0].stop'],
      [{ windows: [{ days: ['sat'], stop: '06:00', start: '06:00' }] }, 'windows[0].start'],
      [{ until: '2026-03-01T00:00:00Z' }, 'until'],
    ] as const) {
      expect(
        (await post('/compute/rest-savings', { windows: [], ...night, ...more })).json.error
          ?.fields[0]?.path,
      ).toBe(path)
    }
    expect(
      (await post('/compute/replicas', { current: 1, min: 1, max: 2, metrics: [] })).json.error
        ?.fields[0]?.path,
    ).toBe('metrics')
    expect(
      (await post('/compute/placement', { objects: [{ kind: 'Pod', metadata: {} }] })).json.error
        ?.fields[0]?.path,
    ).toBe('objects[0].metadata.name')
    expect(
      (await post('/compute/allocatable', { cpu: 'four', memory: '1Gi' })).json.error?.fields[0]
        ?.path,
    ).toBe('cpu')
  })
})
