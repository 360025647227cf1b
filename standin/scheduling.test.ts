import { describe, expect, it } from 'vitest'
import { demoScenario } from '~/server/connectors/standin/demo'
import { buildWorld, objectsOf, probe, Simulator } from '.'
import { record } from '../core/objects'

const start = Date.parse('2026-03-02T06:00:00Z')

function fresh(
  more: { readonly loads?: ReturnType<typeof demoScenario>['loads'] } = {},
): Simulator {
  const sim = new Simulator(buildWorld({ ...demoScenario(), loads: more.loads ?? [] }, 7, 0), start)
  sim.begin()
  return sim
}

let nth = 0
function apply(sim: Simulator, cluster: string, ...objects: readonly Record<string, unknown>[]) {
  const key = `k${nth++}`
  sim.command(key, 'objects.apply', { cluster, objects, manager: 'test' })
  advance(sim, 60)
  return sim.lookup(key)
}
function advance(sim: Simulator, seconds: number): void {
  const until = sim.now + seconds * 1000
  while (sim.now < until) {
    sim.run(until)
    sim.drain()
  }
}

const pods = (sim: Simulator, cluster: string, app: string) =>
  (sim.cluster(cluster)?.running ?? []).filter((pod) => pod.workload === app)
const deployment = (
  name: string,
  replicas: number,
  pod: Record<string, unknown>,
  cpu = '500m',
) => ({
  apiVersion: 'apps/v1',
  kind: 'Deployment',
  metadata: { name, namespace: 'market' },
  spec: {
    replicas,
    selector: { matchLabels: { app: name } },
    template: {
      metadata: { labels: { app: name } },
      spec: {
        containers: [
          {
            name,
            image: 'registry.fernhollow.example/market/market-desk:2',
            resources: { requests: { cpu, memory: '256Mi' } },
          },
        ],
        ...pod,
      },
    },
  },
})
const priority = (name: string, value: number) => ({
  apiVersion: 'scheduling.k8s.io/v1',
  kind: 'PriorityClass',
  metadata: { name },
  value,
})
const claim = (name: string, storageClassName?: string) => ({
  apiVersion: 'v1',
  kind: 'PersistentVolumeClaim',
  metadata: { name, namespace: 'market' },
  spec: {
    accessModes: ['ReadWriteOnce'],
    resources: { requests: { storage: '20G' } },
    ...(storageClassName === undefined ? {} : { storageClassName }),
  },
})
const stored = (sim: Simulator, kind: string) =>
  (objectsOf(sim, 'dill', { kind }) ?? []).map((object) => ({
    name: record(object['metadata'])['name'],
    spec: record(object['spec']),
    status: record(object['status']),
  }))
const zoneOf = (sim: Simulator, node: string | null) =>
  sim.cluster('dill')?.nodes.find((candidate) => candidate.name === node)?.zone

describe('a claim larger than the store', () => {
  it('waits, and an event says why; a smaller one is bound with its first pod', () => {
    const sim = fresh()
    const claim = (name: string, storage: string) => ({
      apiVersion: 'v1',
      kind: 'PersistentVolumeClaim',
      metadata: { name, namespace: 'climate' },
      spec: { accessModes: ['ReadWriteOnce'], resources: { requests: { storage } } },
    })
    const using = (name: string) => ({
      ...deployment(name, 1, {
        volumes: [{ name: 'v', persistentVolumeClaim: { claimName: name } }],
      }),
      metadata: { name, namespace: 'climate' },
    })
    apply(
      sim,
      'cedar',
      claim('vast', '900Ti'),
      using('vast'),
      claim('small', '10Gi'),
      using('small'),
    )
    advance(sim, 200)
    const phases = objectsOf(sim, 'cedar', { kind: 'PersistentVolumeClaim', namespace: 'climate' })
      ?.map((object) => [
        (object['metadata'] as { name: string }).name,
        (object['status'] as { phase: string }).phase,
      ])
      .sort()
    expect(phases).toEqual([
      ['small', 'Bound'],
      ['vast', 'Pending'],
    ])
    expect(
      sim
        .cluster('cedar')
        ?.events.filter(({ reason }) => reason === 'ProvisioningFailed')
        .map(({ about }) => about),
    ).toEqual(['persistentvolumeclaim/climate/vast'])
  })
})

