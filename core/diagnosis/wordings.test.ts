/** One thing in the wordings of several components and versions, with what else is usually there beside it. */
import { describe, expect, it } from 'vitest'
import { diagnose } from './diagnose'
import {
  ago,
  event,
  firstOf,
  node,
  now,
  type Parts,
  pod,
  unplaced,
  waiting,
} from './testing/exports'

const about = 'pod/market/api'
const notReady = (message: string, reason = 'KubeletNotReady') =>
  node([{ type: 'Ready', status: 'False', reason, message }])
const silent = node([
  {
    type: 'Ready',
    status: 'Unknown',
    reason: 'NodeStatusUnknown',
    message: 'Kubelet stopped posting node status.',
  },
])
const nodeEvent = (reason: string, message: string, parts: Parts = {}) =>
  event(reason, message, { involvedObject: { kind: 'Node', name: 'n1', uid: 'n1' }, ...parts })
const nodeLog = (...lines: string[]) => [{ from: 'node/n1', lines }]

describe('a node that is not heard, by its log', () => {
  it.each([
    [
      'E0302 05:58:00.1 1 remote_runtime.go:222] "Status from runtime service failed" err="rpc error: code = Unavailable desc = connection error: desc = \\"transport: Error while dialing dial unix /run/containerd/containerd.sock: connect: connection refused\\""',
      'runtime-down',
    ],
    [
      'E0302 05:58:00.1 1 controller.go:145] "Failed to ensure lease exists, will retry" err="Get \\"https://10.0.0.10:6443/apis/coordination.k8s.io/v1/namespaces/kube-node-lease/leases/n1\\": dial tcp 10.0.0.10:6443: i/o timeout"',
      'api-unreachable',
    ],
    [
      'E0302 05:58:00.1 1 kubelet_node_status.go:540] "Error updating node status, will retry" err="error getting node \\"n1\\": Get \\"https://api.x:6443/api/v1/nodes/n1\\": net/http: request canceled (Client.Timeout exceeded while awaiting headers)"',
      'api-unreachable',
    ],
    [
      'E0302 05:58:00.1 1 reflector.go:147] Failed to watch *v1.Service: Get "https://10.0.0.10:6443/api/v1/services": x509: certificate has expired or is not yet valid: current time 2026-03-02T05:58:00Z is after 2026-03-01T00:00:00Z',
      'certificate-expired',
    ],
    [
      'E0302 05:58:00.1 1 reflector.go:147] Failed to watch: Get "https://10.0.0.10:6443/api": tls: failed to verify certificate: x509: certificate has expired or is not yet valid: current time 2019-01-01T00:00:00Z is before 2025-03-01T00:00:00Z',
      'clock-off',
    ],
    [
      'Mar 02 05:58:00 n1 systemd[1]: Stopped kubelet.service - kubelet: The Kubernetes Node Agent.',
      'agent-stopped',
    ],
    [
      'Mar 02 05:58:00 n1 systemd[1]: kubelet.service: Main process exited, code=killed, status=9/KILL',
      'agent-stopped',
    ],
    [
      'Mar 02 05:58:00 n1 systemd[1]: containerd.service: Main process exited, code=exited, status=2/INVALIDARGUMENT',
      'runtime-down',
    ],
    [
      'E0302 05:58:00.1 1 kubelet.go:1480] "Image garbage collection failed" err="write /var/lib/x: no space left on device"',
      'disk-full',
    ],
  ])('%s', (line, cause) =>
    expect(firstOf([silent], 'node/n1', nodeLog(line))).toEqual([cause, 'node/n1']),
  )

  it('is none of them by its silence alone, nor by what was over before', () => {
    expect(firstOf([silent], 'node/n1')).toEqual(['none', null])
    const over = nodeLog(
      'E0302 05:30:00.1 1 x.go:1] Get "https://10.0.0.10:6443/api": dial tcp 10.0.0.10:6443: connect: connection refused',
      'I0302 05:31:00.1 1 x.go:1] "Successfully registered node" node="n1"',
    )
    expect(firstOf([silent], 'node/n1', over)).toEqual(['none', null])
    const old = nodeLog(
      'E0302 03:30:00.1 1 x.go:1] dial tcp 10.0.0.10:6443: connect: connection refused',
      'I0302 05:31:00.1 1 x.go:1] "hello"',
    )
    expect(firstOf([silent], 'node/n1', old)).toEqual(['none', null])
  })

  it('names what came first: an agent that ends for its certificate has an expired certificate', () => {
    const lines = nodeLog(
      'E0302 05:58:00.1 1 bootstrap.go:265] part of the existing bootstrap client certificate in /etc/kubernetes/kubelet.conf is expired: 2026-03-01 00:00:00 +0000 UTC',
      'E0302 05:58:00.2 1 run.go:74] "command failed" err="failed to run Kubelet: unable to load bootstrap kubeconfig"',
      'Mar 02 05:58:01 n1 systemd[1]: kubelet.service: Main process exited, code=exited, status=1/FAILURE',
    )
    expect(firstOf([silent], 'node/n1', lines)[0]).toBe('certificate-expired')
  })

  it('is gone where the cloud says so, and shut down where a taint does', () => {
    expect(
      firstOf(
        [
          silent,
          nodeEvent(
            'DeletingNode',
            'Deleting node n1 because it does not exist in the cloud provider',
            { type: 'Normal' },
          ),
        ],
        'node/n1',
      )[0],
    ).toBe('machine-gone')
    const shut = node(
      [{ type: 'Ready', status: 'Unknown', reason: 'NodeStatusUnknown', message: 'x' }],
      { taints: [{ key: 'node.cloudprovider.kubernetes.io/shutdown', effect: 'NoSchedule' }] },
    )
    expect(firstOf([shut], 'node/n1')[0]).toBe('machine-gone')
  })
})

