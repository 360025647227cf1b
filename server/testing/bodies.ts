/** A sound body for every operation of the API that takes one. */
import { birch, elm } from '~/core/testing/drafts'
import { wired } from '~/core/wire/testing/worlds'

/** Objects in which every field that placement reads is set. */
export const everyRule = [
  {
    kind: 'Node',
    metadata: { name: 'n1', labels: { zone: 'a', 'gyrarch/pool': 'general' } },
    spec: {
      unschedulable: false,
      taints: [{ key: 'use', value: 'storage', effect: 'NoSchedule' }],
    },
    status: { allocatable: { cpu: '1', memory: '1Gi', pods: '10', 'example.com/lamp': '1' } },
  },
  { kind: 'Namespace', metadata: { name: 'field', labels: { team: 'a' } } },
  { kind: 'PriorityClass', metadata: { name: 'high' }, value: 10, globalDefault: true },
  {
    kind: 'StorageClass',
    metadata: { name: 'wait' },
    provisioner: 'disk',
    volumeBindingMode: 'WaitForFirstConsumer',
    allowedTopologies: [{ matchLabelExpressions: [{ key: 'zone', values: ['a'] }] }],
  },
  {
    kind: 'PersistentVolumeClaim',
    metadata: { name: 'c', namespace: 'field' },
    spec: { storageClassName: 'wait', accessModes: ['ReadWriteOncePod'] },
  },
  {
    kind: 'PodDisruptionBudget',
    metadata: { name: 'b', namespace: 'field' },
    spec: {
      minAvailable: '50%',
      selector: { matchLabels: { app: 'x' } },
      unhealthyPodEvictionPolicy: 'AlwaysAllow',
    },
  },
  {
    kind: 'Pod',
    metadata: {
      name: 'standing',
      namespace: 'field',
      labels: { app: 'x' },
      ownerReferences: [{ kind: 'ReplicaSet', name: 'x', controller: true }],
    },
    spec: {
      nodeName: 'n1',
      priority: 1,
      containers: [{ resources: { requests: { cpu: '800m' } } }],
    },
    status: {
      phase: 'Running',
      startTime: '2026-03-02T06:00:00Z',
      conditions: [{ type: 'Ready', status: 'True' }],
    },
  },
  {
    kind: 'Pod',
    metadata: {
      name: 'waiting',
      namespace: 'field',
      labels: { app: 'x' },
      creationTimestamp: '2026-03-02T06:00:00Z',
    },
    spec: {
      priorityClassName: 'high',
      containers: [
        {
          name: 'm',
          resources: { requests: { cpu: '1500m', memory: '1Mi' }, limits: { cpu: '2' } },
          ports: [{ containerPort: 80, hostPort: 80, protocol: 'TCP' }],
        },
      ],
      initContainers: [{ restartPolicy: 'Always', resources: { requests: { cpu: '1m' } } }],
      overhead: { cpu: '1m' },
      nodeSelector: { zone: 'a' },
      tolerations: [{ key: 'use', operator: 'Equal', value: 'storage', effect: 'NoSchedule' }],
      topologySpreadConstraints: [
        {
          maxSkew: 1,
          topologyKey: 'zone',
          whenUnsatisfiable: 'DoNotSchedule',
          labelSelector: { matchExpressions: [{ key: 'app', operator: 'In', values: ['x'] }] },
        },
      ],
      affinity: {
        nodeAffinity: {
          requiredDuringSchedulingIgnoredDuringExecution: {
            nodeSelectorTerms: [
              { matchExpressions: [{ key: 'zone', operator: 'Gt', values: ['1'] }] },
              { matchFields: [{ key: 'metadata.name', operator: 'In', values: ['n1'] }] },
            ],
          },
        },
        podAntiAffinity: {
          preferredDuringSchedulingIgnoredDuringExecution: [
            {
              weight: 1,
              podAffinityTerm: { topologyKey: 'zone', labelSelector: {}, namespaceSelector: {} },
            },
          ],
        },
      },
      volumes: [
        { name: 'd', persistentVolumeClaim: { claimName: 'c' } },
        { name: 'e', emptyDir: {} },
      ],
    },
  },
]

