/** What a case costs: 5,000 nodes, 20,000 pods and 50,000 events, a tenth of the nodes behind one rule. */
import { diagnose } from '../core/diagnosis'
import { type Figure, middle } from './figure'

const now = '2026-03-02T06:00:00Z'
const nodes = 5000
const pods = 20_000
const events = 50_000

const isCut = (nth: number): boolean => nth % 10 === 0

const node = (nth: number) => ({
  kind: 'Node',
  metadata: { name: `hall-${nth}`, creationTimestamp: '2026-01-01T00:00:00Z' },
  spec: {},
  status: {
    conditions: [
      isCut(nth)
        ? { type: 'Ready', status: 'Unknown', reason: 'NodeStatusUnknown', message: 'silent' }
        : { type: 'Ready', status: 'True', reason: 'KubeletReady', message: 'ready' },
    ],
    allocatable: { cpu: '8', memory: '32Gi', pods: '110' },
  },
})

const pod = (nth: number) => {
  const isWaiting = nth % 100 === 0
  return {
    kind: 'Pod',
    metadata: {
      name: `stall-${nth}`,
      namespace: 'market',
      uid: `u${nth}`,
      labels: { app: 'stall' },
      ownerReferences: [{ kind: 'ReplicaSet', name: 'stall-1', controller: true }],
    },
    spec: {
      ...(isWaiting ? {} : { nodeName: `hall-${nth % nodes}` }),
      containers: [
        { name: 'stall', image: 'market/stall:1', resources: { requests: { cpu: '1' } } },
      ],
    },
    status: {
      phase: isWaiting ? 'Pending' : 'Running',
      conditions: [{ type: 'Ready', status: isWaiting ? 'False' : 'True' }],
    },
  }
}

const event = (nth: number) => ({
  kind: 'Event',
  type: 'Warning',
  reason: 'FailedScheduling',
  message: `0/${nodes} nodes are available: ${nodes / 10} node(s) had untolerated taint {node.kubernetes.io/unreachable: }, ${(nodes / 10) * 9} Insufficient cpu.`,
  involvedObject: { kind: 'Pod', namespace: 'market', name: `stall-${(nth * 100) % pods}` },
  lastTimestamp: new Date(Date.parse(now) - (nth % 3000) * 1000).toISOString(),
})

const line =
  'E0302 05:58:00.1 1 controller.go:145] "Failed to ensure lease exists" err="Get \\"https://10.0.0.10:6443/apis\\": dial tcp 10.0.0.10:6443: i/o timeout"'

export function diagnosisFigures(): readonly Figure[] {
  const range = (count: number) => Array.from({ length: count }, (_, nth) => nth)
  const objects: unknown[] = [
    ...range(nodes).map(node),
    ...range(pods).map(pod),
    {
      kind: 'ReplicaSet',
      metadata: {
        name: 'stall-1',
        namespace: 'market',
        ownerReferences: [{ kind: 'Deployment', name: 'stall', controller: true }],
      },
      spec: { replicas: pods },
    },
    { kind: 'Deployment', metadata: { name: 'stall', namespace: 'market' } },
    ...range(events).map(event),
  ]
  const logs = range(nodes)
    .filter(isCut)
    .map((nth) => ({ from: `node/hall-${nth}`, lines: [line] }))
  const taken = (about: string): number =>
    middle(
      Array.from({ length: 3 }, () => {
        const from = performance.now()
        const diagnosis = diagnose({ objects, logs, about, now })
        if (diagnosis?.causes.length === 0) throw new Error('Nothing was said of what is broken.')
        return performance.now() - from
      }),
    ).median
  return [
    {
      name: 'a case of 5,000 nodes and 50,000 events',
      value: taken('deployment/market/stall'),
      unit: 'ms',
      aim: { atMost: 2000 },
    },
    {
      name: 'a case of one of 5,000 nodes',
      value: taken('node/hall-10'),
      unit: 'ms',
      aim: { atMost: 2000 },
    },
  ]
}
