import { describe, expect, it } from 'vitest'
import { demoScenario } from '../server/connectors/standin/demo'
import { objectsOf } from './report/objects'
import { buildWorld, Simulator, usage } from '.'
import type { Manifest, Pod } from './world'

const start = Date.parse('2026-03-02T06:00:00Z')

function opened() {
  const sim = new Simulator(buildWorld(demoScenario(), 20260302), start)
  let n = 0
  const run = (verb: string, args: Record<string, unknown>, seconds = 120) => {
    const key = `k${n++}`
    sim.command(key, verb, { cluster: 'dill', ...args })
    const until = sim.now + seconds * 1000
    while (sim.now < until) {
      sim.run(until)
      sim.drain()
    }
    return sim.lookup(key)
  }
  const dill = () => {
    const cluster = sim.cluster('dill')
    if (!cluster) throw new Error('no dill')
    return cluster
  }
  const pods = (name: string): readonly Pod[] =>
    dill().running.filter((pod) => pod.workload === name)
  return { sim, run, dill, pods }
}

const desk = (
  more: {
    replicas?: number
    image?: string
    cpu?: string
    extra?: Record<string, unknown>
    kind?: string
    namespace?: string
    spec?: Record<string, unknown>
  } = {},
): Manifest => ({
  apiVersion: 'apps/v1',
  kind: more.kind ?? 'Deployment',
  metadata: { name: 'market-desk', namespace: more.namespace ?? 'market' },
  spec: {
    replicas: more.replicas ?? 4,
    selector: { matchLabels: { app: 'market-desk' } },
    template: {
      metadata: { labels: { app: 'market-desk' } },
      spec: {
        containers: [
          {
            name: 'market-desk',
            image: `registry.fernhollow.example/market/market-desk:${more.image ?? '2'}`,
            resources: { requests: { cpu: more.cpu ?? '100m', memory: '128Mi' } },
          },
        ],
        ...more.extra,
      },
    },
    ...more.spec,
  },
})

describe('figures of use', () => {
  const samplesOf = (sim: Simulator): number | undefined =>
    usage(sim, 'dill')?.find((entry) => entry.workload === 'Deployment/market/lamp')?.cpuMilli
      .length

  it('are there only for what has run, from when it ran', () => {
    const { sim, run } = opened()
    const lamp = (extra = {}) => ({
      ...desk({ extra }),
      metadata: { name: 'lamp', namespace: 'market' },
    })
    run('objects.apply', { objects: [lamp({ nodeSelector: { lamp: 'lit' } })] }, 3600)
    expect(samplesOf(sim)).toBeUndefined()
    run('objects.apply', { objects: [lamp()] }, 1800)
    // Half an hour less the minutes in which its images were pulled: a sample every five minutes.
    expect(samplesOf(sim)).toBeGreaterThanOrEqual(5)
    expect(samplesOf(sim)).toBeLessThanOrEqual(6)
  })
})

describe('a Deployment', () => {
  it('rolls from one image to the next within its surge and what may be missing', () => {
    const { sim, run, pods } = opened()
    run('objects.apply', { objects: [desk()] }, 200)
    expect(pods('market-desk')).toHaveLength(4)
    sim.command('roll', 'objects.apply', {
      cluster: 'dill',
      objects: [desk({ image: '3' })],
      manager: 'gyrarch',
    })
    let max = 0
    let fewestReady = Infinity
    for (let i = 0; i < 300; i++) {
      sim.run(sim.now + 1000)
      sim.drain()
      max = Math.max(max, pods('market-desk').length)
      fewestReady = Math.min(
        fewestReady,
        pods('market-desk').filter((pod) => pod.phase === 'Running').length,
      )
    }
    // 25 % of 4 either way.
    expect({ most: max, fewestReady }).toEqual({ most: 5, fewestReady: 3 })
    const objects = objectsOf(sim, 'dill', { namespace: 'market' }) ?? []
    const images = objects
      .filter((object) => object['kind'] === 'Pod')
      .map((object) => (object['spec'] as { containers: { image: string }[] }).containers[0]?.image)
    expect(new Set(images)).toEqual(new Set(['registry.fernhollow.example/market/market-desk:3']))
    expect(
      objects
        .filter((object) => object['kind'] === 'ReplicaSet')
        .map((object) => (object['status'] as { replicas: number }).replicas),
    ).toEqual(expect.arrayContaining([4, 0]))
  })

  it('stops at its limit when the image is not there, and goes back whole', () => {
    const { run, pods, dill } = opened()
    run('objects.apply', { objects: [desk()] }, 200)
    const applied = run(
      'objects.apply',
      { objects: [desk({ image: '9' })], manager: 'gyrarch' },
      10,
    )
    const waited = run(
      'rollout.await',
      { kind: 'Deployment', namespace: 'market', name: 'market-desk' },
      900,
    )
    expect(waited?.failure?.reason).toBe('image-not-pulled')
    expect(waited?.failure?.chain.map((link) => link.about.split('/')[0])).toEqual([
      'image',
      'pod',
      'deployment',
    ])
    // One more than wanted may be made, one less may be ready: three old ones still serve.
    expect(pods('market-desk').filter((pod) => pod.phase === 'Running')).toHaveLength(3)
    expect(
      pods('market-desk').filter((pod) => pod.trouble?.reason === 'ImagePullBackOff'),
    ).toHaveLength(2)
    run('objects.put-back', { before: (applied?.result as { before: unknown }).before }, 60)
    expect(pods('market-desk').filter((pod) => pod.phase === 'Running')).toHaveLength(4)
    expect(
      dill()
        .workloads.find((workload) => workload.name === 'market-desk')
        ?.revisions?.at(-1)?.number,
    ).toBeGreaterThan(1)
  })
})