describe('a pod with scheduling gates', () => {
  it('is not placed, and takes nobody’s place, until its gates are taken away', () => {
    const sim = fresh()
    const gated = { schedulingGates: [{ name: 'fernhollow.example/paperwork' }] }
    apply(sim, 'bramble', deployment('desk', 1, gated))
    advance(sim, 300)
    expect(pods(sim, 'bramble', 'desk').map(({ node, waits }) => [node, waits])).toEqual([
      [null, 'its scheduling gates fernhollow.example/paperwork are not taken away'],
    ])
    apply(sim, 'bramble', deployment('desk', 1, {}))
    advance(sim, 300)
    expect(pods(sim, 'bramble', 'desk').map(({ phase }) => phase)).toEqual(['Running'])
  })
})

describe('priorities', () => {
  it('put out less important pods where there is no room, and only those', () => {
    const sim = fresh()
    apply(sim, 'dill', priority('soon', 1000), deployment('filler', 12, {}, '900m'))
    expect(pods(sim, 'dill', 'filler').some((pod) => pod.node === null)).toBe(true)
    const platform = (sim.cluster('dill')?.running ?? [])
      .filter((pod) => pod.namespace === 'platform')
      .map((pod) => pod.name)
    apply(sim, 'dill', deployment('urgent', 2, { priorityClassName: 'soon' }, '1200m'))
    expect(pods(sim, 'dill', 'urgent').map((pod) => pod.phase)).toEqual(['Running', 'Running'])
    expect(
      (sim.cluster('dill')?.running ?? [])
        .filter((pod) => pod.namespace === 'platform')
        .map((pod) => pod.name),
    ).toEqual(platform)
    expect(
      sim
        .cluster('dill')
        ?.events.some((event) => event.reason === 'Preempted' && event.about.includes('filler')),
    ).toBe(true)
    expect(pods(sim, 'dill', 'filler')).toHaveLength(12)
  })
  it('that never put others out wait like anybody', () => {
    const sim = fresh()
    apply(
      sim,
      'dill',
      { ...priority('patient', 1000), preemptionPolicy: 'Never' },
      deployment('filler', 12, {}, '900m'),
    )
    const before = pods(sim, 'dill', 'filler').filter((pod) => pod.node !== null).length
    apply(sim, 'dill', deployment('patient', 1, { priorityClassName: 'patient' }, '1200m'))
    expect(pods(sim, 'dill', 'patient')[0]?.node).toBe(null)
    expect(pods(sim, 'dill', 'filler').filter((pod) => pod.node !== null)).toHaveLength(before)
  })
})

describe('affinity', () => {
  const zone = (operator: string, ...values: string[]) => ({
    matchExpressions: [{ key: 'topology.kubernetes.io/zone', operator, values }],
  })
  it('keeps pods to the nodes whose labels it asks for, and prefers those it likes', () => {
    const sim = fresh()
    apply(
      sim,
      'dill',
      deployment(
        'strict',
        2,
        {
          affinity: {
            nodeAffinity: {
              requiredDuringSchedulingIgnoredDuringExecution: {
                nodeSelectorTerms: [zone('In', 'north-2')],
              },
            },
          },
        },
        '100m',
      ),
    )
    expect(pods(sim, 'dill', 'strict').map((pod) => zoneOf(sim, pod.node))).toEqual([
      'north-2',
      'north-2',
    ])
    apply(
      sim,
      'dill',
      deployment(
        'fond',
        1,
        {
          affinity: {
            nodeAffinity: {
              preferredDuringSchedulingIgnoredDuringExecution: [
                { weight: 50, preference: zone('NotIn', 'north-1') },
              ],
            },
          },
        },
        '100m',
      ),
    )
    expect(zoneOf(sim, pods(sim, 'dill', 'fond')[0]?.node ?? null)).toBe('north-2')
    apply(
      sim,
      'dill',
      deployment(
        'nowhere',
        1,
        {
          affinity: {
            nodeAffinity: {
              requiredDuringSchedulingIgnoredDuringExecution: {
                nodeSelectorTerms: [zone('In', 'east-1')],
              },
            },
          },
        },
        '100m',
      ),
    )
    expect(pods(sim, 'dill', 'nowhere')[0]?.waits).toContain('node affinity')
  })
  it('of pods puts them together, the first one anywhere', () => {
    const sim = fresh()
    const together = {
      affinity: {
        podAffinity: {
          requiredDuringSchedulingIgnoredDuringExecution: [
            {
              topologyKey: 'kubernetes.io/hostname',
              labelSelector: { matchLabels: { app: 'swarm' } },
            },
          ],
        },
      },
    }
    apply(sim, 'dill', deployment('swarm', 3, together, '50m'))
    expect(new Set(pods(sim, 'dill', 'swarm').map((pod) => pod.node)).size).toBe(1)
    expect(pods(sim, 'dill', 'swarm')[0]?.node).not.toBe(null)
  })
})

