/** Exports of clusters with one thing wrong, and what they are said to suffer from. */
import { describe, expect, it } from 'vitest'
import { diagnose } from './diagnose'

const now = '2026-03-02T06:00:00Z'
const ago = (minutes: number): string => new Date(Date.parse(now) - minutes * 60_000).toISOString()

type Parts = Readonly<Record<string, unknown>>

const pod = (parts: { spec?: Parts; status?: Parts; metadata?: Parts } = {}) => ({
  apiVersion: 'v1',
  kind: 'Pod',
  metadata: {
    name: 'api',
    namespace: 'market',
    uid: 'u1',
    creationTimestamp: ago(600),
    labels: { app: 'api' },
    ...parts.metadata,
  },
  spec: {
    nodeName: 'n1',
    containers: [{ name: 'api', image: 'r/api:1', ports: [{ containerPort: 8080, name: 'web' }] }],
    ...parts.spec,
  },
  status: {
    phase: 'Pending',
    conditions: [{ type: 'Ready', status: 'False', reason: 'ContainersNotReady' }],
    ...parts.status,
  },
})

const event = (reason: string, message: string, parts: Parts = {}) => ({
  apiVersion: 'v1',
  kind: 'Event',
  type: 'Warning',
  reason,
  message,
  involvedObject: { kind: 'Pod', namespace: 'market', name: 'api', uid: 'u1' },
  lastTimestamp: ago(2),
  ...parts,
})

const waiting = (reason: string, message: string, more: Parts = {}) =>
  pod({
    status: {
      containerStatuses: [
        {
          name: 'api',
          ready: false,
          restartCount: 0,
          state: { waiting: { reason, message } },
          ...more,
        },
      ],
    },
  })

const unplaced = (message: string, spec: Parts = {}) =>
  pod({
    spec: { nodeName: undefined, ...spec },
    status: {
      conditions: [{ type: 'PodScheduled', status: 'False', reason: 'Unschedulable', message }],
    },
  })

const node = (conditions: readonly Parts[], spec: Parts = {}) => ({
  apiVersion: 'v1',
  kind: 'Node',
  metadata: { name: 'n1', uid: 'n-uid', creationTimestamp: ago(9000) },
  spec,
  status: { conditions },
})

const firstOf = (
  objects: readonly unknown[],
  about = 'pod/market/api',
  logs: readonly { readonly from: string; readonly lines: readonly string[] }[] = [],
) => {
  const diagnosis = diagnose({ objects, logs, about, now })
  const [cause] = diagnosis?.causes ?? []
  return cause ? [cause.cause, cause.about] : [diagnosis?.symptom === '' ? 'well' : 'none', null]
}
const about = 'pod/market/api'

describe('a pod that waits', () => {
  it.each([
    [
      '0/3 nodes are available: 3 Insufficient cpu. preemption: 0/3 nodes are available: 3 No preemption victims found.',
      {},
      'no-room',
    ],
    ['0/3 nodes are available: 3 node(s) had untolerated taint {use: store}.', {}, 'taint'],
    [
      "0/3 nodes are available: 3 node(s) had taint {use: store}, that the pod didn't tolerate.",
      {},
      'taint',
    ],
    [
      "0/3 nodes are available: 3 node(s) didn't match Pod's node affinity/selector.",
      { nodeSelector: { a: 'b' } },
      'selector',
    ],
    [
      "0/3 nodes are available: 3 node(s) didn't match Pod's node affinity/selector.",
      { affinity: { nodeAffinity: { requiredDuringSchedulingIgnoredDuringExecution: {} } } },
      'affinity',
    ],
    ["0/3 nodes are available: 3 node(s) didn't match pod anti-affinity rules.", {}, 'affinity'],
    [
      "0/3 nodes are available: 3 node(s) didn't match pod topology spread constraints.",
      {},
      'spread',
    ],
    [
      "0/3 nodes are available: 3 node(s) didn't have free ports for the requested pod ports.",
      {},
      'host-port',
    ],
    [
      '0/3 nodes are available: 3 node(s) had volume node affinity conflict.',
      {},
      'volume-elsewhere',
    ],
    ['no nodes available to schedule pods', {}, 'no-nodes'],
    ['0/3 nodes are available: 3 node(s) were unschedulable.', {}, 'cordoned'],
  ])('%s', (message, spec, cause) =>
    expect(firstOf([unplaced(message, spec)])).toEqual([cause, about]),
  )

  it('for a claim is about the claim', () => {
    const message = '0/3 nodes are available: pod has unbound immediate PersistentVolumeClaims.'
    expect(
      firstOf([unplaced(message, { volumes: [{ persistentVolumeClaim: { claimName: 'data' } }] })]),
    ).toEqual(['claim-unbound', 'persistentvolumeclaim/market/data'])
  })

  it('names the reason of the nodes that got farthest first, the others as lesser', () => {
    const message =
      '0/5 nodes are available: 3 node(s) had untolerated taint {use: store}, 2 Insufficient memory.'
    const diagnosis = diagnose({ objects: [unplaced(message)], about, now })
    expect(diagnosis?.causes.map(({ cause, share }) => [cause, share])).toEqual([
      ['no-room', 1],
      ['taint', 0.5],
    ])
  })
})

