import fc from 'fast-check'
import { describe, expect, it } from 'vitest'
import { fernlet } from '~/core/testing/drafts'
import { apiForAll } from '../testing/api-server'
import { everyRule, soundBodies } from '../testing/bodies'
import { damaged } from '../testing/damaged'
import { routes } from './routes'

let base: string
let errors: readonly unknown[]
apiForAll((served) => ({ base, errors } = served))

interface Sent {
  readonly status: number
  readonly json: {
    readonly error?: {
      readonly code: string
      readonly says: string
      readonly fields: readonly { readonly path: string; readonly says: string }[]
    }
  } & Record<string, unknown>
}

async function send(
  method: string,
  path: string,
  body?: string,
  headers: Record<string, string> = {},
): Promise<Sent> {
  const response = await fetch(base + path, {
    method: method.toUpperCase(),
    headers: { 'Content-Type': 'application/json', ...headers },
    ...(body === undefined ? {} : { body }),
  })
  const text = await response.text()
  return {
    status: response.status,
    json: /json/.test(response.headers.get('content-type') ?? '')
      ? (JSON.parse(text) as Sent['json'])
      : {},
  }
}

const post = (path: string, body: unknown): Promise<Sent> =>
  send('post', path, JSON.stringify(body))

/** Anything but a 500; an error has its shape, its reason, and no trace of the program. */
function wellAnswered({ status, json }: Sent): void {
  expect(status).toBeLessThan(500)
  expect(errors).toEqual([])
  if (status < 400) return
  expect(['invalid', 'not-found', 'conflict', 'too-large', 'forbidden']).toContain(json.error?.code)
  expect(json.error?.says.length).toBeGreaterThan(5)
  expect(JSON.stringify(json)).not.toMatch(/node_modules|\.ts:\d|at Object\./)
}

const withBody = routes.filter((route) => route.body !== undefined)

describe('malformed bodies', () => {
  it.each(withBody.map((route) => [`${route.method} ${route.path}`, route] as const))(
    'sent to %s are answered with the field and the reason',
    async (_name, route) => {
      const drafted = await post('/changes', { kind: 'cluster.raise', intent: fernlet })
      const path = route.path.replace(':id', String(drafted.json['id']))
      const headers = { 'If-Match': '*' }
      const body = soundBodies[route.path] ?? {}
      await fc.assert(
        fc.asyncProperty(fc.oneof(damaged(body), damaged(body), fc.jsonValue()), async (wrong) => {
          // A clock that really runs for a month would be a test of patience.
          if (
            route.path === '/clock' &&
            typeof wrong === 'object' &&
            wrong !== null &&
            'advanceSeconds' in wrong &&
            typeof wrong.advanceSeconds === 'number' &&
            wrong.advanceSeconds > 100
          )
            return
          wellAnswered(await send(route.method, path, JSON.stringify(wrong), headers))
        }),
        { numRuns: 60 },
      )
      for (const text of ['', '{', 'null', '"text"', '[[[', '{"a":}', '\u0000'])
        wellAnswered(await send(route.method, path, text, headers))
    },
  )

  it('name the field', async () => {
    const answer = await post('/changes', {
      kind: 'cluster.raise',
      intent: { ...fernlet, pools: [{ name: 'general', size: 'reed-2-8', count: 'two' }] },
    })
    expect(answer.status).toBe(400)
    expect(answer.json.error?.fields[0]?.path).toBe('intent.pools[0].count')
    const unknown = await post('/changes', {
      kind: 'cluster.raise',
      intent: { ...fernlet, colour: 'green' },
    })
    expect(unknown.json.error?.fields[0]?.path).toBe('intent.colour')
  })

  it('over 8 MiB are too large, and of an unknown kind refused with those known', async () => {
    expect(
      (await send('post', '/changes', `{"kind":"${'x'.repeat(9 * 1024 * 1024)}"}`)).status,
    ).toBe(413)
    const answer = await post('/changes', { kind: 'cluster.grow', intent: {} })
    expect(answer.status).toBe(400)
    expect(answer.json.error?.says).toContain('cluster.raise')
  })
})

describe('odd addresses', () => {
  it.each(
    routes
      .filter((route) => route.path.includes(':'))
      .map((route) => [`${route.method} ${route.path}`, route] as const),
  )('of %s are answered', async (_name, route) => {
    await fc.assert(
      fc.asyncProperty(
        fc.oneof(
          fc.string({ minLength: 1, maxLength: 60 }),
          fc.constantFrom(
            'c-0',
            'c-99999999999999999999',
            'c--1',
            '..',
            '%',
            '%00',
            '__proto__',
            'constructor',
          ),
        ),
        async (odd) => {
          const path = route.path.replace(/:\w+/, () =>
            odd.startsWith('%') ? odd : encodeURIComponent(odd),
          )
          wellAnswered(
            await send(route.method, path, route.method === 'get' ? undefined : '{}', {
              'If-Match': '"1"',
            }),
          )
        },
      ),
      { numRuns: 25 },
    )
  })

  it('and queries that are none are refused or ignored', async () => {
    for (const query of [
      '?after=x',
      '?after=-1',
      '?limit=1e9',
      '?after=1&after=2',
      '?limit=0',
      '?after[]=1',
    ])
      wellAnswered(await send('get', `/events${query}`))
    wellAnswered(await send('get', '/clusters/cedar/objects?kind[]=a&namespace=%00'))
    expect((await send('get', '/nothing')).status).toBe(404)
    expect((await send('post', '/compute/fortune', '{}')).status).toBe(404)
  })
})

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
