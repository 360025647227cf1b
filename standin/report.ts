/** What the outside tells when it is asked: only what its own interfaces would report, never its plans. */
import { apiAnswers, membersUp } from './cluster/api'
import { dnsAnswers } from './cluster/add-ons'
import { loads } from './cluster/pods'
import type { Simulator } from './engine/simulator'
import type { Cluster, ClusterEvent, Node, Pod, Site } from './world'

export interface NodeReport extends Node {
  readonly requestedCpuMilli: number
  readonly requestedMemoryBytes: number
  readonly podCount: number
}

export interface ClusterReport {
  readonly name: string
  readonly apiAnswers: boolean
  readonly membersUp: number
  readonly members: readonly string[]
  readonly release: string
  readonly endpoint: string
  readonly nodes: readonly NodeReport[]
  readonly podCount: number
  readonly dnsAnswers: boolean
  /** When its certificates end (ms). */
  readonly certificatesUntil: number
  readonly backups: readonly { readonly id: string; readonly at: number; readonly bytes: number; readonly objects: number }[]
}

export const siteReport = (sim: Simulator, name: string): Site | null => sim.site(name) ?? null

/** A cluster as its API tells it; of one whose API does not answer only that. */
export function clusterReport(sim: Simulator, name: string): ClusterReport | null {
  const cluster = sim.cluster(name)
  if (!cluster) return null
  const answers = apiAnswers(sim, cluster)
  const load = loads(cluster)
  return {
    name,
    apiAnswers: answers,
    membersUp: membersUp(sim, cluster),
    members: cluster.members,
    release: cluster.release,
    endpoint: cluster.endpoint,
    nodes: answers ? cluster.nodes.map((node) => ({ ...node, requestedCpuMilli: load.get(node.name)?.cpuMilli ?? 0, requestedMemoryBytes: load.get(node.name)?.memoryBytes ?? 0, podCount: load.get(node.name)?.pods ?? 0 })) : [],
    certificatesUntil: cluster.certificatesUntil,
    backups: cluster.backups.map(({ body: _body, ...backup }) => backup),
    podCount: answers ? cluster.running.length : 0,
    dnsAnswers: answers && dnsAnswers(cluster),
  }
}

const iso = (ms: number): string => new Date(ms).toISOString().replace(/\.\d+Z$/, 'Z')

/** Heartbeats change nothing, so they are derived: every 10 s on the clock. */
const heartbeat = (now: number): string => iso(Math.floor(now / 10_000) * 10_000)

function nodeObject(node: Node, now: number, maxPods: number): Record<string, unknown> {
  return {
    apiVersion: 'v1',
    kind: 'Node',
    metadata: { name: node.name, labels: node.labels, creationTimestamp: iso(node.createdAt) },
    spec: { ...(node.cordoned ? { unschedulable: true } : {}), taints: node.taints.map((taint) => ({ ...taint })) },
    status: {
      capacity: { cpu: String(node.cpuMilli / 1000), memory: String(node.memoryBytes), pods: String(maxPods) },
      allocatable: { cpu: `${node.allocatableCpuMilli}m`, memory: String(node.allocatableMemoryBytes), pods: String(maxPods) },
      addresses: [{ type: 'InternalIP', address: node.address }, { type: 'Hostname', address: node.name }],
      conditions: node.conditions.map((condition) => ({ type: condition.type, status: condition.status, reason: condition.reason, message: condition.message, lastTransitionTime: iso(condition.since), lastHeartbeatTime: heartbeat(now) })),
      nodeInfo: { kubeletVersion: `v${node.release}` },
    },
  }
}

function podObject(pod: Pod, cluster: Cluster): Record<string, unknown> {
  const workload = cluster.workloads.find((other) => other.namespace === pod.namespace && other.name === pod.workload)
  const running = pod.phase === 'Running'
  return {
    apiVersion: 'v1',
    kind: 'Pod',
    metadata: { name: pod.name, namespace: pod.namespace, labels: { app: pod.workload }, creationTimestamp: iso(pod.createdAt), ...(workload ? { ownerReferences: [{ apiVersion: 'apps/v1', kind: workload.kind, name: workload.name, controller: true }] } : {}) },
    spec: {
      ...(pod.node === null ? {} : { nodeName: pod.node }),
      serviceAccountName: workload?.serviceAccount ?? 'default',
      containers: [{ name: pod.workload, image: workload?.image ?? '', resources: { requests: { cpu: `${pod.cpuMilli}m`, memory: String(pod.memoryBytes) } } }],
    },
    status: {
      phase: pod.phase,
      ...(pod.ip === null ? {} : { podIP: pod.ip }),
      ...(pod.startedAt === null ? {} : { startTime: iso(pod.startedAt) }),
      conditions: [
        { type: 'PodScheduled', status: pod.node === null ? 'False' : 'True', ...(pod.waits === null ? {} : { reason: 'Unschedulable', message: pod.waits }) },
        { type: 'Ready', status: running ? 'True' : 'False' },
      ],
    },
  }
}

