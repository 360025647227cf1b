import { describe, expect, it } from 'vitest'
import { demoScenario } from '~/server/connectors/standin/demo'
import { buildWorld, objectsOf, Simulator } from '.'
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