describe('a pod that does not run', () => {
  it.each([
    [
      'ImagePullBackOff',
      'Back-off pulling image "r/api:1"',
      'Failed to pull image "r/api:1": rpc error: code = NotFound desc = failed to pull and unpack image: r/api:1: not found',
      'image-missing',
    ],
    [
      'ErrImagePull',
      '',
      'Failed to pull image "r/api:1": pull access denied for r/api, repository does not exist or may require authorization',
      'image-denied',
    ],
    [
      'ErrImagePull',
      '',
      'Failed to pull image "r/api:1": dial tcp: lookup r on 10.0.0.2:53: no such host',
      'registry-unreachable',
    ],
    [
      'ErrImagePull',
      '',
      'Failed to pull image "r/api:1": toomanyrequests: You have reached your pull rate limit',
      'pull-limit',
    ],
    [
      'ErrImagePull',
      '',
      'Failed to pull image "r/api:1": no matching manifest for linux/arm64 in the manifest list entries',
      'architecture-wrong',
    ],
  ])('%s %s %s', (reason, message, told, cause) =>
    expect(firstOf([waiting(reason, message), event('Failed', told)])).toEqual([cause, about]),
  )

  it.each([
    ['InvalidImageName', "couldn't parse image reference", 'image-name-invalid'],
    [
      'ErrImageNeverPull',
      'Container image "r/api:1" is not present with pull policy of Never',
      'image-missing',
    ],
    ['CreateContainerConfigError', 'configmap "settings" not found', 'config-missing'],
    [
      'CreateContainerConfigError',
      'container has runAsNonRoot and image will run as root',
      'user-refused',
    ],
    [
      'RunContainerError',
      'exec: "/bin/srv": stat /bin/srv: no such file or directory: unknown',
      'command-missing',
    ],
    ['RunContainerError', 'exec: "/srv": permission denied: unknown', 'not-executable'],
  ])('%s: %s', (reason, message, cause) =>
    expect(firstOf([waiting(reason, message)])).toEqual([cause, about]),
  )

  const ended = (terminated: Parts) =>
    waiting('CrashLoopBackOff', 'back-off 5m0s restarting failed container', {
      restartCount: 6,
      lastState: { terminated: { finishedAt: ago(3), ...terminated } },
    })

  it('by the way it ended, its probes and its log', () => {
    expect(firstOf([ended({ reason: 'OOMKilled', exitCode: 137 })])[0]).toBe('memory-killed')
    expect(firstOf([ended({ reason: 'Error', exitCode: 1 })])[0]).toBe('crash')
    expect(firstOf([ended({ reason: 'Error', exitCode: 127 })])[0]).toBe('command-missing')
    const probe = event(
      'Unhealthy',
      'Liveness probe failed: HTTP probe failed with statuscode: 500',
    )
    expect(firstOf([ended({ reason: 'Error', exitCode: 137 }), probe])[0]).toBe('liveness-probe')
    const log = { from: about, lines: ['exec /srv: exec format error'] }
    expect(firstOf([ended({ reason: 'Error', exitCode: 1 })], about, [log])[0]).toBe(
      'architecture-wrong',
    )
  })

  it.each([
    [
      'FailedAttachVolume',
      'Multi-Attach error for volume "v" Volume is already exclusively attached to one node',
      'attached-elsewhere',
    ],
    [
      'FailedMount',
      'MountVolume.SetUp failed for volume "c" : configmap "settings" not found',
      'config-missing',
    ],
    [
      'FailedMount',
      'MountVolume.MountDevice failed for volume "v" : wrong fs type',
      'mount-failed',
    ],
    [
      'FailedCreatePodSandBox',
      'Failed to create pod sandbox: plugin type="bridge" failed (add): no address left',
      'sandbox-network',
    ],
  ])('%s: %s', (reason, message, cause) =>
    expect(firstOf([waiting('ContainerCreating', ''), event(reason, message)])[0]).toBe(cause),
  )

  it('is not held up by what is over, or was an hour ago', () => {
    const mount = (parts: Parts) =>
      event(
        'FailedMount',
        'MountVolume.SetUp failed for volume "c" : configmap "settings" not found',
        parts,
      )
    const later = event('Pulled', 'Successfully pulled image', {
      type: 'Normal',
      lastTimestamp: ago(1),
    })
    const diagnosis = diagnose({
      objects: [waiting('ErrImagePull', ''), mount({}), later],
      about,
      now,
    })
    expect(diagnosis?.causes).toEqual([])
    expect(diagnosis?.ruledOut.map(({ cause }) => cause)).toEqual(['config-missing'])
    expect(firstOf([waiting('ContainerCreating', ''), mount({ lastTimestamp: ago(90) })])[0]).toBe(
      'none',
    )
  })

  it('is well where it runs and is ready', () => {
    const well = pod({
      status: { phase: 'Running', conditions: [{ type: 'Ready', status: 'True' }] },
    })
    expect(
      diagnose({
        objects: [well, event('BackOff', 'Back-off restarting failed container')],
        about,
        now,
      }),
    ).toMatchObject({
      symptom: '',
      causes: [],
      next: null,
    })
  })
})

