/** A fleet and a cluster with nothing in them: a test writes only what it is about. */
import { bareFleet as emptyFleet, type ClusterView, type FleetView, type NodeView } from '../fleet'

export const bareFleet = (parts: Partial<FleetView> = {}): FleetView => ({
  ...emptyFleet('2026-03-02T06:00:00Z'),
  ...parts,
})

export const bareCluster = (
  name: string,
  site: string,
  parts: Partial<ClusterView> = {},
): ClusterView => ({
  name,
  site,
  guarded: false,
  labels: {},
  release: '1.33.2',
  controlPlane: { kind: 'managed', tier: 'plain' },
  endpoint: '',
  apiAnswers: true,
  membersUp: 0,
  resting: false,
  restingSince: null,
  restingMachines: [],
  restingNodes: [],
  rest: null,
  autoscale: null,
  pods: '10.130.0.0/18',
  services: '10.131.0.0/20',
  maxPodsPerNode: 110,
  drives: [],
  pools: [],
  podCount: 0,
  namespaces: [],
  dnsAnswers: true,
  certificatesUntil: null,
  backups: [],
  observedAt: '2026-03-02T06:00:00Z',
  ...parts,
})

/** A node without conditions: nobody has said how it is. */
export const bareNode = (name: string, parts: Partial<NodeView> = {}): NodeView => ({
  name,
  pool: 'general',
  zone: 'a',
  roles: ['worker'],
  machine: name,
  address: '',
  release: '1.33.2',
  conditions: [],
  cordoned: false,
  cpuMilli: 1,
  memoryBytes: 1,
  allocatableCpuMilli: 1,
  allocatableMemoryBytes: 1,
  requestedCpuMilli: 0,
  requestedMemoryBytes: 0,
  pods: 0,
  createdAt: '',
  ...parts,
})