describe('writing to an API', () => {
  it('gives each field an owner, and refuses what another wrote meanwhile', () => {
    const { run, sim } = opened()
    run('objects.apply', { objects: [desk({ replicas: 2 })], manager: 'files' })
    const byHand: Manifest = {
      apiVersion: 'apps/v1',
      kind: 'Deployment',
      metadata: { name: 'market-desk', namespace: 'market' },
      spec: { replicas: 3 },
    }
    const first = run('objects.apply', { objects: [byHand], manager: 'hand' })
    expect(first?.failure?.reason).toBe('field-conflict')
    run('objects.apply', {
      objects: [byHand],
      manager: 'hand',
      force: ['Deployment/market/market-desk /spec/replicas'],
    })
    const again = run('objects.apply', { objects: [desk({ replicas: 2 })], manager: 'files' })
    expect(again?.failure?.says).toBe(
      'Deployment market-desk: spec.replicas was written by hand meanwhile.',
    )
    const live = (objectsOf(sim, 'dill', { kind: 'Deployment', namespace: 'market' }) ?? [])[0]
    expect((live?.['spec'] as { replicas: number }).replicas).toBe(3)
  })

  it('takes all objects or none', () => {
    const { run, dill } = opened()
    const failed = run('objects.apply', { objects: [desk(), desk({ namespace: 'nowhere' })] })
    expect(failed?.failure?.reason).toBe('namespace-missing')
    expect(
      dill().workloads.find(
        (workload) => workload.name === 'market-desk' && workload.namespace === 'market',
      )?.replicas,
    ).toBe(1)
  })

  it.each<[string, Manifest, Manifest, RegExp]>([
    [
      'a quota',
      {
        apiVersion: 'v1',
        kind: 'ResourceQuota',
        metadata: { name: 'room', namespace: 'market' },
        spec: { hard: { 'requests.cpu': '1' } },
      },
      desk({ replicas: 4, cpu: '500m' }),
      /exceeded quota: room, requested: requests.cpu=1700m, used: requests.cpu=300m, limited: requests.cpu=1/,
    ],
    [
      'a limit',
      {
        apiVersion: 'v1',
        kind: 'LimitRange',
        metadata: { name: 'most', namespace: 'market' },
        spec: { limits: [{ type: 'Container', max: { cpu: '200m' } }] },
      },
      desk({ cpu: '500m' }),
      /maximum cpu usage per container is 200m, but container market-desk has 500m/,
    ],
    [
      'the level of security',
      {
        apiVersion: 'v1',
        kind: 'Namespace',
        metadata: { name: 'market', labels: { 'pod-security.kubernetes.io/enforce': 'baseline' } },
      },
      desk({ extra: { hostNetwork: true } }),
      /violates PodSecurity "baseline": host namespaces/,
    ],
  ])('is refused by %s, with its reason', (_name, rule, wanted, says) => {
    const { run } = opened()
    run('objects.apply', { objects: [rule] })
    expect(run('objects.apply', { objects: [wanted] })?.failure?.says).toMatch(says)
  })

  it('removes with everything that came of it, and puts back', () => {
    const { run, pods } = opened()
    const removed = run('objects.remove', { objects: [desk()] }, 30)
    expect(pods('market-desk')).toEqual([])
    run('objects.put-back', { before: (removed?.result as { before: unknown }).before })
    expect(pods('market-desk').filter((pod) => pod.phase === 'Running')).toHaveLength(1)
  })
})

