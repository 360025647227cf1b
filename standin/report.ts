/** What the outside tells when it is asked: only what its own interfaces would report, never its plans. */
import { apiAnswers, membersUp } from './cluster/api'
import { dnsAnswers } from './cluster/add-ons'
import { loads } from './cluster/pods'
import type { Simulator } from './engine/simulator'
import { managedFields } from '../core/objects/fields'
import {
  currentTemplate,
  digestOf,
  gpuResource,
  hashOf,
  imageParts,
  isCurrent,
  isReadyPod,
  list,
  manifestOf,
  objectKey,
  podLabels,
  podsOf,
  record,
  templateOf,
  text,
} from './cluster/manifests'
import { readyBehind, servicePorts, targetOn } from './traffic/path'
import type { Cluster, ClusterEvent, Machine, Manifest, Node, Pod, Site, Workload } from './world'

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
  /** Ranges towards which pods keep their own addresses. */
  readonly keepSource: readonly string[]
  readonly namespaces: readonly string[]
  readonly dnsAnswers: boolean
  /** Since when it is stopped (ms), and the machines it was given; null and none while it runs. */
  readonly restingSince: number | null
  readonly restingMachines: readonly Machine[]
  /** When its certificates end (ms). */
  readonly certificatesUntil: number
  readonly backups: readonly {
    readonly id: string
    readonly at: number
    readonly bytes: number
    readonly objects: number
  }[]
}

export function siteReport(sim: Simulator, name: string): Site | null {
  const site = sim.site(name)
  if (!site) return null
  // The bill is asked for by itself.
  const { meter: _meter, ...rest } = site
  return rest
}

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
    nodes: answers
      ? cluster.nodes.map((node) => ({
          ...node,
          requestedCpuMilli: load.get(node.name)?.cpuMilli ?? 0,
          requestedMemoryBytes: load.get(node.name)?.memoryBytes ?? 0,
          podCount: load.get(node.name)?.pods ?? 0,
        }))
      : [],
    certificatesUntil: cluster.certificatesUntil,
    backups: cluster.backups.map(({ body: _body, ...backup }) => backup),
    podCount: answers ? cluster.running.length : 0,
    keepSource: cluster.keepSource ?? [],
    namespaces: answers ? cluster.namespaces : [],
    dnsAnswers: answers && dnsAnswers(cluster),
    restingSince: cluster.resting?.since ?? null,
    restingMachines: cluster.resting?.machines ?? [],
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
        lastTransitionTime: iso(condition.since),
        lastHeartbeatTime: heartbeat(now),
      })),
      nodeInfo: { kubeletVersion: `v${node.release}` },
    },
  }
}

/** Pods of what came with the platform are its own: their priority is above that of all others. */
const platformPriority = 1_000_000

