/** What is easily taken for something else, quotas, and whole clusters, in the words of their events and logs. */
import { describe, expect, it } from 'vitest'
import { diagnose } from './diagnose'
import { ago, event, firstOf, node, now, type Parts, unplaced, waiting } from './testing/exports'

const about = 'pod/market/api'
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
describe('what is easily taken for something else', () => {
  it('is a runtime that is gone, not a full disk, where nothing can be collected for want of it', () => {
    const objects = [
      silent,
      nodeEvent(
        'ContainerGCFailed',
        'rpc error: code = Unavailable desc = connection error: desc = "transport: Error while dialing dial unix /run/containerd/containerd.sock: connect: connection refused"',
      ),
    ]
    expect(firstOf(objects, 'node/n1')[0]).toBe('runtime-down')
  })

  it('is nothing at all, where an agent says what it says at every start', () => {
    const objects = [
      silent,
      nodeEvent('InvalidDiskCapacity', 'invalid capacity 0 on image filesystem'),
    ]
    expect(firstOf(objects, 'node/n1')).toEqual(['none', null])
  })

  it('is room, where the other nodes are not even well', () => {
    const message =
      '0/2 nodes are available: 1 Insufficient memory, 1 node(s) had untolerated taint {node.kubernetes.io/disk-pressure: }.'
    const strained = node([
      { type: 'Ready', status: 'True' },
      { type: 'DiskPressure', status: 'True', message: 'kubelet has disk pressure' },
    ])
    const causes = diagnose({ objects: [unplaced(message), strained], about, now })?.causes
    expect(causes?.map(({ cause }) => cause)).toEqual(['no-room', 'disk-full'])
  })

  it('is memory, where the kernel killed something just when the container ended', () => {
    const container = waiting('CrashLoopBackOff', 'back-off 5m0s', {
      restartCount: 2,
      lastState: { terminated: { reason: 'Error', exitCode: 137, finishedAt: ago(3) } },
    })
    const kill = (minutes: number) =>
      nodeEvent('OOMKilling', 'Memory cgroup out of memory: Killed process 9 (java)', {
        lastTimestamp: ago(minutes),
      })
    expect(firstOf([container, kill(3)])[0]).toBe('memory-killed')
    expect(firstOf([container, kill(40)])[0]).toBe('crash')
  })
})

describe('a quota', () => {
  it('that is exceeded is to be raised by what is missing', () => {
    const owner = (kind: string, name: string) => ({
      ownerReferences: [{ kind, name, controller: true }],
    })
    const diagnosis = diagnose({
      objects: [
        {
          kind: 'Deployment',
          metadata: { name: 'api', namespace: 'market' },
          spec: { replicas: 3 },
        },
        {
          kind: 'ReplicaSet',
          metadata: { name: 'api-1', namespace: 'market', ...owner('Deployment', 'api') },
          spec: { replicas: 3 },
        },
        {
          kind: 'ResourceQuota',
          metadata: { name: 'share', namespace: 'market' },
          spec: { hard: { 'requests.cpu': '2' } },
        },
        event(
          'FailedCreate',
          'Error creating: pods "api-1-x" is forbidden: exceeded quota: share, requested: requests.cpu=500m, used: requests.cpu=1800m, limited: requests.cpu=2',
          { involvedObject: { kind: 'ReplicaSet', namespace: 'market', name: 'api-1' } },
        ),
      ],
      about: 'deployment/market/api',
      now,
    })
    expect(diagnosis?.causes[0]).toMatchObject({
      cause: 'quota',
      about: 'resourcequota/market/share',
      remedies: [
        { patch: [{ op: 'replace', path: '/objects/2/spec/hard/requests.cpu', value: '2300m' }] },
      ],
    })
  })
})

describe('a cluster', () => {
  const lines = (...all: string[]) => [{ from: 'pod/kube-system/etcd-a', lines: all }]
  it.each([
    [
      'store-slow',
      [
        '{"level":"warn","ts":"2026-03-02T05:58:00Z","msg":"slow fdatasync","took":"2.1s"}',
        '{"level":"warn","ts":"2026-03-02T05:58:01Z","msg":"leader failed to send out heartbeat on time; took too long, leader is overloaded likely from slow disk"}',
      ],
    ],
    ['store-full', ['etcdserver: mvcc: database space exceeded']],
    [
      'member-down',
      [
        '{"level":"warn","ts":"2026-03-02T05:58:00Z","msg":"prober detected unhealthy status","remote-peer-id":"ab","error":"dial tcp 10.0.0.3:2380: connect: connection refused"}',
      ],
    ],
    [
      'quorum-lost',
      [
        '{"level":"warn","msg":"prober detected unhealthy status"}',
        '{"level":"warn","msg":"prober detected unhealthy status","rtt":"0s"}',
        '{"level":"error","msg":"etcdserver: no leader"}',
      ],
    ],
    [
      'api-overloaded',
      ['"HTTP" verb="LIST" URI="/api/v1/pods" resp=429 too many requests, please try again later'],
    ],
  ])('%s', (cause, log) => expect(firstOf([silent], 'cluster', lines(...log))[0]).toBe(cause))

  it('is not slow for one request that took long, and is for many', () => {
    const took = '{"level":"warn","msg":"apply request took too long","took":"180ms"}'
    expect(firstOf([silent], 'cluster', lines(took))).toEqual(['well', null])
    const many = [1, 2, 3].map((nth) => took.replace('180ms', `${nth}.2s`))
    expect(firstOf([silent], 'cluster', lines(...many))[0]).toBe('store-slow')
  })

  it('has its quorum again once a leader is elected', () => {
    const log = lines(
      '{"ts":"2026-03-02T05:50:00Z","msg":"etcdserver: no leader"}',
      '{"ts":"2026-03-02T05:51:00Z","msg":"raft.node: a elected leader a at term 3"}',
    )
    expect(firstOf([silent], 'cluster', log)).toEqual(['well', null])
  })
})

it('reads lists whose items leave out their kind, and logs of hundreds of thousands of lines', () => {
  const { kind: _kind, ...bare } = waiting('CreateContainerConfigError', 'secret "s" not found')
  expect(firstOf([{ kind: 'PodList', items: [bare] }])).toEqual(['config-missing', about])
  const many = Array.from({ length: 200_000 }, (_, line) => `2026-03-02T05:00:00Z line ${line}`)
  expect(firstOf([silent], 'node/n1', [{ from: 'node/n1', lines: many }])).toEqual(['none', null])
})