describe('a node that answers', () => {
  it.each([
    [
      notReady('PLEG is not healthy: pleg was last seen active 3m2s ago; threshold is 3m0s'),
      'runtime-down',
    ],
    [notReady('[container runtime is down, PLEG is not healthy]'), 'runtime-down'],
    [
      notReady(
        'container runtime network not ready: NetworkReady=false reason:NetworkPluginNotReady message:Network plugin returns error: cni plugin not initialized',
      ),
      'network-plugin-broken',
    ],
    [
      node([
        { type: 'Ready', status: 'True' },
        {
          type: 'DiskPressure',
          status: 'True',
          reason: 'KubeletHasDiskPressure',
          message: 'kubelet has disk pressure',
        },
      ]),
      'disk-full',
    ],
    [
      node([
        { type: 'Ready', status: 'True' },
        { type: 'PIDPressure', status: 'True', message: 'kubelet has insufficient PID available' },
      ]),
      'pids-short',
    ],
  ])('%j', (object, cause) => expect(firstOf([object], 'node/n1')[0]).toBe(cause))

  it('explains its events by its pressure', () => {
    const diagnosis = diagnose({
      objects: [
        node([
          { type: 'Ready', status: 'True' },
          { type: 'DiskPressure', status: 'True', message: 'kubelet has disk pressure' },
        ]),
        nodeEvent(
          'FreeDiskSpaceFailed',
          'Failed to garbage collect required amount of images. Attempted to free 5 bytes, but only found 0 bytes eligible to free.',
        ),
        nodeEvent('EvictionThresholdMet', 'Attempting to reclaim ephemeral-storage'),
      ],
      about: 'node/n1',
      now,
    })
    expect(diagnosis?.causes.map(({ cause, share }) => [cause, share])).toEqual([['disk-full', 1]])
  })

  it('has a broken plug-in with certainty only where its agent ends by itself', () => {
    const down = notReady('container runtime network not ready: cni plugin not initialized')
    const agent = (status: Parts) => ({
      kind: 'Pod',
      metadata: { name: 'trellis-agent-x', namespace: 'kube-system', uid: 'a' },
      spec: {
        nodeName: 'n1',
        volumes: [{ name: 'b', hostPath: { path: '/opt/cni/bin' } }],
        containers: [{ name: 'agent' }],
      },
      status: {
        phase: 'Running',
        containerStatuses: [{ name: 'agent', ready: false, restartCount: 5, ...status }],
      },
    })
    const of = (status: Parts) =>
      diagnose({ objects: [down, agent(status)], about: 'node/n1', now })?.causes[0]
    expect(diagnose({ objects: [down], about: 'node/n1', now })?.causes[0]?.share).toBe(0.5)
    expect(
      of({
        state: { waiting: { reason: 'CrashLoopBackOff' } },
        lastState: {
          terminated: { reason: 'Error', exitCode: 1, finishedAt: ago(2), message: 'panic' },
        },
      }),
    ).toMatchObject({ cause: 'network-plugin-broken', share: 1 })
    expect(
      of({ state: { waiting: { reason: 'ImagePullBackOff', message: 'Back-off pulling image' } } })
        ?.cause,
    ).toBe('registry-unreachable')
  })
})