describe('claims', () => {
  it('that wait for their first pod are bound in its zone, keep it there, and take a disk of the site', () => {
    const sim = fresh()
    apply(sim, 'dill', claim('seeds'))
    expect(stored(sim, 'PersistentVolumeClaim')[0]?.spec['volumeName']).toBeUndefined()
    const with_ = { volumes: [{ name: 'd', persistentVolumeClaim: { claimName: 'seeds' } }] }
    apply(sim, 'dill', deployment('keeper', 1, with_, '100m'))
    const bound = stored(sim, 'PersistentVolumeClaim')[0]
    expect(bound).toMatchObject({
      status: { phase: 'Bound' },
      spec: { storageClassName: 'cloud-disk' },
    })
    const zone = zoneOf(sim, pods(sim, 'dill', 'keeper')[0]?.node ?? null)
    expect(
      sim.site('tarn-north')?.disks.find((disk) => disk.name === bound?.spec['volumeName']),
    ).toMatchObject({ sizeGb: 20, cluster: 'dill', zone })
    apply(
      sim,
      'dill',
      deployment(
        'other',
        1,
        {
          ...with_,
          nodeSelector: {
            'topology.kubernetes.io/zone': zone === 'north-1' ? 'north-2' : 'north-1',
          },
        },
        '100m',
      ),
    )
    expect(pods(sim, 'dill', 'other')[0]?.waits).toContain('volume node affinity')
    sim.command('gone', 'objects.remove', { cluster: 'dill', objects: [claim('seeds')] })
    advance(sim, 30)
    expect(stored(sim, 'PersistentVolume')).toEqual([])
    expect(
      sim.site('tarn-north')?.disks.some((disk) => disk.name === bound?.spec['volumeName']),
    ).toBe(false)
  })
  it('of an immediate class are bound at once; of no class, or missing, they hold their pod up', () => {
    const sim = fresh()
    apply(
      sim,
      'dill',
      {
        apiVersion: 'storage.k8s.io/v1',
        kind: 'StorageClass',
        metadata: { name: 'now' },
        volumeBindingMode: 'Immediate',
      },
      claim('early', 'now'),
      claim('lost', 'nothing'),
    )
    expect(
      stored(sim, 'PersistentVolumeClaim').map((entry) => [entry.name, entry.status['phase']]),
    ).toEqual([
      ['early', 'Bound'],
      ['lost', 'Pending'],
    ])
    apply(
      sim,
      'dill',
      deployment(
        'hopeless',
        1,
        { volumes: [{ name: 'd', persistentVolumeClaim: { claimName: 'lost' } }] },
        '100m',
      ),
      deployment(
        'blind',
        1,
        { volumes: [{ name: 'd', persistentVolumeClaim: { claimName: 'missing' } }] },
        '100m',
      ),
    )
    expect(pods(sim, 'dill', 'hopeless')[0]?.waits).toContain(
      'pod has unbound immediate PersistentVolumeClaims',
    )
    expect(pods(sim, 'dill', 'blind')[0]?.waits).toContain(
      'persistentvolumeclaim "missing" not found',
    )
  })
  it('of a stateful workload are made for each of its pods and outlive them', () => {
    const sim = fresh()
    const set = (replicas: number) => ({
      ...deployment('shelf', replicas, {}, '100m'),
      kind: 'StatefulSet',
      spec: {
        ...deployment('shelf', replicas, {}, '100m').spec,
        serviceName: 'shelf',
        volumeClaimTemplates: [{ metadata: { name: 'data' }, spec: claim('x').spec }],
      },
    })
    apply(sim, 'dill', set(2))
    advance(sim, 120)
    expect(
      stored(sim, 'PersistentVolumeClaim').map((entry) => [entry.name, entry.status['phase']]),
    ).toEqual([
      ['data-shelf-0', 'Bound'],
      ['data-shelf-1', 'Bound'],
    ])
    apply(sim, 'dill', set(1))
    advance(sim, 60)
    expect(pods(sim, 'dill', 'shelf')).toHaveLength(1)
    expect(stored(sim, 'PersistentVolumeClaim')).toHaveLength(2)
  })
})