function workloadObjects(cluster: Cluster): readonly Record<string, unknown>[] {
  return cluster.workloads.map((workload) => {
    const pods = cluster.running.filter((pod) => pod.namespace === workload.namespace && pod.workload === workload.name)
    const ready = pods.filter((pod) => pod.phase === 'Running').length
    const template = { metadata: { labels: { app: workload.name } }, spec: { serviceAccountName: workload.serviceAccount, containers: [{ name: workload.name, image: workload.image, resources: { requests: { cpu: `${workload.cpuMilli}m`, memory: String(workload.memoryBytes) } } }] } }
    const common = { metadata: { name: workload.name, namespace: workload.namespace, creationTimestamp: iso(workload.createdAt) } }
    if (workload.kind === 'CronJob') return { apiVersion: 'batch/v1', kind: 'CronJob', ...common, spec: { schedule: '0 1 * * *', jobTemplate: { spec: { template } } }, status: {} }
    const selector = { matchLabels: { app: workload.name } }
    return workload.kind === 'DaemonSet'
      ? { apiVersion: 'apps/v1', kind: 'DaemonSet', ...common, spec: { selector, template }, status: { desiredNumberScheduled: pods.length, numberReady: ready } }
      : { apiVersion: 'apps/v1', kind: workload.kind, ...common, spec: { replicas: workload.replicas, selector, template }, status: { replicas: pods.length, readyReplicas: ready } }
  })
}

/** The objects a cluster’s API lists, in a stable order: by kind, then namespace, then name. */
export function objectsOf(sim: Simulator, name: string, filter: { readonly kind?: string | undefined; readonly namespace?: string | undefined }): readonly Record<string, unknown>[] | null {
  const cluster = sim.cluster(name)
  if (!cluster || !apiAnswers(sim, cluster)) return null
  const wants = (kind: string): boolean => filter.kind === undefined || filter.kind.toLowerCase() === kind.toLowerCase()
  const here = (namespace: string): boolean => filter.namespace === undefined || filter.namespace === namespace
  const all: Record<string, unknown>[] = []
  if (wants('Namespace') && filter.namespace === undefined) all.push(...cluster.namespaces.map((namespace) => ({ apiVersion: 'v1', kind: 'Namespace', metadata: { name: namespace, labels: { 'kubernetes.io/metadata.name': namespace } }, status: { phase: 'Active' } })))
  if (wants('Node') && filter.namespace === undefined) all.push(...cluster.nodes.map((node) => nodeObject(node, sim.now, cluster.maxPodsPerNode)))
  all.push(...workloadObjects(cluster).filter((object) => wants(String(object['kind'])) && here(String((object['metadata'] as Record<string, unknown>)['namespace']))))
  if (wants('StorageClass') && filter.namespace === undefined && cluster.storageClass) all.push({ apiVersion: 'storage.k8s.io/v1', kind: 'StorageClass', metadata: { name: cluster.storageClass.name, annotations: { 'storageclass.kubernetes.io/is-default-class': 'true' } }, volumeBindingMode: 'WaitForFirstConsumer', allowedTopologies: [{ matchLabelExpressions: [{ key: 'topology.kubernetes.io/zone', values: cluster.storageClass.zones }] }] })
  if (wants('Pod')) all.push(...cluster.running.filter((pod) => here(pod.namespace)).map((pod) => podObject(pod, cluster)))
  if (wants('Service')) {
    all.push(...cluster.serviceList.filter((service) => here(service.namespace)).map((service) => ({ apiVersion: 'v1', kind: 'Service', metadata: { name: service.name, namespace: service.namespace }, spec: { type: 'ClusterIP', clusterIP: service.address, ports: [{ port: service.port }], ...(service.workload ? { selector: { app: service.workload } } : {}) } })))
  }
  const sortKey = (object: Record<string, unknown>): string => {
    const metadata = object['metadata'] as Record<string, unknown>
    return `${String(object['kind'])}\n${String(metadata['namespace'] ?? '')}\n${String(metadata['name'])}`
  }
  return all.map((object) => ({ object, key: sortKey(object) })).sort((a, b) => (a.key < b.key ? -1 : a.key > b.key ? 1 : 0)).map(({ object }) => object)
}

export const eventsOf = (sim: Simulator, name: string): readonly ClusterEvent[] => sim.cluster(name)?.events ?? []
