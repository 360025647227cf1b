/** The objects that a cluster’s API lists. */
import { digestOf, gpuResource, isPodOf, text, record } from '../cluster/manifests'
import { pulledDigest } from '../cluster/pulling'
import type { World } from '../world'
import type { Cluster, Node, Workload } from '../cluster-state'
import { compareText, isoTime } from '../../core/units'
import { endpointSlices, serviceObjects } from './services'
import { apiAnswers } from '../cluster/api'
import type { Simulator } from '../engine/simulator'
import { standardObjects } from '../cluster/standard-objects'
import { masked, withOwners } from './written'
import { podObject } from './pods'
import { workloadObjects } from './workloads'
import { driverOf, type Storage } from '../storage/state'

/** Heartbeats change nothing, so they are derived: every 10 s on the clock. */
const heartbeat = (now: number): string => isoTime(Math.floor(now / 10_000) * 10_000)
export function nodeObject(node: Node, now: number, maxPods: number): Record<string, unknown> {
  return {
    apiVersion: 'v1',
    kind: 'Node',
    metadata: { name: node.name, labels: node.labels, creationTimestamp: isoTime(node.createdAt) },
    spec: {
      ...(node.cordoned ? { unschedulable: true } : {}),
      taints: [
        ...node.taints.map((taint) => ({ ...taint })),
        ...(node.cordoned
          ? [{ key: 'node.kubernetes.io/unschedulable', effect: 'NoSchedule' }]
          : []),
      ],
    },
    status: {
      capacity: {
        cpu: String(node.cpuMilli / 1000),
        memory: String(node.memoryBytes),
        pods: String(maxPods),
        ...(node.gpus > 0 ? { [gpuResource]: String(node.gpus) } : {}),
      },
      allocatable: {
        cpu: `${node.allocatableCpuMilli}m`,
        memory: String(node.allocatableMemoryBytes),
        pods: String(maxPods),
        ...(node.gpus > 0 ? { [gpuResource]: String(node.gpus) } : {}),
      },
      addresses: [
        { type: 'InternalIP', address: node.address },
        { type: 'Hostname', address: node.name },
      ],
      conditions: node.conditions.map((condition) => ({
        type: condition.type,
        status: condition.status,
        reason: condition.reason,
        message: condition.message,
        lastTransitionTime: isoTime(condition.since),
        lastHeartbeatTime: heartbeat(now),
      })),
      nodeInfo: { kubeletVersion: `v${node.release}` },
    },
  }
}

function namespaceObjects(cluster: Cluster): readonly Record<string, unknown>[] {
  return cluster.namespaces.map((name) => {
    const own = (cluster.objects ?? []).find(
      (object) => object.kind === 'Namespace' && object.metadata.name === name,
    )
    const bare = { apiVersion: 'v1', kind: 'Namespace', metadata: { name } }
    const object = withOwners(cluster, own ?? bare, cluster.createdAt)
    const labels = { 'kubernetes.io/metadata.name': name, ...own?.metadata.labels }
    return {
      ...object,
      metadata: { ...record(object['metadata']), labels },
      status: { phase: 'Active' },
    }
  })
}

/** Objects as they were written, but for those that are told with what the cluster made of them. */
function writtenObjects(cluster: Cluster, isWhole: boolean): readonly Record<string, unknown>[] {
  const services = new Set(cluster.serviceList.map(keyOf))
  return (cluster.objects ?? [])
    .filter((object) => {
      if (object.kind === 'Namespace') return false
      const { name, namespace = '' } = object.metadata
      return object.kind !== 'Service' || !services.has(keyOf({ name, namespace }))
    })
    .map((object) => withOwners(cluster, isWhole ? object : masked(object), cluster.createdAt))
}

const keyOf = (named: { readonly name: string; readonly namespace: string }): string =>
  `${named.namespace}/${named.name}`