describe('replicas that follow load', () => {
  const loads = [
    {
      cluster: 'bramble',
      workload: 'climate/sensor-intake',
      points: [
        [0, 400],
        [390, 400],
        [391, 1600],
        [600, 1600],
        [601, 400],
      ] as [number, number][],
    },
  ]
  const replicas = (sim: Simulator) =>
    sim.cluster('bramble')?.workloads.find((workload) => workload.name === 'sensor-intake')
      ?.replicas ?? 0
  const scaler = (spec: Record<string, unknown>) => ({
    apiVersion: 'autoscaling/v2',
    kind: 'HorizontalPodAutoscaler',
    metadata: { name: 'sensor-intake', namespace: 'climate' },
    spec: {
      scaleTargetRef: { apiVersion: 'apps/v1', kind: 'Deployment', name: 'sensor-intake' },
      minReplicas: 3,
      maxReplicas: 16,
      ...spec,
    },
  })
  const perSecond = (averageValue: string) => ({
    type: 'Pods',
    pods: {
      metric: { name: 'requests-per-second' },
      target: { type: 'AverageValue', averageValue },
    },
  })
  /** In place of the one that came with the scenario. */
  const instead = (sim: Simulator, spec: Record<string, unknown>) => {
    sim.command(`old${nth++}`, 'objects.remove', { cluster: 'bramble', objects: [scaler({})] })
    advance(sim, 10)
    apply(sim, 'bramble', scaler(spec))
  }
  const history = (sim: Simulator, minutes: number) => {
    const seen: number[] = []
    for (let i = 0; i < minutes; i++) {
      advance(sim, 60)
      seen.push(replicas(sim))
    }
    return seen
  }
  it('go up by one a minute and down by one in five where their rules say so', () => {
    const sim = fresh({ loads })
    instead(sim, {
      metrics: [perSecond('120')],
      behavior: {
        scaleUp: { policies: [{ type: 'Pods', value: 1, periodSeconds: 60 }] },
        scaleDown: {
          stabilizationWindowSeconds: 0,
          policies: [{ type: 'Pods', value: 1, periodSeconds: 300 }],
        },
      },
    })
    advance(sim, 28 * 60)
    const before = replicas(sim)
    const up = history(sim, 16)
    for (const [i, count] of up.entries())
      expect(count - (up[i - 1] ?? before)).toBeLessThanOrEqual(1)
    // 1,600 over 13 is within a tenth of 120.
    expect(up.at(-1)).toBe(13)
    advance(sim, (601 - 360 - 28 - 16) * 60)
    const down = history(sim, 20)
    expect(13 - (down.at(-1) ?? 0)).toBeGreaterThanOrEqual(4)
    expect(13 - (down.at(-1) ?? 0)).toBeLessThanOrEqual(5)
  })
  it('take the most of several metrics, CPU use among them', () => {
    const sim = fresh({ loads })
    instead(sim, {
      metrics: [
        perSecond('400'),
        {
          type: 'Resource',
          resource: { name: 'cpu', target: { type: 'Utilization', averageUtilization: 30 } },
        },
      ],
    })
    advance(sim, 60 * 60)
    const both = replicas(sim)
    const simulator = fresh({ loads })
    instead(simulator, { metrics: [perSecond('400')] })
    advance(simulator, 60 * 60)
    expect(replicas(simulator)).toBe(4)
    expect(both).toBeGreaterThan(4)
  })
  it('stay where scaling down is switched off', () => {
    const sim = fresh({ loads })
    instead(sim, {
      metrics: [perSecond('120')],
      behavior: { scaleDown: { selectPolicy: 'Disabled' } },
    })
    advance(sim, 300 * 60)
    expect(replicas(sim)).toBe(14)
  })
})