describe('a pod', () => {
  it('is told by the message that says why, not by the one after it that says only that', () => {
    const failed = (message: string, minutes: number) =>
      event('Failed', message, { lastTimestamp: ago(minutes) })
    expect(
      firstOf([
        waiting('ImagePullBackOff', 'Back-off pulling image "r/api:1"'),
        failed('Failed to pull image "r/api:1": manifest unknown', 3),
        failed('Error: ErrImagePull', 3),
        failed('Error: ImagePullBackOff', 1),
      ])[0],
    ).toBe('image-missing')
  })

  it('has no network although its sandbox is made again and again', () => {
    expect(
      firstOf([
        waiting('ContainerCreating', ''),
        event(
          'FailedCreatePodSandBox',
          'Failed to create pod sandbox: plugin type="trellis" failed (add): no IP addresses available in range',
          { lastTimestamp: ago(3) },
        ),
        event('SandboxChanged', 'Pod sandbox changed, it will be killed and re-created.', {
          type: 'Normal',
          lastTimestamp: ago(1),
        }),
      ])[0],
    ).toBe('sandbox-network')
  })

  it.each([
    [
      'Failed to create pod sandbox: rpc error: code = Unknown desc = failed to get sandbox image "r/pause:3.9": failed to pull image "r/pause:3.9": dial tcp 1.2.3.4:443: i/o timeout',
      'registry-unreachable',
      about,
    ],
    [
      'Failed to create pod sandbox: rpc error: code = Unavailable desc = connection error: dial unix /run/containerd/containerd.sock: connect: no such file or directory',
      'runtime-down',
      'node/n1',
    ],
    [
      'Failed to create pod sandbox: mkdir /var/lib/x: no space left on device',
      'disk-full',
      'node/n1',
    ],
  ])('%s', (message, cause, of) =>
    expect(
      firstOf([waiting('ContainerCreating', ''), event('FailedCreatePodSandBox', message)]),
    ).toEqual([cause, of]),
  )

  const ended = (terminated: Parts) =>
    waiting('CrashLoopBackOff', 'back-off 5m0s restarting failed container', {
      restartCount: 6,
      lastState: { terminated: { finishedAt: ago(3), ...terminated } },
    })

  it('ends by itself whatever files its own log misses', () => {
    const log = [
      {
        from: about,
        lines: [
          'fatal: stat /data/settings.yaml: no such file or directory',
          'secret "x" not found in cache',
        ],
      },
    ]
    expect(firstOf([ended({ reason: 'Error', exitCode: 1 })], about, log)[0]).toBe('crash')
  })

  it('is killed for memory where its node says so, though its status does not', () => {
    const log = nodeLog(
      'Mar 02 05:57:00 n1 kernel: Memory cgroup out of memory: Killed process 4711 (api) total-vm:1kB',
    )
    expect(firstOf([ended({ reason: 'Error', exitCode: 137 })], about, log)[0]).toBe(
      'memory-killed',
    )
    expect(firstOf([ended({ reason: 'Error', exitCode: 137 })])[0]).toBe('crash')
  })

  it('is killed for its probe, not by the hook that runs as it goes', () => {
    expect(
      firstOf([
        ended({ reason: 'Error', exitCode: 143 }),
        event('Unhealthy', 'Liveness probe failed: connection refused'),
        event('FailedPreStopHook', 'PreStopHook failed'),
        event('Unhealthy', 'Readiness probe failed: connection refused', { lastTimestamp: ago(1) }),
      ])[0],
    ).toBe('liveness-probe')
  })

  it('waits for the claim that is not bound, with what is told of that claim', () => {
    const claim = (name: string, phase: string) => ({
      kind: 'PersistentVolumeClaim',
      metadata: { name, namespace: 'market' },
      status: { phase },
    })
    const objects = [
      unplaced('0/3 nodes are available: pod has unbound immediate PersistentVolumeClaims.', {
        volumes: [
          { name: 'a', persistentVolumeClaim: { claimName: 'logs' } },
          { name: 'b', persistentVolumeClaim: { claimName: 'data' } },
        ],
      }),
      claim('logs', 'Bound'),
      claim('data', 'Pending'),
      event('ProvisioningFailed', 'storageclass.storage.k8s.io "fast" not found', {
        involvedObject: { kind: 'PersistentVolumeClaim', namespace: 'market', name: 'data' },
      }),
    ]
    expect(diagnose({ objects, about, now })?.causes).toMatchObject([
      { cause: 'claim-unbound', about: 'persistentvolumeclaim/market/data', share: 1 },
    ])
    expect(firstOf(objects, 'persistentvolumeclaim/market/data')[0]).toBe('claim-unbound')
  })

  it('waits for nodes whose own cause is known, else for nodes that are not heard', () => {
    const message =
      '0/1 nodes are available: 1 node(s) had untolerated taint {node.kubernetes.io/unreachable: }.'
    const down = notReady('container runtime is down')
    expect(firstOf([unplaced(message), down])).toEqual(['runtime-down', 'node/n1'])
    expect(firstOf([unplaced(message), silent])).toEqual(['node-lost', about])
  })

  it('shows what its node suffers from where nothing of its own is known', () => {
    expect(firstOf([pod(), notReady('container runtime is down')])).toEqual([
      'runtime-down',
      'node/n1',
    ])
  })

  it('is placed again, with a change that is proven by placing', () => {
    const worker = {
      kind: 'Node',
      metadata: { name: 'n1', labels: {} },
      spec: { taints: [{ key: 'use', value: 'store', effect: 'NoSchedule' }] },
      status: {
        conditions: [{ type: 'Ready', status: 'True' }],
        allocatable: { cpu: '4', memory: '8Gi', pods: '110' },
      },
    }
    const diagnosis = diagnose({
      objects: [
        worker,
        unplaced('0/1 nodes are available: 1 node(s) had untolerated taint {use: store}.'),
      ],
      about,
      now,
    })
    expect(diagnosis?.causes[0]?.cause).toBe('taint')
    expect(diagnosis?.causes[0]?.remedies.length).toBeGreaterThan(0)
    expect(diagnosis?.causes[0]?.remedies[0]?.says).toContain('placed again')
  })
})