function podObject(
  pod: Pod,
  cluster: Cluster,
  workload: Workload | undefined,
): Record<string, unknown> {
  const template = workload ? templateOf(workload, pod.hash) : {}
  const spec = record(template['spec'])
  const ready = isReadyPod(pod)
  const hash = pod.hash ?? (workload ? hashOf(currentTemplate(workload)) : '')
  let owner: { apiVersion: string; kind: string; name: string } | null
  if (workload?.kind === 'Deployment')
    owner = { apiVersion: 'apps/v1', kind: 'ReplicaSet', name: `${workload.name}-${hash}` }
  else if (workload)
    owner = {
      apiVersion: workload.kind === 'Job' ? 'batch/v1' : 'apps/v1',
      kind: workload.kind,
      name: workload.name,
    }
  else owner = null
  const containers = list(spec['containers']).map(record)
  const node =
    pod.node === null ? undefined : cluster.nodes.find((other) => other.name === pod.node)
  const daemonOn = workload?.kind === 'DaemonSet' ? (pod.node ?? pod.wants ?? null) : null
  return {
    apiVersion: 'v1',
    kind: 'Pod',
    metadata: {
      name: pod.name,
      namespace: pod.namespace,
      labels: podLabels(workload, pod),
      creationTimestamp: iso(pod.createdAt),
      ...(owner ? { ownerReferences: [{ ...owner, controller: true }] } : {}),
    },
    spec: {
      ...(pod.node === null ? {} : { nodeName: pod.node }),
      ...(pod.namespace === 'platform' ? { priority: platformPriority } : {}),
      ...spec,
      ...(daemonOn === null
        ? {}
        : {
            affinity: {
              nodeAffinity: {
                requiredDuringSchedulingIgnoredDuringExecution: {
                  nodeSelectorTerms: [
                    { matchFields: [{ key: 'metadata.name', operator: 'In', values: [daemonOn] }] },
                  ],
                },
              },
            },
            tolerations: [{ operator: 'Exists' }],
          }),
      serviceAccountName: text(spec['serviceAccountName']) || 'default',
    },
    status: {
      phase: pod.phase,
      ...(pod.ip === null ? {} : { podIP: pod.ip }),
      ...(node ? { hostIP: node.address } : {}),
      ...(pod.startedAt === null
        ? {}
        : {
            startTime: iso(
              pod.createdAt < pod.startedAt - 600_000 ? pod.startedAt - 14_000 : pod.createdAt,
            ),
          }),
      conditions: [
        {
          type: 'PodScheduled',
          status: pod.node === null ? 'False' : 'True',
          ...(pod.waits === null ? {} : { reason: 'Unschedulable', message: pod.waits }),
        },
        {
          type: 'Ready',
          status: ready ? 'True' : 'False',
          ...(pod.startedAt === null ? {} : { lastTransitionTime: iso(pod.startedAt) }),
        },
      ],
      ...(pod.node === null
        ? {}
        : {
            containerStatuses: containers.map((container) => {
              let state:
                | { waiting: { reason: string; message: string } }
                | { waiting: { reason: string } }
                | { terminated: { exitCode: number; reason: string } }
                | { running: { startedAt: string } }
              if (pod.trouble) state = { waiting: { ...pod.trouble } }
              else if (pod.startedAt === null) state = { waiting: { reason: 'ContainerCreating' } }
              else if (pod.phase === 'Succeeded')
                state = { terminated: { exitCode: 0, reason: 'Completed' } }
              else state = { running: { startedAt: iso(pod.startedAt) } }
              return {
                name: text(container['name']),
                image: text(container['image']),
                imageID:
                  pod.startedAt === null
                    ? ''
                    : `${imageParts(text(container['image'])).repository}@${digestOf(text(container['image']))}`,
                ready,
                restartCount: pod.restarts ?? 0,
                state,
              }
            }),
          }),
    },
  }
}

function withOwners(cluster: Cluster, manifest: Manifest, at: number): Record<string, unknown> {
  const owners = cluster.owners?.[objectKey(manifest)]
  return {
    ...manifest,
    metadata: {
      ...manifest.metadata,
      creationTimestamp: iso(at),
      ...(owners ? { managedFields: managedFields(owners) } : {}),
    },
  }
}

function workloadObjects(cluster: Cluster): readonly Record<string, unknown>[] {
  return cluster.workloads.flatMap((workload) => {
    const pods = podsOf(cluster, workload)
    const ready = pods.filter(isReadyPod).length
    const current = pods.filter((pod) => isCurrent(workload, pod)).length
    const object = withOwners(cluster, manifestOf(workload), workload.createdAt)
    switch (workload.kind) {
      case 'CronJob':
        return [{ ...object, status: {} }]
      case 'Job':
        return [
          {
            ...object,
            status: {
              active: pods.filter((pod) => pod.phase !== 'Succeeded').length,
              succeeded: workload.completed ?? 0,
            },
          },
        ]
      case 'DaemonSet':
        return [
          {
            ...object,
            status: {
              desiredNumberScheduled: pods.length,
              numberReady: ready,
              updatedNumberScheduled: current,
            },
          },
        ]
      case 'StatefulSet':
        return [
          {
            ...object,
            status: { replicas: pods.length, readyReplicas: ready, updatedReplicas: current },
          },
        ]
      case 'Deployment': {
        const revisions = workload.revisions ?? [
          {
            number: 1,
            hash: hashOf(currentTemplate(workload)),
            template: currentTemplate(workload),
            at: workload.createdAt,
          },
        ]
        const newest = revisions.at(-1)?.hash
        const sets = revisions.map((revision) => {
          const labels = {
            ...podLabels(workload, { hash: revision.hash, workload: workload.name } as Pod),
            'pod-template-hash': revision.hash,
          }
          const mine = pods.filter((pod) => (pod.hash ?? newest) === revision.hash)
          return {
            apiVersion: 'apps/v1',
            kind: 'ReplicaSet',
            metadata: {
              name: `${workload.name}-${revision.hash}`,
              namespace: workload.namespace,
              labels,
              annotations: { 'deployment.kubernetes.io/revision': String(revision.number) },
              creationTimestamp: iso(revision.at),
              ownerReferences: [
                {
                  apiVersion: 'apps/v1',
                  kind: 'Deployment',
                  name: workload.name,
                  controller: true,
                },
              ],
            },
            spec: {
              replicas: revision.hash === newest ? workload.replicas : mine.length,
              selector: { matchLabels: labels },
              template: revision.template,
            },
            status: { replicas: mine.length, readyReplicas: mine.filter(isReadyPod).length },
          }
        })
        return [
          {
            ...object,
            status: {
              replicas: pods.length,
              updatedReplicas: current,
              readyReplicas: ready,
              availableReplicas: ready,
              unavailableReplicas: Math.max(0, workload.replicas - ready),
            },
          },
          ...sets,
        ]
      }
    }
  })
}