describe('what a namespace allows', () => {
  const namespace = (annotations: Record<string, string>) => ({
    apiVersion: 'v1',
    kind: 'Namespace',
    metadata: { name: 'market', annotations },
  })
  it('keeps its pods to machines of the sizes named', () => {
    const sim = fresh()
    apply(
      sim,
      'dill',
      namespace({ 'gyrarch/machine-sizes': 'reed-2-8' }),
      deployment('kept', 1, {}, '100m'),
    )
    expect(pods(sim, 'dill', 'kept')[0]?.waits).toContain('node affinity')
    apply(
      sim,
      'dill',
      namespace({ 'gyrarch/machine-sizes': 'reed-2-8, reed-4-16' }),
      deployment('kept', 1, {}, '100m'),
    )
    expect(pods(sim, 'dill', 'kept')[0]?.phase).toBe('Running')
  })
  it('refuses claims of other storage classes', () => {
    const sim = fresh()
    apply(sim, 'dill', namespace({ 'gyrarch/storage-classes': 'cloud-disk' }))
    expect(apply(sim, 'dill', claim('fast', 'cloud-disk-fast'))?.failure).toMatchObject({
      reason: 'class-forbidden',
    })
    expect(apply(sim, 'dill', claim('plain'))?.failure).toBeNull()
  })
})

describe('probes from inside a pod', () => {
  const ask = (
    sim: Simulator,
    app: string,
    target: string,
    kind: 'connect' | 'look-up' = 'connect',
  ) => {
    const pod = (sim.cluster('bramble')?.running ?? []).find((pod) => pod.workload === app)
    return probe(sim, 'bramble', `${pod?.namespace ?? ''}/${pod?.name ?? ''}`, kind, target)
  }
  it('go the way of packets: refused by a partner that knows pods alone, and let through once sources are kept', () => {
    const sim = fresh()
    expect(ask(sim, 'climate-loop', 'bureau.fernhollow.example', 'look-up')?.lines[0]).toBe(
      'bureau.fernhollow.example is 10.88.4.20',
    )
    expect(ask(sim, 'climate-loop', 'bureau.fernhollow.example:8443')).toMatchObject({
      good: false,
      lines: ['bureau.fernhollow.example is 10.88.4.20', 'connection to 10.88.4.20:8443 refused'],
    })
    sim.command('keep', 'keepsource.set', { cluster: 'bramble', ranges: ['10.88.4.20/32'] })
    advance(sim, 30)
    expect(ask(sim, 'climate-loop', 'bureau.fernhollow.example:8443')?.good).toBe(true)
  })
  it('time out where a policy stands between', () => {
    const sim = fresh()
    expect(ask(sim, 'broker-bot', 'ledger-view')?.good).toBe(true)
    apply(sim, 'bramble', {
      apiVersion: 'networking.k8s.io/v1',
      kind: 'NetworkPolicy',
      metadata: { name: 'shut', namespace: 'market' },
      spec: { podSelector: { matchLabels: { app: 'ledger-view' } } },
    })
    expect(ask(sim, 'broker-bot', 'ledger-view')?.lines.at(-1)).toMatch(/timed out after 5 s$/)
  })
})
