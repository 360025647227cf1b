/** Services, workloads and clusters with one thing wrong, and what they are said to suffer from. */
import { describe, expect, it } from 'vitest'
import { diagnose } from './diagnose'
import { ago, event, firstOf, node, now, type Parts, pod, waiting } from './testing/exports'

const about = 'pod/market/api'

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
