import fc from 'fast-check'
import { describe, expect, it } from 'vitest'
import { formatAddress } from '~/core/addresses'
import { bareCluster, bareFleet, bareNode } from '~/core/testing/bare'
import { networkHolding, prepareWorld, walk, type WalkFrom, walkWorldSchema } from '~/core/wire'
import { objectsOf, peersOf, siteReport, Simulator } from '~/standin'
import { buildWorld } from '~/standin/build'
import { send } from '~/standin/traffic/path'
import { type Sender } from '~/standin/traffic/packet'
import { servicePorts } from '~/standin/traffic/services'
import type { Cluster, Manifest, Site } from '~/standin/world'
import { walkWorldOf } from '~/core/wire'
import { siteView } from '../../fleet/observe'
import { demoScenario } from './demo'
import { readObjects } from '~/core/objects'

const start = Date.parse('2026-03-02T06:00:00Z')

/** Two sites, two clusters, few pods: built once, copied for each case. */
function small() {
  const whole = demoScenario()
  const scenario = {
    ...whole,
    loads: [],
    flows: [],
    sites: whole.sites.filter((site) =>
      ['palisade-east', 'tarn-north', 'glasshouse-12'].includes(site.name),
    ),
    clusters: whole.clusters
      .filter((cluster) => ['bramble', 'dill'].includes(cluster.name))
      .map((cluster) => ({
        ...cluster,
        pools: cluster.pools.filter((pool) => pool.name === 'general' || pool.name === 'base'),
      })),
    workloads: whole.workloads.filter(
      (workload) =>
        (workload.cluster === 'bramble' && workload.namespace === 'market') ||
        workload.cluster === 'dill',
    ),
    objects: whole.objects.filter((object) => object.cluster === 'bramble'),
  }
  const sim = new Simulator(buildWorld(scenario, 3), start)
  sim.begin()
  return sim.world
}

const base = JSON.stringify(small())

/** The world of a walk from what the ports report, as Gyrarch makes it. */
function worldOf(sim: Simulator): unknown {
  const sites = Object.keys(sim.world.sites).flatMap((name) => {
    const site = siteReport(sim, name)
    return site ? [siteView(site, sim.now)] : []
  })
  const clusters = Object.values(sim.world.clusters).map((cluster) =>
    bareCluster(cluster.name, cluster.site, {
      pods: cluster.pods,
      services: cluster.services,
      keepSource: cluster.keepSource ?? [],
      endpoint: cluster.endpoint,
      controlPlane: cluster.managed
        ? { kind: 'managed', tier: 'plain' }
        : { kind: 'own', members: cluster.members },
      pools: [
        {
          name: 'all',
          size: '',
          lifetime: 'on-demand',
          range: null,
          taints: [],
          nodes: cluster.nodes.map(({ name, address, roles }) =>
            bareNode(name, { address, roles }),
          ),
        },
      ],
    }),
  )
  const objects = Object.fromEntries(
    clusters.map((cluster) => [
      cluster.name,
      {
        state: 'known' as const,
        version: 1,
        at: '',
        value: readObjects(objectsOf(sim, cluster.name, {}) ?? []).located.map(
          ({ object }) => object,
        ),
      },
    ]),
  )
  return walkWorldOf(bareFleet({ sites, clusters, objects, peers: peersOf(sim.world) }))
}

const ranges = [
  '10.44.0.0/20',
  '10.44.0.0/22',
  '10.124.0.0/16',
  '10.52.0.0/21',
  '10.126.0.0/18',
  '10.88.4.0/24',
  '10.88.4.20',
  '198.51.100.0/26',
  '172.31.250.0/29',
  '0.0.0.0/0',
  '192.0.2.0/24',
]

const some = fc.option(fc.uniqueArray(fc.constantFrom(...ranges), { minLength: 1, maxLength: 2 }), {
  nil: undefined,
})

const rule = fc.record({
  priority: fc.constantFrom(10, 20, 30),
  direction: fc.constantFrom('in' as const, 'out' as const),
  action: fc.constantFrom('allow' as const, 'deny' as const),
  from: some,
  to: some,
  protocol: fc.constantFrom('tcp' as const, 'any' as const, 'udp' as const),
  ports: fc.option(fc.constantFrom(['8443'], ['1-1000'], ['443', '8080']), { nil: undefined }),
  members: fc.option(fc.constantFrom(['10.44.0.0/22'], ['10.52.0.0/21']), { nil: undefined }),
  enabled: fc.constantFrom(true, true, false),
})

const translation = fc.record({
  priority: fc.constantFrom(10, 50, 100),
  kind: fc.constantFrom('keep' as const, 'translate' as const),
  from: some,
  to: some,
})