describe('a node', () => {
  const silent = [
    {
      type: 'Ready',
      status: 'Unknown',
      reason: 'NodeStatusUnknown',
      message: 'Kubelet stopped posting node status.',
    },
  ]
  it.each([
    [
      [
        {
          type: 'Ready',
          status: 'False',
          reason: 'KubeletNotReady',
          message: 'container runtime is down',
        },
      ],
      [],
      'runtime-down',
    ],
    [
      [
        { type: 'Ready', status: 'True' },
        { type: 'DiskPressure', status: 'True', message: 'kubelet has disk pressure' },
      ],
      [],
      'disk-full',
    ],
    [
      silent,
      [
        'x509: certificate has expired or is not yet valid: current time 2026-03-02T06:00:00Z is after 2026-03-01T00:00:00Z',
      ],
      'certificate-expired',
    ],
    [
      silent,
      [
        'x509: certificate has expired or is not yet valid: current time 2020-01-01T06:00:00Z is before 2026-03-01T00:00:00Z',
      ],
      'clock-off',
    ],
    [
      silent,
      ['Failed to contact API server: dial tcp 10.0.0.1:6443: i/o timeout'],
      'api-unreachable',
    ],
    [silent, ['systemd: kubelet.service: Main process exited, code=killed'], 'agent-stopped'],
    [silent, [], 'none'],
    [
      [
        {
          type: 'Ready',
          status: 'False',
          reason: 'KubeletNotReady',
          message:
            'container runtime network not ready: NetworkReady=false reason:NetworkPluginNotReady cni plugin not initialized',
        },
      ],
      [],
      'network-plugin-broken',
    ],
  ])('%j with %j is %s', (conditions, lines, cause) =>
    expect(firstOf([node(conditions)], 'node/n1', [{ from: 'node/n1', lines }])[0]).toBe(cause),
  )

  it('is held up by a webhook that refuses the pods of its network', () => {
    const set = {
      apiVersion: 'apps/v1',
      kind: 'DaemonSet',
      metadata: { name: 'pod-network', namespace: 'kube-system' },
    }
    const hook = {
      apiVersion: 'admissionregistration.k8s.io/v1',
      kind: 'ValidatingWebhookConfiguration',
      metadata: { name: 'gate' },
      webhooks: [{ name: 'pods.gate.example' }],
    }
    const refused = event(
      'FailedCreate',
      'Error creating: Internal error occurred: failed calling webhook "pods.gate.example": connection refused',
      {
        involvedObject: { kind: 'DaemonSet', namespace: 'kube-system', name: 'pod-network' },
      },
    )
    const conditions = [
      {
        type: 'Ready',
        status: 'False',
        reason: 'KubeletNotReady',
        message: 'cni plugin not initialized',
      },
    ]
    expect(firstOf([node(conditions), set, hook, refused], 'node/n1')).toEqual([
      'webhook-blocks-system-pods',
      'validatingwebhookconfiguration/gate',
    ])
  })
})

