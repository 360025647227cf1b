import { describe, expect, it } from 'vitest'
import { demoScenario } from '../../server/connectors/standin/demo'
import { buildWorld, Simulator, startFault } from '..'
import type { Manifest } from '../world'

const start = Date.parse('2026-03-02T06:00:00Z')

function simulator(name = 'cedar') {
  const sim = new Simulator(buildWorld(demoScenario(), 20260302), start)
  let n = 0
  const run = (verb: string, args: Record<string, unknown>, seconds = 60) => {
    const key = `k${n++}`
    sim.command(key, verb, { cluster: name, ...args })
    const until = sim.now + seconds * 1000
    while (sim.now < until) {
      sim.run(until)
      sim.drain()
    }
    return sim.lookup(key)
  }
  const cluster = () => {
    const opened = sim.cluster(name)
    if (!opened) throw new Error(`no ${name}`)
    return opened
  }
  return { sim, run, cluster }
}

const gate = (more: Record<string, unknown> = {}): Manifest => ({
  apiVersion: 'admissionregistration.k8s.io/v1',
  kind: 'ValidatingWebhookConfiguration',
  metadata: { name: 'gate' },
  webhooks: [
    {
      name: 'gate.fernhollow.example',
      clientConfig: { service: { namespace: 'platform', name: 'policy-webhook', port: 9443 } },
      rules: [{ apiGroups: ['*'], apiVersions: ['*'], operations: ['*'], resources: ['*'] }],
      admissionReviewVersions: ['v1'],
      sideEffects: 'None',
      ...more,
    },
  ],
})
const notes: Manifest = {
  apiVersion: 'v1',
  kind: 'ConfigMap',
  metadata: { name: 'notes', namespace: 'climate' },
}
const shut: Manifest = {
  apiVersion: 'networking.k8s.io/v1',
  kind: 'NetworkPolicy',
  metadata: { name: 'shut', namespace: 'platform' },
  spec: { podSelector: { matchLabels: { app: 'policy-webhook' } }, policyTypes: ['Ingress'] },
}

const podRule = {
  apiGroups: [''],
  apiVersions: ['v1'],
  operations: ['CREATE'],
  resources: ['pods'],
}
const lamp = (namespace: string, replicas: number): Manifest => ({
  apiVersion: 'apps/v1',
  kind: 'Deployment',
  metadata: { name: 'lamp', namespace },
  spec: {
    replicas,
    selector: { matchLabels: { app: 'lamp' } },
    template: {
      metadata: { labels: { app: 'lamp' } },
      spec: {
        containers: [{ name: 'lamp', image: 'registry.fernhollow.example/market/market-desk:2' }],
      },
    },
  },
})

describe('an admission webhook', () => {
  it('that is reached lets everything through', () => {
    const { run } = simulator()
    run('objects.apply', { objects: [gate()] })
    expect(run('objects.apply', { objects: [notes] })?.failure ?? null).toBeNull()
  })

  it('behind a policy that lets nobody in refuses what is written, in the words of an API', () => {
    const { run } = simulator()
    run('objects.apply', { objects: [shut] })
    run('objects.apply', { objects: [gate()] })
    const { failure } = run('objects.apply', { objects: [notes] }) ?? {}
    expect(failure).toMatchObject({ class: 'transient', reason: 'webhook-silent' })
    expect(failure?.says).toBe(
      'Internal error occurred: failed calling webhook "gate.fernhollow.example": failed to call webhook: Post "https://policy-webhook.platform.svc:9443?timeout=10s": context deadline exceeded',
    )
  })

  it.each([
    ['fails open', { failurePolicy: 'Ignore' }],
    [
      'is for others',
      {
        rules: [
          {
            apiGroups: ['apps'],
            apiVersions: ['*'],
            operations: ['*'],
            resources: ['deployments'],
          },
        ],
      },
    ],
    ['leaves out the namespace', { namespaceSelector: { matchLabels: { gated: 'yes' } } }],
  ])('that %s keeps nobody', (_what, more) => {
    const { run } = simulator()
    run('objects.apply', { objects: [shut] })
    run('objects.apply', { objects: [gate(more)] })
    expect(run('objects.apply', { objects: [notes] })?.failure ?? null).toBeNull()
  })

  it('keeps pods from being made, and lets them once it is reached again', () => {
    const { run, cluster } = simulator()
    const pods = () => cluster().running.filter((pod) => pod.workload === 'lamp').length
    run('objects.apply', { objects: [shut] })
    run('objects.apply', { objects: [gate({ rules: [podRule] })] })
    run('objects.apply', { objects: [lamp('climate', 2)] }, 300)
    expect(pods()).toBe(0)
    expect(
      cluster()
        .events.filter((event) => event.reason === 'FailedCreate')
        .map((event) => [event.about, event.message.slice(0, 60)]),
    ).toEqual([
      ['deployment/climate/lamp', 'Error creating: Internal error occurred: failed calling webh'],
    ])
    run('objects.remove', { objects: [shut] }, 60)
    expect(pods()).toBe(2)
  })
})

describe('a policy webhook that is behind', () => {
  const budget = (apiVersion: string): Manifest => ({
    apiVersion,
    kind: 'PodDisruptionBudget',
    metadata: { name: 'gate', namespace: 'platform' },
    spec: { maxUnavailable: 1, selector: { matchLabels: { app: 'policy-webhook' } } },
  })

  it('refuses what is written in a version that it does not know, and lets the older one through', () => {
    const { sim, run } = simulator('burdock')
    const about = 'cluster/burdock'
    startFault(sim, {
      id: 'f',
      kind: 'gate-behind',
      about,
      mode: 'permanent',
      left: null,
      since: start,
    })
    const refused = run('objects.apply', { objects: [budget('policy/v1')] })?.failure
    expect(refused).toMatchObject({ class: 'permanent', reason: 'webhook-denies' })
    expect(refused?.params['webhook']).toBe('objects.orchard-gate.fernhollow.example')
    expect(
      run('objects.apply', { objects: [budget('policy/v1beta1')] })?.failure ?? null,
    ).toBeNull()
    expect(run('objects.apply', { objects: [notes] })?.failure?.reason).not.toBe('webhook-denies')
  })
})

describe('a site whose routes are gone', () => {
  it('pulls no image from outside any more; a disconnected one has what was carried in', () => {
    const { sim, run, cluster } = simulator('bramble')
    const site = sim.site(cluster().site)
    if (!site) throw new Error('no site')
    site.routes = []
    run('objects.apply', {
      objects: [lamp('market', 1)],
    })
    const pod = () => cluster().running.find((candidate) => candidate.workload === 'lamp')
    expect(pod()?.trouble?.message).toMatch(/its registry is not reached/)
    sim.world.sites = { ...sim.world.sites, [site.name]: { ...site, connected: false } }
    run('node.cordon', { node: cluster().nodes[0]?.name ?? '' }, 120)
    expect(pod()?.phase).toBe('Running')
  })
})