const app = fc.constantFrom('market-desk-v1', 'ledger-view', 'price-feed', 'broker-bot')
const labels = fc.oneof(
  app.map((name) => ({ matchLabels: { app: name } })),
  fc.constant({}),
)

const peer = fc.oneof(
  labels.map((podSelector) => ({ podSelector })),
  fc.constant({
    namespaceSelector: { matchLabels: { 'kubernetes.io/metadata.name': 'platform' } },
  }),
  fc
    .constantFrom(...ranges.filter((range) => range.includes('/')))
    .map((cidr) => ({ ipBlock: { cidr } })),
)

const ports = fc.option(
  fc.constantFrom(
    [{ port: 8443 }],
    [{ port: 8080, endPort: 9000 }],
    [{ protocol: 'UDP', port: 53 }],
  ),
  { nil: undefined },
)

const policy = fc.record({
  podSelector: labels,
  ingress: fc.option(
    fc.array(
      fc.record({ from: fc.option(fc.array(peer, { maxLength: 2 }), { nil: undefined }), ports }),
      { maxLength: 2 },
    ),
    { nil: undefined },
  ),
  egress: fc.option(
    fc.array(
      fc.record({ to: fc.option(fc.array(peer, { maxLength: 2 }), { nil: undefined }), ports }),
      { maxLength: 2 },
    ),
    { nil: undefined },
  ),
  policyTypes: fc.option(fc.subarray(['Ingress', 'Egress']), { nil: undefined }),
})

const changes = fc.record({
  rules: fc.array(fc.tuple(fc.constantFrom('palisade-east', 'tarn-north'), rule), { maxLength: 5 }),
  translations: fc.array(fc.tuple(fc.constantFrom('palisade-east', 'tarn-north'), translation), {
    maxLength: 3,
  }),
  keep: fc.array(fc.constantFrom(...ranges), { maxLength: 2 }),
  policies: fc.array(policy, { maxLength: 3 }),
  noRoutes: fc.subarray(['palisade-east', 'tarn-north']),
  local: fc.boolean(),
  accepts: fc.constantFrom(undefined, ['10.124.0.0/16'], ['10.44.0.0/20'], []),
  answers: fc.constantFrom(undefined, ['10.124.0.0/16'], ['10.0.0.0/8']),
  internal: fc.boolean(),
})

const clean = <T>(value: T): T => JSON.parse(JSON.stringify(value)) as T

function altered(given: typeof changes extends fc.Arbitrary<infer T> ? T : never): Simulator {
  const world = JSON.parse(base) as ReturnType<typeof small>
  for (const [i, [name, one]] of given.rules.entries()) {
    const site = world.sites[name] as Site
    site.firewall = [...(site.firewall ?? []), clean({ ...one, name: `r${i}` })] as NonNullable<
      Site['firewall']
    >
  }
  for (const [i, [name, one]] of given.translations.entries()) {
    const site = world.sites[name] as Site
    site.translations = [
      ...(site.translations ?? []),
      clean({
        ...one,
        name: `t${i}`,
        ...(one.kind === 'translate' ? { becomes: site.egress ?? '172.31.250.3' } : {}),
      }),
    ] as NonNullable<Site['translations']>
  }
  for (const name of given.noRoutes) {
    const site = world.sites[name] as Site
    site.routes = site.routes.filter((route) => route.to !== '0.0.0.0/0')
  }
  const bramble = world.clusters['bramble'] as Cluster
  bramble.keepSource = given.keep
  bramble.objects = [
    ...(bramble.objects ?? []),
    ...given.policies.map((spec, i): Manifest =>
      clean({
        apiVersion: 'networking.k8s.io/v1',
        kind: 'NetworkPolicy',
        metadata: { name: `p${i}`, namespace: i % 3 === 2 ? 'platform' : 'market' },
        spec,
      }),
    ),
  ].map((object) =>
    object.kind === 'Service' && object.metadata.name === 'ingress'
      ? ({
          ...object,
          spec: {
            ...(object['spec'] as object),
            ...(given.local ? { externalTrafficPolicy: 'Local' } : {}),
            ...(given.internal ? { internalTrafficPolicy: 'Local' } : {}),
          },
        } as Manifest)
      : object,
  )
  world.peers = (world.peers ?? []).map(({ accepts: _accepts, routes: _routes, ...one }) => ({
    ...one,
    ...(given.accepts ? { accepts: given.accepts } : {}),
    ...(given.answers ? { routes: given.answers } : {}),
  }))
  return new Simulator(world, start)
}