describe('a service and a workload', () => {
  const service = (spec: Parts) => ({
    apiVersion: 'v1',
    kind: 'Service',
    metadata: { name: 'api', namespace: 'market' },
    spec: { selector: { app: 'api' }, ports: [{ port: 80, targetPort: 8080 }], ...spec },
  })
  const well = pod({
    status: { phase: 'Running', conditions: [{ type: 'Ready', status: 'True' }] },
  })
  it('says whether nothing matches, nothing is ready, or the port leads nowhere', () => {
    expect(firstOf([service({}), well], 'service/market/api')[0]).toBe('well')
    expect(firstOf([service({ selector: { app: 'apl' } }), well], 'service/market/api')[0]).toBe(
      'no-match',
    )
    expect(
      firstOf(
        [service({ ports: [{ port: 80, targetPort: 9090 }] }), well],
        'service/market/api',
      )[0],
    ).toBe('port-wrong')
    expect(
      firstOf(
        [service({}), waiting('CreateContainerConfigError', 'secret "key" not found')],
        'service/market/api',
      ),
    ).toEqual(['config-missing', about])
    expect(firstOf([service({ type: 'LoadBalancer' }), well], 'service/market/api')[0]).toBe(
      'address-pending',
    )
  })

  const set = {
    apiVersion: 'apps/v1',
    kind: 'ReplicaSet',
    metadata: {
      name: 'api-1',
      namespace: 'market',
      ownerReferences: [{ kind: 'Deployment', name: 'api', controller: true }],
    },
  }
  const deployment = {
    apiVersion: 'apps/v1',
    kind: 'Deployment',
    metadata: { name: 'api', namespace: 'market' },
    spec: { replicas: 1 },
    status: {
      conditions: [
        {
          type: 'Progressing',
          status: 'False',
          reason: 'ProgressDeadlineExceeded',
          message: 'has timed out progressing',
        },
      ],
    },
  }
  const refusing = (message: string) =>
    event('FailedCreate', message, {
      involvedObject: { kind: 'ReplicaSet', namespace: 'market', name: 'api-1' },
    })
  it.each([
    [
      'Error creating: pods "api-1-x" is forbidden: exceeded quota: room, requested: cpu=1',
      'quota',
      'resourcequota/market/room',
    ],
    [
      'Error creating: pods "api-1-x" is forbidden: violates PodSecurity "restricted:latest"',
      'pod-security',
      'replicaset/market/api-1',
    ],
    [
      'Error creating: pods "api-1-x" is forbidden: maximum cpu usage per Container is 2',
      'limit-range',
      'replicaset/market/api-1',
    ],
    [
      'Error creating: pods "api-1-" is forbidden: error looking up service account market/api: serviceaccount "api" not found',
      'account-missing',
      'replicaset/market/api-1',
    ],
    [
      'Error creating: admission webhook "pods.gate.example" denied the request: no',
      'webhook-refuses',
      'validatingwebhookconfiguration/pods.gate.example',
    ],
  ])('%s', (message, cause, of) =>
    expect(firstOf([deployment, set, refusing(message)], 'deployment/market/api')).toEqual([
      cause,
      of,
    ]),
  )

  it('is a stuck rollout only where nothing lower is known', () => {
    expect(firstOf([deployment, set], 'deployment/market/api')[0]).toBe('rollout-stuck')
  })
})