const storageClassObject = ({ name, zones }: NonNullable<Cluster['storageClass']>) => ({
  apiVersion: 'storage.k8s.io/v1',
  kind: 'StorageClass',
  provisioner: 'disks.fernhollow.example',
  metadata: { name, annotations: { 'storageclass.kubernetes.io/is-default-class': 'true' } },
  volumeBindingMode: 'WaitForFirstConsumer',
  allowedTopologies: [
    { matchLabelExpressions: [{ key: 'topology.kubernetes.io/zone', values: zones }] },
  ],
})

/** How many volumes of the replicated storage each node can serve. */
const csiNodes = (cluster: Cluster, storage: Storage) =>
  cluster.nodes.map((node) => ({
    apiVersion: 'storage.k8s.io/v1',
    kind: 'CSINode',
    metadata: { name: node.name },
    spec: {
      drivers: [
        { name: driverOf(storage), nodeID: node.name, allocatable: { count: storage.attachLimit } },
      ],
    },
  }))

function podObjects(world: World, cluster: Cluster): readonly Record<string, unknown>[] {
  const cache = new Map<string, string>()
  const digests = (image: string): string => {
    const digest = cache.get(image) ?? pulledDigest(world, cluster, image) ?? digestOf(image)
    cache.set(image, digest)
    return digest
  }
  const workloads = new Map<string, Workload[]>()
  for (const workload of cluster.workloads) {
    const alike = workloads.get(keyOf(workload))
    if (alike) alike.push(workload)
    else workloads.set(keyOf(workload), [workload])
  }
  return cluster.running.map((pod) => {
    const alike = workloads.get(`${pod.namespace}/${pod.workload}`)
    const workload = alike?.find((each) => isPodOf(pod, each))
    return podObject(pod, cluster, workload, digests)
  })
}

interface Filter {
  readonly kind?: string | undefined
  readonly namespace?: string | undefined
  /** With what secrets hold: for who asks the cluster itself. */
  readonly isWhole?: boolean
}

/** The objects a cluster’s API lists, in a stable order: by kind, then namespace, then name. */
export function objectsOf(
  sim: Simulator,
  name: string,
  filter: Filter,
): readonly Record<string, unknown>[] | null {
  const cluster = sim.cluster(name)
  if (!cluster || !apiAnswers(sim, cluster)) return null
  const wants = (kind: string): boolean =>
    filter.kind === undefined || filter.kind.toLowerCase() === kind.toLowerCase()
  const all: Record<string, unknown>[] = [
    ...writtenObjects(cluster, filter.isWhole === true),
    ...workloadObjects(cluster),
  ]
  all.push(
    ...standardObjects(cluster)
      .filter(({ kind }) => wants(kind))
      .map((object) => withOwners(cluster, object, cluster.createdAt)),
  )
  if (wants('Namespace')) all.push(...namespaceObjects(cluster))
  if (wants('Node'))
    all.push(...cluster.nodes.map((node) => nodeObject(node, sim.now, cluster.maxPodsPerNode)))
  if (wants('StorageClass') && cluster.storageClass)
    all.push(storageClassObject(cluster.storageClass))
  if (wants('CSINode') && cluster.storage) all.push(...csiNodes(cluster, cluster.storage))
  if (wants('Pod')) all.push(...podObjects(sim.world, cluster))
  if (wants('Service')) all.push(...serviceObjects(sim, cluster))
  if (wants('EndpointSlice')) all.push(...endpointSlices(cluster))
  return all
    .map((object) => ({ object, metadata: record(object['metadata']) }))
    .filter(
      ({ object, metadata }) =>
        wants(text(object['kind'])) &&
        (filter.namespace === undefined || metadata['namespace'] === filter.namespace),
    )
    .map(({ object, metadata }) => ({
      object,
      key: `${text(object['kind'])}\n${text(metadata['namespace'])}\n${text(metadata['name'])}`,
    }))
    .sort((a, b) => compareText(a.key, b.key))
    .map(({ object }) => object)
}
