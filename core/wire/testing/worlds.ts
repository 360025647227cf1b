/** Small worlds for tests of what can reach what: one by hand, after the demo’s bureau, and random ones. */
import fc from 'fast-check'

interface PodOf {
  /** The stateful set it belongs to. */
  readonly of?: string
  readonly namespace: string
  readonly name: string
  readonly ip?: string
  readonly node?: string
  readonly hostIP?: string
  readonly labels?: Readonly<Record<string, string>>
  readonly ports?: readonly {
    readonly name: string
    readonly containerPort: number
    readonly protocol?: string
  }[]
  readonly hostNetwork?: boolean
}

export const pod = ({
  namespace,
  name,
  ip,
  node,
  hostIP,
  labels = {},
  ports = [],
  hostNetwork,
  of,
}: PodOf): Record<string, unknown> => ({
  kind: 'Pod',
  metadata: {
    namespace,
    name,
    labels,
    ...(of === undefined
      ? {}
      : { ownerReferences: [{ kind: 'StatefulSet', name: of, controller: true }] }),
  },
  spec: {
    ...(node === undefined ? {} : { nodeName: node }),
    ...(hostNetwork ? { hostNetwork: true } : {}),
    containers: [{ name: 'c', ports }],
  },
  status: {
    phase: 'Running',
    ...(ip === undefined ? {} : { podIP: ip }),
    ...(hostIP === undefined ? {} : { hostIP }),
  },
})

export const service = (
  namespace: string,
  name: string,
  clusterIP: string,
  ports: readonly Record<string, unknown>[],
  more: Readonly<Record<string, unknown>> = {},
): Record<string, unknown> => ({
  kind: 'Service',
  metadata: { namespace, name },
  spec: { clusterIP, ports, ...more },
})

export const slice = (
  namespace: string,
  of: string,
  endpoints: readonly {
    readonly ip: string
    readonly pod?: string
    readonly node?: string
    readonly ready?: boolean
  }[],
  ports: readonly Record<string, unknown>[],
): Record<string, unknown> => ({
  kind: 'EndpointSlice',
  metadata: { namespace, name: `${of}-1`, labels: { 'kubernetes.io/service-name': of } },
  endpoints: endpoints.map(({ ip, pod: name, node, ready }) => ({
    addresses: [ip],
    ...(ready === undefined ? {} : { conditions: { ready } }),
    ...(node === undefined ? {} : { nodeName: node }),
    ...(name === undefined ? {} : { targetRef: { kind: 'Pod', namespace, name } }),
  })),
  ports,
})

export const policy = (
  namespace: string,
  name: string,
  spec: Record<string, unknown>,
): Record<string, unknown> => ({ kind: 'NetworkPolicy', metadata: { namespace, name }, spec })