it('counts a restart for an hour, and what nothing explains against the rest', () => {
  const restarted = (minutes: number) =>
    pod({
      status: {
        phase: 'Running',
        conditions: [{ type: 'Ready', status: 'True' }],
        containerStatuses: [
          {
            name: 'api',
            ready: true,
            restartCount: 1,
            state: { running: {} },
            lastState: {
              terminated: { reason: 'OOMKilled', exitCode: 137, finishedAt: ago(minutes) },
            },
          },
        ],
      },
    })
  expect(firstOf([restarted(50)])[0]).toBe('memory-killed')
  expect(firstOf([restarted(70)])[0]).toBe('well')
  const strange = event('SomethingElse', 'nobody knows what this is')
  const diagnosis = diagnose({
    objects: [waiting('InvalidImageName', 'no name'), strange],
    about,
    now,
  })
  expect(diagnosis?.causes.map(({ cause, share }) => [cause, share])).toEqual([
    ['image-name-invalid', 0.5],
  ])
  expect(diagnosis?.next).not.toBeNull()
})

it('does not take a webhook that fails open for a cause', () => {
  const open = event(
    'FailedCreate',
    'Failed calling webhook, failing open gate.example: failed calling webhook "gate.example": timeout',
  )
  expect(firstOf([open], 'cluster')[0]).toBe('well')
  const closed = event(
    'FailedCreate',
    'Internal error occurred: failed calling webhook "gate.example": timeout',
  )
  expect(firstOf([closed], 'cluster')).toEqual([
    'webhook-unreachable',
    'validatingwebhookconfiguration/gate.example',
  ])
})

it('offers what takes the cause away, and nothing that does not', () => {
  const patches = (objects: readonly unknown[], subject: string) =>
    diagnose({ objects, about: subject, now })?.causes.flatMap(({ remedies }) =>
      remedies.flatMap(({ patch }) => patch),
    )
  const running = pod({
    status: { phase: 'Running', conditions: [{ type: 'Ready', status: 'True' }] },
  })
  const service = (spec: Parts) => ({
    kind: 'Service',
    metadata: { name: 'api', namespace: 'market' },
    spec,
  })
  expect(patches([service({ selector: { app: 'apl' } }), running], 'service/market/api')).toEqual([
    { op: 'replace', path: '/objects/0/spec/selector/app', value: 'api' },
  ])
  const list = {
    kind: 'List',
    items: [
      running,
      service({ selector: { app: 'api' }, ports: [{ port: 80, targetPort: 'http' }] }),
    ],
  }
  expect(patches([list], 'service/market/api')).toEqual([
    { op: 'add', path: '/objects/0/items/1/spec/ports/0/targetPort', value: 8080 },
  ])
  const closed = node([{ type: 'Ready', status: 'True' }], { unschedulable: true })
  expect(patches([closed], 'node/n1')).toEqual([
    { op: 'replace', path: '/objects/0/spec/unschedulable', value: false },
  ])
  expect(patches([waiting('InvalidImageName', 'no')], about)).toEqual([])
})

it('reads the state store of a cluster, and is null for what is not there', () => {
  const log = (line: string) => [{ from: 'pod/kube-system/etcd-a', lines: [line] }]
  expect(firstOf([], 'cluster', log('etcdserver: mvcc: database space exceeded'))[0]).toBe(
    'store-full',
  )
  expect(firstOf([], 'cluster', log('etcdserver: no leader'))[0]).toBe('quorum-lost')
  expect(firstOf([], 'cluster', log('slow fdatasync took 2.1s'))[0]).toBe('store-slow')
  expect(firstOf([], 'cluster')[0]).toBe('well')
  expect(diagnose({ objects: [], about: 'pod/market/none', now })).toBeNull()
})