describe('what a network policy keeps back', () => {
  const labelled = (name: string, app: string, ip: string) => ({
    ...pod({
      metadata: { name, labels: { app }, uid: name },
      status: { phase: 'Running', podIP: ip, conditions: [{ type: 'Ready', status: 'True' }] },
    }),
  })
  const service = {
    kind: 'Service',
    metadata: { name: 'web', namespace: 'market' },
    spec: {
      clusterIP: '10.96.0.7',
      selector: { app: 'web' },
      ports: [{ port: 80, targetPort: 8080 }],
    },
  }
  const policy = (spec: Parts) => ({
    apiVersion: 'networking.k8s.io/v1',
    kind: 'NetworkPolicy',
    metadata: { name: 'closed', namespace: 'market' },
    spec,
  })
  const only = policy({
    podSelector: { matchLabels: { app: 'web' } },
    policyTypes: ['Ingress'],
    ingress: [{ from: [{ podSelector: { matchLabels: { app: 'front' } } }] }],
  })
  const objects = [
    labelled('web-1', 'web', '10.1.0.5'),
    labelled('caller', 'shop', '10.1.0.6'),
    service,
    only,
  ]
  const log = [
    {
      from: 'pod/market/caller',
      lines: ['Get "http://web.market.svc:80/": dial tcp 10.96.0.7:80: i/o timeout'],
    },
  ]

  it.each(['pod/market/caller', 'service/market/web'])(
    'of %s is told by whose log waits in vain',
    (of) => {
      const diagnosis = diagnose({ objects, logs: log, about: of, now })
      expect(diagnosis?.causes[0]).toMatchObject({
        cause: 'policy-blocks',
        about: 'networkpolicy/market/closed',
      })
      expect(diagnosis?.causes[0]?.remedies[0]?.patch).toEqual([
        {
          op: 'add',
          path: '/objects/3/spec/ingress/-',
          value: {
            from: [{ podSelector: { matchLabels: { app: 'shop' } } }],
            ports: [{ port: 8080, protocol: 'TCP' }],
          },
        },
      ])
    },
  )

  it('of a service is told where it lets nobody in, and not where it lets somebody in', () => {
    const nobody = policy({ podSelector: {}, policyTypes: ['Ingress'] })
    expect(firstOf([...objects.slice(0, 3), nobody], 'service/market/web')[0]).toBe('policy-blocks')
    expect(
      firstOf([...objects, labelled('front-1', 'front', '10.1.0.8')], 'service/market/web')[0],
    ).toBe('well')
  })

  it('is the name server, for a pod whose names are not resolved', () => {
    const egress = policy({
      podSelector: { matchLabels: { app: 'shop' } },
      policyTypes: ['Egress'],
      egress: [{ to: [{ podSelector: { matchLabels: { app: 'web' } } }] }],
    })
    const unresolved = [
      {
        from: 'pod/market/caller',
        lines: [
          'dial tcp: lookup web.market.svc on 10.96.0.10:53: read udp 10.1.0.6:4711->10.96.0.10:53: i/o timeout',
        ],
      },
    ]
    expect(firstOf([...objects.slice(0, 3), egress], 'pod/market/caller', unresolved)[0]).toBe(
      'policy-blocks',
    )
  })
})