/** Secrets are told by name and keys, never by content. */
const masked = (manifest: Manifest): Manifest =>
  manifest.kind === 'Secret'
    ? {
        ...manifest,
        data: Object.fromEntries(
          Object.keys({ ...record(manifest['data']), ...record(manifest['stringData']) }).map(
            (key) => [key, '••••'],
          ),
        ),
        stringData: undefined,
      }
    : manifest

/** The objects a cluster’s API lists, in a stable order: by kind, then namespace, then name. */
export function objectsOf(
  sim: Simulator,
  name: string,
  filter: { readonly kind?: string | undefined; readonly namespace?: string | undefined },
): readonly Record<string, unknown>[] | null {
  const cluster = sim.cluster(name)
  if (!cluster || !apiAnswers(sim, cluster)) return null
  const wants = (kind: string): boolean =>
    filter.kind === undefined || filter.kind.toLowerCase() === kind.toLowerCase()
  const here = (namespace: string): boolean =>
    filter.namespace === undefined || filter.namespace === namespace
  const all: Record<string, unknown>[] = []
  const stored = cluster.objects ?? []
  if (wants('Namespace') && filter.namespace === undefined) {
    for (const namespace of cluster.namespaces) {
      const own = stored.find(
        (object) => object.kind === 'Namespace' && object.metadata.name === namespace,
      )
      const object = withOwners(
        cluster,
        own ?? { apiVersion: 'v1', kind: 'Namespace', metadata: { name: namespace } },
        cluster.createdAt,
      )
      all.push({
        ...object,
        metadata: {
          ...record(object['metadata']),
          labels: { 'kubernetes.io/metadata.name': namespace, ...own?.metadata.labels },
        },
        status: { phase: 'Active' },
      })
    }
  }
  const services = new Set(
    cluster.serviceList.map((service) => `${service.namespace}/${service.name}`),
  )
  for (const object of stored) {
    if (
      object.kind === 'Namespace' ||
      !wants(object.kind) ||
      (filter.namespace !== undefined && object.metadata.namespace !== filter.namespace)
    )
      continue
    if (
      object.kind === 'Service' &&
      services.has(`${object.metadata.namespace ?? ''}/${object.metadata.name}`)
    )
      continue
    all.push(withOwners(cluster, masked(object), cluster.createdAt))
  }
  if (wants('Node') && filter.namespace === undefined)
    all.push(...cluster.nodes.map((node) => nodeObject(node, sim.now, cluster.maxPodsPerNode)))
  all.push(
    ...workloadObjects(cluster).filter(
      (object) =>
        wants(String(object['kind'])) &&
        here(String((object['metadata'] as Record<string, unknown>)['namespace'])),
    ),
  )
  if (wants('StorageClass') && filter.namespace === undefined && cluster.storageClass)
    all.push({
      apiVersion: 'storage.k8s.io/v1',
      kind: 'StorageClass',
      metadata: {
        name: cluster.storageClass.name,
        annotations: { 'storageclass.kubernetes.io/is-default-class': 'true' },
      },
      volumeBindingMode: 'WaitForFirstConsumer',
      allowedTopologies: [
        {
          matchLabelExpressions: [
            { key: 'topology.kubernetes.io/zone', values: cluster.storageClass.zones },
          ],
        },
      ],
    })
  if (wants('Pod')) {
    const byName = new Map(
      cluster.workloads.map((workload) => [`${workload.namespace}/${workload.name}`, workload]),
    )
    all.push(
      ...cluster.running
        .filter((pod) => here(pod.namespace))
        .map((pod) => podObject(pod, cluster, byName.get(`${pod.namespace}/${pod.workload}`))),
    )
  }
  if (wants('Service')) {
    for (const service of cluster.serviceList.filter((one) => here(one.namespace))) {
      const written = stored.find(
        (object) =>
          object.kind === 'Service' &&
          object.metadata.namespace === service.namespace &&
          object.metadata.name === service.name,
      )
      const object = withOwners(
        cluster,
        written ?? {
          apiVersion: 'v1',
          kind: 'Service',
          metadata: { name: service.name, namespace: service.namespace },
          spec: {
            type: 'ClusterIP',
            ports: [{ port: service.port }],
            ...(service.workload ? { selector: { app: service.workload } } : {}),
          },
        },
        cluster.createdAt,
      )
      const fronts =
        sim
          .site(cluster.site)
          ?.balancers.filter(
            (one) =>
              one.cluster === cluster.name &&
              one.service === `${service.namespace}/${service.name}`,
          ) ?? []
      const spec = record(object['spec'])
      const outside =
        spec['type'] === 'LoadBalancer' || spec['type'] === 'NodePort' || fronts.length > 0
      const ports = servicePorts(cluster, service)
      all.push({
        ...object,
        spec: {
          ...spec,
          clusterIP: service.address,
          ...(outside
            ? {
                ports: ports.map((port) => ({
                  ...(port.name === '' ? {} : { name: port.name }),
                  port: port.port,
                  targetPort: port.target,
                  protocol: port.protocol,
                  nodePort: port.nodePort,
                })),
              }
            : {}),
        },
        ...(spec['type'] === 'LoadBalancer'
          ? {
              status: {
                loadBalancer:
                  fronts.length > 0 ? { ingress: fronts.map((one) => ({ ip: one.address })) } : {},
                ...(cluster.frontsWaiting?.[`${service.namespace}/${service.name}`] === undefined
                  ? {}
                  : {
                      conditions: [
                        {
                          type: 'AddressGiven',
                          status: 'False',
                          reason: 'NoAddress',
                          message: cluster.frontsWaiting[`${service.namespace}/${service.name}`],
                        },
                      ],
                    }),
              },
            }
          : {}),
      })
    }
  }
  if (wants('EndpointSlice')) {
    for (const service of cluster.serviceList.filter(
      (one) => one.workload !== '' && here(one.namespace),
    )) {
      const ready = new Set(readyBehind(cluster, service))
      const behind = [
        ...ready,
        ...cluster.running.filter(
          (pod) =>
            pod.namespace === service.namespace &&
            pod.workload === service.workload &&
            pod.ip !== null &&
            pod.phase !== 'Succeeded' &&
            !ready.has(pod),
        ),
      ].sort((a, b) => (a.name < b.name ? -1 : 1))
      const [first] = behind
      all.push({
        apiVersion: 'discovery.k8s.io/v1',
        kind: 'EndpointSlice',
        metadata: {
          name: `${service.name}-1`,
          namespace: service.namespace,
          labels: { 'kubernetes.io/service-name': service.name },
        },
        addressType: service.address.includes(':') ? 'IPv6' : 'IPv4',
        endpoints: behind.map((pod) => ({
          addresses: [pod.ip],
          conditions: { ready: isReadyPod(pod) },
          ...(pod.node === null ? {} : { nodeName: pod.node }),
          targetRef: { kind: 'Pod', namespace: pod.namespace, name: pod.name },
        })),
        ports: servicePorts(cluster, service).map((port) => {
          let portShown: number
          if (first) portShown = targetOn(cluster, first, port)
          else if (typeof port.target === 'number') portShown = port.target
          else portShown = port.port
          return {
            ...(port.name === '' ? {} : { name: port.name }),
            port: portShown,
            protocol: port.protocol,
          }
        }),
      })
    }
  }
  const sortKey = (object: Record<string, unknown>): string => {
    const metadata = object['metadata'] as Record<string, unknown>
    return `${String(object['kind'])}\n${String(metadata['namespace'] ?? '')}\n${String(metadata['name'])}`
  }
  return all
    .map((object) => ({ object, key: sortKey(object) }))
    .sort((a, b) => {
      if (a.key < b.key) return -1
      if (a.key > b.key) return 1
      return 0
    })
    .map(({ object }) => object)
}

export const eventsOf = (sim: Simulator, name: string): readonly ClusterEvent[] =>
  sim.cluster(name)?.events ?? []
