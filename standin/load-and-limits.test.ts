/** Replicas that follow load, what a namespace allows, and probes from inside a pod. */
import { describe, expect, it } from 'vitest'
import { demoScenario } from '~/server/connectors/standin/demo'
import { buildWorld, probe, Simulator } from '.'

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