/** Ends of packets, by number, so that any world has some. */
function endsOf(
  sim: Simulator,
  pick: number,
): { readonly sender: Sender; readonly from: WalkFrom } {
  const clusters = ['bramble', 'dill'].map((name) => sim.world.clusters[name] as Cluster)
  const cluster = clusters[pick % 2] as Cluster
  if (pick % 7 === 6) return { sender: { address: '192.0.2.77' }, from: { address: '192.0.2.77' } }
  if (pick % 7 === 5) {
    const node = cluster.nodes[pick % cluster.nodes.length] as Cluster['nodes'][number]
    return { sender: { cluster, node }, from: { node: node.name, cluster: cluster.name } }
  }
  const pods = cluster.running.filter((pod) => pod.ip !== null)
  const pod = pods[pick % pods.length] as Cluster['running'][number]
  return {
    sender: { cluster, pod },
    from: { pod: `${pod.namespace}/${pod.name}`, cluster: cluster.name },
  }
}

function goalOf(sim: Simulator, pick: number): string {
  const clusters = ['bramble', 'dill'].map((name) => sim.world.clusters[name] as Cluster)
  const cluster = clusters[(pick >> 1) % 2] as Cluster
  const fixed = [
    '10.88.4.20',
    '198.51.100.1',
    '198.51.100.250',
    '203.0.113.250',
    '10.77.12.60',
    '8.8.8.8',
    '10.125.15.9',
  ]
  switch (pick % 5) {
    case 0:
      return cluster.running.filter((pod) => pod.ip !== null)[pick % 9]?.ip ?? '10.88.4.20'
    case 1:
    case 2:
      return cluster.serviceList[pick % cluster.serviceList.length]?.address ?? '10.88.4.20'
    case 3:
      return cluster.nodes[pick % cluster.nodes.length]?.address ?? '10.88.4.20'
    default:
      return fixed[pick % fixed.length] ?? '10.88.4.20'
  }
}

describe('the walk and the outside', () => {
  it('agree on every packet of 400 random small worlds: verdict, hop, and source at the end', () => {
    const hops = new Map<string, number>()
    fc.assert(
      fc.property(
        changes,
        fc.array(
          fc.tuple(
            fc.nat(10_000),
            fc.nat(10_000),
            fc.constantFrom(80, 443, 8080, 8443, 10_250, 30_000),
          ),
          {
            minLength: 10,
            maxLength: 10,
          },
        ),
        (given, packets) => {
          const sim = altered(given)
          const read = prepareWorld(walkWorldSchema.parse(worldOf(sim)))
          if (!read.ok) throw new Error(`${read.path}: ${read.says}`)
          const nodePorts = Object.values(sim.world.clusters).flatMap((cluster) =>
            cluster.serviceList.flatMap((service) =>
              servicePorts(cluster, service).map(({ nodePort }) => nodePort),
            ),
          )
          for (const [a, b, asked] of packets) {
            // Ports of nodes are derived from names: one of those there are.
            const port = asked === 30_000 ? (nodePorts[(a + b) % nodePorts.length] ?? 443) : asked
            const { sender, from } = endsOf(sim, a)
            const address = goalOf(sim, b)
            const walkRead = walk(read.world, { from, to: { address }, port, protocol: 'TCP' })
            if (!walkRead.ok) throw new Error(`${walkRead.path}: ${walkRead.says}`)
            const fare = send(sim.world, sender, address, port)
            const last = walkRead.walk.hops.at(-1)
            const hop = walkRead.walk.delivered ? 'there' : (last?.hop ?? '')
            hops.set(hop, (hops.get(hop) ?? 0) + 1)
            const told = { arrived: walkRead.walk.delivered, hop }
            expect(told, `${JSON.stringify(from)} to ${address}:${port}`).toEqual({
              arrived: fare.arrived,
              hop: fare.at,
            })
            const source =
              last?.hop === 'way-back' ? last.before.source : (last?.after ?? last?.before)?.source
            if (source) expect(formatAddress(source)).toBe(fare.packet.source)
            let named: string
            if (typeof last?.by === 'string') {
              if (last.by === 'default') named = ''
              else named = last.by
            } else named = (last?.by ?? []).join(', ')
            if (!walkRead.walk.delivered && fare.by !== '') expect(named).toBe(fare.by)
          }
        },
      ),
      { numRuns: 400, seed: 21 },
    )
    // Every way to fail must have been met, else the agreement is about less than it says.
    for (const hop of [
      'there',
      'policy-out',
      'policy-in',
      'service',
      'route',
      'firewall-out',
      'firewall-in',
      'front',
      'acceptance',
      'way-back',
    ])
      expect(hops.get(hop) ?? 0, hop).toBeGreaterThan(3)
  })

  it('finds the network of an address, the smallest where they lie in each other', () => {
    expect(
      networkHolding(
        {
          networks: [
            { name: 'wide', range: '10.0.0.0/8', role: 'private' },
            { name: 'near', range: '10.44.0.0/22', role: 'private' },
          ],
        },
        '10.44.1.1',
      ),
    ).toBe('near')
  })
})