export const soundBodies: Readonly<Record<string, unknown>> = {
  '/clock': { advanceSeconds: 0 },
  '/changes': { kind: 'cluster.raise', intent: elm },
  '/changes/:id': { intent: birch },
  '/changes/:id/run': { accept: [], confirm: 'x', planDigest: 'x' },
  '/faults': {
    fault: 'no-stock',
    about: 'size/tarn-north/north-1/reed-2-8',
    mode: 'transient',
    times: 1,
    afterSeconds: 0,
  },
  '/layers': { name: 'x', text: 'layers: 1\nbase: []\nenvironments: {}\n' },
  '/clusters/:name/objects': 'apiVersion: v1\nkind: ConfigMap\nmetadata: {name: a}\n',
  '/compute/address-overlaps': { ranges: [{ name: 'a', range: '10.0.0.0/8' }] },
  '/compute/address-carve': { within: '10.44.0.0/20', taken: ['10.44.0.0/22'], prefixes: [22, 24] },
  '/compute/cluster-ranges': { pods: '10.0.0.0/18', maxPodsPerNode: 110, services: '10.1.0.0/20' },
  '/compute/allocatable': { cpu: '4', memory: '16Gi' },
  '/compute/quorum': { zones: [1, 1, 1] },
  '/compute/placement': { objects: everyRule, options: { scores: true, preempt: true } },
  '/compute/drain': {
    objects: everyRule,
    nodes: ['n1'],
    options: { surge: '25%', unavailable: 1, allowLocalData: true },
  },
  '/compute/diagnose': {
    objects: [
      { kind: 'Pod', metadata: { name: 'a' }, spec: {}, status: { phase: 'Pending' } },
      { kind: 'Event', type: 'Warning', reason: 'FailedScheduling', message: 'no nodes available' },
    ],
    logs: [{ from: 'node/n1', lines: ['ready'] }],
    about: 'pod/default/a',
    now: '2026-03-02T06:00:00Z',
  },
  '/compute/rehearse': {
    objects: [
      {
        apiVersion: 'v1',
        kind: 'Node',
        metadata: { name: 'n1' },
        spec: {},
        status: {
          allocatable: { cpu: '2', memory: '4Gi', pods: '110' },
          capacity: { cpu: '2', memory: '4Gi', pods: '110' },
          conditions: [{ type: 'Ready', status: 'True' }],
          nodeInfo: { kubeletVersion: 'v1.33.2' },
        },
      },
    ],
    kind: 'node.drain',
    intent: { nodes: ['n1'] },
    now: '2026-03-02T06:00:00Z',
  },
  '/compute/replicas': {
    current: 2,
    min: 1,
    max: 10,
    metrics: [{ name: 'requests', value: 10, target: 5 }],
  },
  '/compute/rest-savings': {
    zone: 'Europe/Berlin',
    from: '2026-03-01T00:00:00Z',
    until: '2026-03-02T00:00:00Z',
    hourly: 1,
    windows: [{ days: ['sun'], stop: '20:00', start: '06:00' }],
  },
  '/compute/maintenance-windows': {
    windows: [
      {
        name: 'hall nights',
        start: '2026-03-07T22:00',
        zone: 'Europe/Berlin',
        minutes: 240,
        rule: 'FREQ=WEEKLY;BYDAY=SA',
        except: ['2026-04-04'],
      },
    ],
    from: '2026-03-01T00:00:00Z',
    until: '2026-05-01T00:00:00Z',
  },
  '/compute/release-path': {
    releases: [
      { version: '1.31.9' },
      { version: '1.32.1', withdrawn: 'its state store could corrupt' },
      { version: '1.32.4' },
    ],
    edges: [
      { from: '1.31.9', to: '1.32.1' },
      { from: '1.31.9', to: '1.32.4', withdrawn: 'it lost leases' },
    ],
    from: '1.31.9',
    to: '1.32.4',
  },
  '/compute/removal-audit': {
    manifests:
      'apiVersion: batch/v1beta1\nkind: CronJob\nmetadata: {name: pruning-report, namespace: gathering}\n',
    target: '1.33',
  },
  '/compute/convert-manifests': {
    manifests:
      'apiVersion: batch/v1beta1 # nightly\nkind: CronJob\nmetadata: {name: pruning-report}\n',
    target: '1.33',
  },
  '/compute/cluster-upgrade': {
    releases: [{ version: '1.31.9' }, { version: '1.32.6' }, { version: '1.33.2' }],
    edges: [
      { from: '1.31.9', to: '1.32.6' },
      { from: '1.32.6', to: '1.33.2' },
    ],
    from: '1.31.9',
    to: '1.33.2',
    pools: [{ name: 'general', version: '1.31.9' }],
    addOns: [{ name: 'rainfall', version: '1.0.3' }],
    addOnCatalogue: [
      {
        name: 'rainfall',
        versions: [
          { version: '1.0.3', max: '1.31' },
          { version: '1.1.1', min: '1.30', replaces: ['1.0.3'] },
        ],
      },
    ],
  },
  '/compute/lay-stages': {
    stages: [
      { name: 'alder', cluster: 'alder', minutes: 120 },
      { name: 'cedar', cluster: 'cedar', minutes: 150, after: ['alder'] },
    ],
    windows: [
      {
        clusters: ['alder', 'cedar'],
        start: '2026-03-07T22:00',
        zone: 'Europe/Berlin',
        minutes: 240,
        rule: 'FREQ=WEEKLY;BYDAY=SA',
      },
    ],
    atOnce: 1,
    from: '2026-03-01T00:00:00Z',
    until: '2026-05-01T00:00:00Z',
  },
  '/compute/shipment': {
    releases: [
      { version: '1.31.9', images: ['sha256:a'] },
      { version: '1.32.4', images: ['sha256:b'] },
    ],
    edges: [{ from: '1.31.9', to: '1.32.4' }],
    addOns: [
      {
        name: 'rainfall',
        channels: [
          {
            name: 'steady',
            versions: [
              { version: '1.0.0', images: ['sha256:a'] },
              { version: '1.1.0', replaces: ['1.0.0'], images: ['sha256:c'] },
            ],
          },
        ],
      },
    ],
    images: ['a', 'b', 'c'].map((name) => ({
      digest: `sha256:${name}`,
      name: `platform/${name}`,
      bytes: 10,
      layers: [{ digest: `sha256:layer-${name}`, bytes: 500 }],
      signed: name !== 'c',
      vulnerabilities: [{ id: 'FH-2026-0001', severity: 'low' }],
    })),
    has: { release: '1.31.9', addOns: { rainfall: '1.0.0' }, digests: [], diskFreeBytes: 900 },
    want: {
      release: '1.32.4',
      steps: true,
      addOns: [{ name: 'rainfall', channel: 'steady', pick: 'latest' }],
      images: ['sha256:a'],
    },
    hold: { unsigned: true, severity: 'critical' },
    media: [
      { name: 'stick', bytes: 600, count: 1 },
      { name: 'drive', bytes: 1020 },
    ],
    link: { bytesPerSecond: 100, streamBytesPerSecond: 60, parallel: 2 },
  },
  '/compute/replica-placement': {
    nodes: [
      {
        name: 'cedar-storage-1',
        zone: 'mossgate-a',
        disks: [{ name: 'sda', bytes: 1000, scheduledBytes: 100, freeBytes: 900 }],
      },
    ],
    volumes: [
      {
        name: 'photos',
        bytes: 100,
        usedBytes: 60,
        replicas: 2,
        zones: 'required',
        on: [{ node: 'cedar-storage-1', disk: 'sda' }],
      },
    ],
    settings: { plannedPercent: 60, floorPercent: 20 },
    rebuild: { atOnce: 2, bytesPerSecond: 10 },
  },
  '/compute/volume-binding': {
    objects: everyRule,
    claims: [{ claim: 'field/c', node: 'n1' }],
    stores: [{ class: 'wait', zone: 'a', freeBytes: 1000 }],
  },
  '/receivers': {
    name: 'the desk',
    url: 'https://desk.fernhollow.example/notices',
    kinds: ['case.opened', 'run.halted'],
    secret: 'sixteen letters or more',
  },
  '/expectations': {
    name: 'the desk reaches the ledger',
    from: { pod: 'market/desk', cluster: 'bramble' },
    to: { service: 'market/ledger-view', cluster: 'bramble' },
    port: 8443,
    protocol: 'TCP',
    delivered: true,
  },
  '/compute/network-policy': {
    objects: wired.clusters[0]?.objects,
    from: { pod: 'market/desk' },
    to: { address: '10.88.4.20' },
    port: 8443,
    protocol: 'tcp',
  },
  '/compute/packet-walk': {
    world: wired,
    from: { pod: 'market/desk', cluster: 'bramble' },
    to: { name: 'bureau.fernhollow.example' },
    port: 8443,
    protocol: 'TCP',
    endpoints: 'all',
    bytes: 1500,
  },
  '/compute/firewall-review': { rules: wired.sites[0]?.firewall },
  '/compute/route-request': {
    objects: [
      {
        kind: 'HTTPRoute',
        metadata: { name: 'desk', namespace: 'market' },
        spec: {
          hostnames: ['*.fernhollow.example'],
          rules: [
            {
              matches: [
                {
                  path: { type: 'RegularExpression', value: '/a+' },
                  method: 'GET',
                  headers: [{ name: 'x', value: 'y' }],
                },
              ],
              backendRefs: [{ name: 'v1', weight: 3 }],
            },
          ],
        },
      },
    ],
    request: {
      host: 'desk.fernhollow.example:443',
      path: '/aa',
      method: 'GET',
      headers: { X: 'y' },
      query: {},
    },
  },
}