describe('other controllers', () => {
  it('a StatefulSet makes its pods in order and changes them from the last to the first', () => {
    const { sim, run, pods } = opened()
    const set = (image: string): Manifest => ({
      ...desk({ kind: 'StatefulSet', replicas: 3, image }),
      metadata: { name: 'market-desk', namespace: 'climate' },
    })
    run('objects.apply', { objects: [set('2')] }, 20)
    expect(pods('market-desk').filter((pod) => pod.namespace === 'climate').length).toBeLessThan(3)
    run('dns.ask', {}, 120)
    expect(
      pods('market-desk')
        .filter((pod) => pod.namespace === 'climate')
        .map((pod) => pod.name),
    ).toEqual(['market-desk-0', 'market-desk-1', 'market-desk-2'])
    sim.command('roll', 'objects.apply', { cluster: 'dill', objects: [set('3')] })
    const order: string[] = []
    for (let i = 0; i < 200; i++) {
      sim.run(sim.now + 1000)
      sim.drain()
      for (const pod of pods('market-desk'))
        if (pod.namespace === 'climate' && pod.phase === 'Pending' && !order.includes(pod.name))
          order.push(pod.name)
    }
    expect(order).toEqual(['market-desk-2', 'market-desk-1', 'market-desk-0'])
  })

  it('a Job runs as many pods as it is to complete, a CronJob makes one when it is due', () => {
    const { run, dill } = opened()
    const template = {
      metadata: { annotations: { 'gyrarch/run-seconds': '40' } },
      spec: {
        restartPolicy: 'Never',
        containers: [
          {
            name: 'count',
            image: 'registry.fernhollow.example/market/market-desk:2',
            resources: { requests: { cpu: '10m' } },
          },
        ],
      },
    }
    run(
      'objects.apply',
      {
        objects: [
          {
            apiVersion: 'batch/v1',
            kind: 'Job',
            metadata: { name: 'stock-take', namespace: 'market' },
            spec: { completions: 3, parallelism: 2, template },
          },
        ],
      },
      300,
    )
    expect(
      dill()
        .running.filter((pod) => pod.workload === 'stock-take')
        .map((pod) => pod.phase),
    ).toEqual(['Succeeded', 'Succeeded', 'Succeeded'])
    run(
      'objects.apply',
      {
        objects: [
          {
            apiVersion: 'batch/v1',
            kind: 'CronJob',
            metadata: { name: 'tally', namespace: 'market' },
            spec: { schedule: '*/10 * * * *', jobTemplate: { spec: { template } } },
          },
        ],
      },
      1900,
    )
    expect(
      dill().workloads.filter(
        (workload) => workload.kind === 'Job' && workload.name.startsWith('tally-'),
      ).length,
    ).toBe(3)
  })

  it('pods are kept apart by their own wish', () => {
    const { run, pods } = opened()
    const apart = {
      affinity: {
        podAntiAffinity: {
          requiredDuringSchedulingIgnoredDuringExecution: [
            {
              topologyKey: 'kubernetes.io/hostname',
              labelSelector: { matchLabels: { app: 'market-desk' } },
            },
          ],
        },
      },
    }
    run('objects.apply', { objects: [desk({ replicas: 4, extra: apart })] }, 300)
    const own = pods('market-desk')
    const placed = own.filter((pod) => pod.node !== null)
    expect(new Set(placed.map((pod) => pod.node)).size).toBe(placed.length)
    expect(own.some((pod) => pod.waits?.includes('anti-affinity rules') === true)).toBe(true)
  })
})

describe('endpoints of a service', () => {
  it('are its workload’s pods, ready or not, with their nodes', () => {
    const { sim, run, pods } = opened()
    const slice = () =>
      (objectsOf(sim, 'dill', { kind: 'EndpointSlice', namespace: 'market' }) ?? []).find(
        (object) => (object['metadata'] as { name: string }).name === 'market-desk-1',
      ) as { endpoints: { addresses: string[]; conditions: { ready: boolean } }[] } | undefined
    expect(slice()?.endpoints.map((endpoint) => endpoint.addresses[0])).toEqual(
      pods('market-desk').map((pod) => pod.ip),
    )
    run('objects.apply', { objects: [desk({ replicas: 3 })] }, 120)
    expect(slice()?.endpoints.filter((endpoint) => endpoint.conditions.ready)).toHaveLength(3)
  })
})