/** Two sites, two clusters, a bureau that accepts the pods of one of them, and an API outside. */
export const wired = {
  clusters: [
    {
      name: 'bramble',
      site: 'palisade-east',
      podRange: '10.124.0.0/16',
      serviceRange: '10.125.0.0/20',
      dnsDomain: 'cluster.local',
      keepSource: [] as string[],
      nodes: [
        { name: 'bramble-1', address: '10.44.0.11', network: 'east' },
        { name: 'bramble-2', address: '10.44.0.12', network: 'east' },
      ],
      objects: [
        { kind: 'Namespace', metadata: { name: 'market', labels: { team: 'market' } } },
        pod({
          namespace: 'market',
          name: 'desk',
          ip: '10.124.0.5',
          node: 'bramble-1',
          hostIP: '10.44.0.11',
          labels: { app: 'desk' },
        }),
        pod({
          namespace: 'market',
          name: 'ledger-0',
          ip: '10.124.1.5',
          node: 'bramble-2',
          hostIP: '10.44.0.12',
          labels: { app: 'ledger' },
          of: 'ledger',
          ports: [{ name: 'view', containerPort: 8443 }],
        }),
        pod({
          namespace: 'market',
          name: 'ledger-1',
          ip: '10.124.0.6',
          node: 'bramble-1',
          hostIP: '10.44.0.11',
          labels: { app: 'ledger' },
          of: 'ledger',
          ports: [{ name: 'view', containerPort: 8443 }],
        }),
        pod({
          namespace: 'market',
          name: 'broker',
          ip: '10.124.1.6',
          node: 'bramble-2',
          hostIP: '10.44.0.12',
          labels: { app: 'broker' },
        }),
        service('market', 'ledger-view', '10.125.0.40', [
          { name: 'view', port: 443, targetPort: 'view', nodePort: 30_443 },
        ]),
        slice(
          'market',
          'ledger-view',
          [
            { ip: '10.124.1.5', pod: 'ledger-0', node: 'bramble-2' },
            { ip: '10.124.0.6', pod: 'ledger-1', node: 'bramble-1' },
          ],
          [{ name: 'view', port: 8443, protocol: 'TCP' }],
        ),
        service('market', 'idle', '10.125.0.41', [{ port: 80 }]),
        policy('market', 'ledger-callers', {
          podSelector: { matchLabels: { app: 'ledger' } },
          ingress: [
            {
              from: [{ podSelector: { matchLabels: { app: 'desk' } } }],
              ports: [{ port: 'view' }],
            },
          ],
        }),
      ] as Record<string, unknown>[],
    },
    {
      name: 'dill',
      site: 'tarn-north',
      podRange: '10.126.0.0/18',
      serviceRange: '10.127.0.0/20',
      dnsDomain: 'cluster.local',
      nodes: [{ name: 'dill-1', address: '10.52.0.11', network: 'north' }],
      objects: [
        pod({
          namespace: 'market',
          name: 'desk',
          ip: '10.126.0.5',
          node: 'dill-1',
          hostIP: '10.52.0.11',
        }),
      ] as Record<string, unknown>[],
    },
  ],
  sites: [
    {
      name: 'palisade-east',
      domain: 'fernhollow',
      networks: [
        { name: 'east', range: '10.44.0.0/22', mtu: 1500 },
        { name: 'partner', range: '10.44.4.0/22' },
      ],
      routes: [
        { network: 'east', to: '0.0.0.0/0', via: 'uplink' },
        { network: 'east', to: '10.88.4.0/24', via: 'private link' },
        { network: 'east', to: '10.52.0.0/21', via: 'private link' },
        { network: 'east', to: '10.126.0.0/18', via: 'private link' },
      ],
      firewall: [
        {
          name: 'no mail',
          priority: 50,
          direction: 'out',
          action: 'deny',
          ports: ['25', '465-587'],
          protocol: 'tcp',
        },
        {
          name: 'market in',
          priority: 60,
          direction: 'in',
          action: 'allow',
          to: ['198.51.100.7'],
          ports: ['443'],
          protocol: 'tcp',
        },
        { name: 'off', priority: 10, direction: 'out', action: 'deny', enabled: false },
      ],
      translations: [
        {
          name: 'inside',
          priority: 10,
          kind: 'keep',
          from: ['10.44.0.0/20', '10.124.0.0/16'],
          to: ['10.0.0.0/8'],
        },
        { name: 'uplink', priority: 100, kind: 'translate', becomes: '172.31.250.3' },
      ],
      fronts: [
        {
          address: '198.51.100.7',
          port: 443,
          protocol: 'tcp',
          cluster: 'bramble',
          service: 'market/ledger-view',
          nodePort: 30_443,
        },
      ],
      records: [{ name: 'bureau.fernhollow.example', address: '10.88.4.20' }],
      mtu: 1500,
    },
    {
      name: 'tarn-north',
      domain: 'fernhollow',
      networks: [{ name: 'north', range: '10.52.0.0/23' }],
      routes: [{ network: 'north', to: '0.0.0.0/0', via: 'uplink' }],
      firewall: [] as Record<string, unknown>[],
      translations: [{ name: 'uplink', priority: 100, kind: 'translate', becomes: '172.31.250.4' }],
      fronts: [] as Record<string, unknown>[],
      records: [] as Record<string, unknown>[],
    },
  ],
  peers: [
    {
      name: 'weather-bureau',
      address: '10.88.4.20',
      ports: [8443],
      accepts: ['10.124.0.0/16'],
      routes: ['10.124.0.0/16', '10.44.0.0/20'],
    },
    { name: 'bramble-api', address: '198.51.100.250', ports: [443], accepts: ['172.31.250.3/32'] },
  ],
}

export type Wired = typeof wired

