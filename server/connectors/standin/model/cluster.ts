/** A cluster of the model: what the register has of it, what its API tells of itself, and the objects that it lists. */
import { clusterRanges, parseAddress, parseCidr } from '~/core/addresses'
import type { ClusterView, NodeView } from '~/core/fleet'
import { fieldOwners, list, record, text } from '~/core/objects'
import type { Cluster } from '~/standin'
import { objectKey } from '~/standin/model'
import type { Listed } from './listed'
import type { ObservedFleet } from './observed-fleet'
import { modelStorage } from './storage'
import { asWritten, modelObjects, modelPods, modelServices, modelWorkloads } from './workloads'

type Node = Cluster['nodes'][number]

const yearMs = 365 * 86_400_000

/** Graphics units that a node offers, whatever their maker calls them. */
export function gpusOf(node: Listed | undefined): number {
  const capacity = record(node?.status['capacity'])
  const name = Object.keys(capacity).find((key) => key.endsWith('/gpu'))
  return name === undefined ? 0 : Number(capacity[name]) || 0
}

/** Addresses of one block of the pod range. */
function blockSize(maxPodsPerNode: number): bigint {
  let size = 1n
  while (size < 2n * BigInt(maxPodsPerNode)) size *= 2n
  return size
}

/** The block of the pod range that each node has, by the address of a pod on it; null where none tells. */
function blocksOf(cluster: ClusterView, objects: readonly Listed[]): ReadonlyMap<string, number> {
  const range = parseCidr(cluster.pods)
  const blocks = new Map<string, number>()
  if (!range.ok) return blocks
  for (const object of objects) {
    if (object.kind !== 'Pod') continue
    const node = text(object.spec['nodeName'])
    const address = parseAddress(text(object.status['podIP']))
    if (node === '' || !address.ok || blocks.has(node)) continue
    const block = (address.value.value - range.value.first) / blockSize(cluster.maxPodsPerNode)
    if (block >= 0n) blocks.set(node, Number(block))
  }
  return blocks
}

function modelNodes(
  cluster: ClusterView,
  nodes: readonly NodeView[],
  objects: readonly Listed[],
): Node[] {
  const told = new Map(
    objects.flatMap((object) => (object.kind === 'Node' ? [[object.name, object] as const] : [])),
  )
  const blocks = blocksOf(cluster, objects)
  const taken = new Set(blocks.values())
  let free = 0
  const nextFree = (): number => {
    while (taken.has(free)) free++
    taken.add(free)
    return free
  }
  return nodes.map((node): Node => {
    const object = told.get(node.name)
    return {
      name: node.name,
      pool: node.pool,
      zone: node.zone,
      roles: node.roles,
      machine: node.machine,
      address: node.address,
      release: node.release,
      conditions: node.conditions.map((condition) => ({
        ...condition,
        since: Date.parse(condition.since),
      })) as Node['conditions'],
      cordoned: node.cordoned,
      labels: object?.labels ?? {},
      taints: list(object?.spec['taints'])
        .map(record)
        .filter(
          ({ key }) => key !== 'node.kubernetes.io/unschedulable',
        ) as Node['taints'][number][],
      cpuMilli: node.cpuMilli,
      memoryBytes: node.memoryBytes,
      gpus: gpusOf(object),
      allocatableCpuMilli: node.allocatableCpuMilli,
      allocatableMemoryBytes: node.allocatableMemoryBytes,
      block: blocks.get(node.name) ?? nextFree(),
      createdAt: Date.parse(node.createdAt),
    }
  })
}

/** Who wrote which field last, by object. */
const ownersIn = (objects: readonly Listed[]): NonNullable<Cluster['owners']> =>
  Object.fromEntries(
    objects.flatMap((object) => {
      const owners = fieldOwners(object.metadata['managedFields'])
      return owners.size === 0
        ? []
        : [[objectKey(asWritten(object)), Object.fromEntries(owners)] as const]
    }),
  )

/** Ranges of a cluster that told of none: those that are set aside for shared and for test networks. */
const rangesOf = ({ pods, services }: ClusterView) => ({
  pods: pods === '' ? '100.64.0.0/10' : pods,
  services: services === '' ? '198.18.0.0/15' : services,
})

export function modelCluster(
  view: ObservedFleet,
  cluster: ClusterView,
  objects: readonly Listed[],
): Cluster {
  const now = Date.parse(view.now)
  const { pods: podRange, services: serviceRange } = rangesOf(cluster)
  const pods = parseCidr(podRange)
  const services = parseCidr(serviceRange)
  const ranges =
    pods.ok && services.ok
      ? clusterRanges(pods.value, cluster.maxPodsPerNode, services.value)
      : null
  const nodes = modelNodes(
    cluster,
    cluster.pools.flatMap((pool) => pool.nodes),
    objects,
  )
  const workloads = modelWorkloads(objects, now)
  return {
    name: cluster.name,
    site: cluster.site,
    release: cluster.release,
    // The machines of one that is only reached are nobody’s to look at: its API answers by itself.
    managed: cluster.controlPlane.kind === 'managed' || cluster.reach !== undefined,
    endpoint: cluster.endpoint,
    pods: podRange,
    services: serviceRange,
    apiAddress: ranges?.ok ? (ranges.value.apiAddress ?? '') : '',
    dnsAddress: ranges?.ok ? (ranges.value.dnsAddress ?? '') : '',
    maxPodsPerNode: cluster.maxPodsPerNode,
    ...(cluster.reach ? { anyImage: true } : {}),
    ...(cluster.redirects ? { redirects: structuredClone(cluster.redirects) } : {}),
    ...(cluster.pullsAs ? { pullsAs: structuredClone(cluster.pullsAs) } : {}),
    addOns: Object.fromEntries((cluster.addOns ?? []).map(({ name, version }) => [name, version])),
    members: cluster.controlPlane.kind === 'own' ? [...cluster.controlPlane.members] : [],
    apiUp: cluster.apiAnswers,
    namespaces: [...cluster.namespaces],
    nodes,
    workloads,
    running: modelPods(objects, workloads, now),
    serviceList: modelServices(objects),
    events: [],
    nextBlock: 1 + Math.max(-1, ...nodes.map(({ block }) => block)),
    nextName: 0,
    tokens: 1,
    objects: modelObjects(objects),
    owners: ownersIn(objects),
    ...(cluster.storage ? { storage: modelStorage(cluster.storage, now) } : {}),
    keepSource: [...(cluster.keepSource ?? [])],
    // Where nobody told, nothing says that they end.
    certificatesUntil: cluster.certificatesUntil
      ? Date.parse(cluster.certificatesUntil)
      : now + yearMs,
    backups: cluster.backups.map(({ id, at, bytes, objects: count }) => ({
      id,
      at: Date.parse(at),
      bytes,
      objects: count,
      body: '',
    })),
    createdAt: now,
  }
}