/** Labels, selectors and addresses few enough that rules meet often. */
const label = fc.dictionary(fc.constantFrom('app', 'tier'), fc.constantFrom('a', 'b'), {
  maxKeys: 2,
  noNullPrototype: true,
})
const selector = fc.oneof(
  fc.constant({}),
  fc.record({ matchLabels: label }),
  fc.record({
    matchExpressions: fc.array(
      fc.record({
        key: fc.constantFrom('app', 'tier'),
        operator: fc.constantFrom('In', 'NotIn', 'Exists', 'DoesNotExist'),
        values: fc.subarray(['a', 'b'], { minLength: 1 }),
      }),
      { maxLength: 2 },
    ),
  }),
)
const ipBlock = fc.constantFrom(
  { cidr: '10.124.0.0/24' },
  { cidr: '10.124.0.0/16', except: ['10.124.1.0/24'] },
  { cidr: '0.0.0.0/0', except: ['10.44.0.11/32'] },
  { cidr: '10.44.0.0/22' },
  { cidr: '10.88.4.20/32' },
)
const peer = fc.oneof(
  fc.record({ podSelector: selector }),
  fc.record({ namespaceSelector: selector }),
  fc.record({ podSelector: selector, namespaceSelector: selector }),
  fc.record({ ipBlock }),
)
const policyPort = fc.oneof(
  fc.record({ port: fc.constantFrom(80, 443, 8443) }),
  fc.record({ port: fc.constantFrom('view', 'web') }),
  fc.record({ port: fc.constant(80), endPort: fc.constantFrom(80, 443, 9000) }),
  fc.record({ protocol: fc.constantFrom('TCP', 'UDP') }),
  fc.record({ protocol: fc.constantFrom('TCP', 'UDP'), port: fc.constantFrom(80, 'view') }),
)
const rule = (field: 'from' | 'to') =>
  fc.record({
    [field]: fc.option(fc.array(peer, { maxLength: 2 }), { nil: undefined }),
    ports: fc.option(fc.array(policyPort, { maxLength: 2 }), { nil: undefined }),
  })
const policySpec = fc.record({
  podSelector: selector,
  policyTypes: fc.option(fc.subarray(['Ingress', 'Egress']), { nil: undefined }),
  ingress: fc.option(fc.array(rule('from'), { maxLength: 2 }), { nil: undefined }),
  egress: fc.option(fc.array(rule('to'), { maxLength: 2 }), { nil: undefined }),
})

/** Namespaces (some without an object), pods with labels, named ports and nodes, and policies over them. */
export const policyObjects = fc
  .record({
    spaces: fc.array(fc.record({ name: fc.constantFrom('market', 'default'), labels: label }), {
      maxLength: 2,
    }),
    pods: fc.array(
      fc.record({
        namespace: fc.constantFrom('market', 'market', 'default'),
        labels: label,
        node: fc.constantFrom('1', '2'),
        hostNetwork: fc.constantFrom(false, false, false, true),
        ports: fc.subarray([
          { name: 'view', containerPort: 8443 },
          { name: 'web', containerPort: 80 },
          { name: 'view', containerPort: 53, protocol: 'UDP' },
        ]),
        placed: fc.constantFrom(true, true, true, false),
      }),
      { minLength: 2, maxLength: 5 },
    ),
    policies: fc.array(
      fc.record({ namespace: fc.constantFrom('market', 'market', 'default'), spec: policySpec }),
      { minLength: 2, maxLength: 7 },
    ),
  })
  .map(({ spaces, pods, policies }) => [
    ...spaces
      .filter((space, i) => spaces.findIndex((otherSpace) => otherSpace.name === space.name) === i)
      .map(({ name, labels }) => ({ kind: 'Namespace', metadata: { name, labels } })),
    ...pods.map(({ namespace, labels, node, hostNetwork, ports, placed }, i) =>
      pod({
        namespace,
        name: `p${i}`,
        labels,
        node: `bramble-${node}`,
        hostIP: `10.44.0.1${node}`,
        hostNetwork,
        ports,
        ...(placed || hostNetwork
          ? { ip: hostNetwork ? `10.44.0.1${node}` : `10.124.${i % 2}.${10 + i}` }
          : {}),
      }),
    ),
    ...policies.map(({ namespace, spec }, i) =>
      policy(namespace, `n${i}`, JSON.parse(JSON.stringify(spec)) as Record<string, unknown>),
    ),
  ])
