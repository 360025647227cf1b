/** A cluster of the scenario as it stands at the beginning. */

import { parseCidr, clusterRanges } from '../core/addresses'
import { fieldsOf, isIdentity } from '../core/objects'
import { parseCpuMilli, parseBytes } from '../core/units'
import { standMachine } from './build-site'
import { plain } from './build-site'
import type { Cluster, Node, Manifest, Workload } from './cluster-state'
import { addService, nextServiceAddress } from './cluster/add-ons'
import { mirrorOf } from './registry/held'
import { objectKey } from './cluster/manifests'
import { newNode, calmConditions, readyCondition } from './cluster/nodes'
import { newPod, startPod } from './cluster/pods'
import { schedulePod } from './cluster/placing'
import { loads } from './cluster/placing'
import { networkWorkload, addOnWorkloads } from './cluster/platform'
import type { ScenarioCluster, Scenario } from './scenario'
import type { Site, Machine } from './site-state'
import { enterAddress } from './sites/addresses'
import { buildStorage, storageObjects } from './storage/build'

export const year = 365 * 86_400_000
/** Certificates are renewed at every anniversary that leaves less than a quarter of a year. */
export function renewedUntil(madeAt: number, now: number): number {
  let until = madeAt + year
  while (until < now + year / 4) until += year
  return until
}

interface Building {
  readonly spec: ScenarioCluster
  readonly site: Site
  readonly scenario: Scenario
  /** When the cluster was made. */
  readonly at: number
  /** Cores in use by host. */
  readonly busy: Map<string, number>
}

const ownPlane = ({ controlPlane }: ScenarioCluster) =>
  controlPlane.kind === 'own' ? controlPlane : null

/** A cluster without nodes and workloads. */
function bareCluster({ spec, site, scenario, at }: Building): Cluster {
  const pods = parseCidr(spec.pods)
  const services = parseCidr(spec.services)
  const ranges = pods.ok && services.ok ? clusterRanges(pods.value, 110, services.value) : null
  const apiAddress = ranges?.ok ? (ranges.value.apiAddress ?? '') : ''
  const own = ownPlane(spec)
  return {
    name: spec.name,
    site: spec.site,
    release: spec.release,
    addOns: spec.addOns,
    managed: own === null,
    endpoint: own
      ? `https://${own.addresses[0] ?? ''}:6443`
      : `https://${site.managedFrom ?? ''}:443`,
    pods: spec.pods,
    services: spec.services,
    apiAddress,
    dnsAddress: ranges?.ok ? (ranges.value.dnsAddress ?? '') : '',
    maxPodsPerNode: 110,
    members: [],
    apiUp: true,
    namespaces: ['default', 'platform'],
    nodes: [],
    workloads: [],
    running: [],
    serviceList: [
      { namespace: 'default', name: 'kubernetes', address: apiAddress, port: 443, workload: '' },
    ],
    events: [],
    nextBlock: 0,
    nextName: 0,
    tokens: 0,
    certificatesUntil: renewedUntil(at, Date.parse(scenario.start)),
    backups: [],
    createdAt: at,
    ...mirrorOf(scenario.outside, site),
    ...(spec.apiClients.length === 0
      ? {}
      : {
          apiClients: spec.apiClients.map((client) => ({
            ...client,
            cluster: client.cluster ?? spec.name,
          })),
        }),
  }
}

/** A machine in use as a node, strained where the scenario says so. */
function addNode(
  cluster: Cluster,
  { spec, scenario, at }: Building,
  machine: Machine,
  { pool, roles, taints }: Pick<Node, 'pool' | 'roles' | 'taints'>,
): void {
  const { name, zone } = machine
  const node = newNode(cluster, machine, { name, pool, zone, roles, labels: {}, taints }, at)
  const strain = spec.strained.find((candidate) => candidate.node === name)
  const since = Date.parse(scenario.start) - 47 * 60_000
  const conditions = calmConditions(at).map((condition) =>
    strain?.type === condition.type
      ? {
          ...condition,
          status: 'True' as const,
          reason: `NodeHas${strain.type}`,
          message: strain.message,
          since,
        }
      : condition,
  )
  node.conditions = [...conditions, readyCondition(at)]
  cluster.nodes.push(node)
}

/** The control plane: addresses and machines of its own, or one that the site runs. */
function addControlPlane(cluster: Cluster, building: Building): void {
  const { spec, site, at, busy } = building
  if (spec.controlPlane.kind === 'managed') {
    site.controlPlanes.push({
      cluster: spec.name,
      tier: spec.controlPlane.tier,
      release: spec.release,
      address: site.managedFrom ?? '',
    })
    return
  }
  const own = spec.controlPlane
  const memberName = (i: number): string => `${spec.name}-cp-${i}`
  const holder = (i: number): string => {
    if (i === 0) return `${spec.name} API`
    return i <= own.count ? memberName(i) : `${spec.name} spare`
  }
  const management = site.networks.find((network) => network.role === 'management')
  for (const [i, address] of own.addresses.entries())
    enterAddress(site, {
      address,
      network: management?.name ?? '',
      for: holder(i),
      cluster: spec.name,
      how: 'static',
    })
  for (let i = 0; i < own.count; i++) {
    const machine = standMachine(
      site,
      spec,
      memberName(i + 1),
      site.zones[i % site.zones.length] ?? '',
      own.size,
      'on-demand',
      own.addresses[i + 1] ?? null,
      'control-plane',
      at,
      busy,
    )
    cluster.members.push(machine.name)
    addNode(cluster, building, machine, {
      pool: 'control-plane',
      roles: ['control-plane'],
      taints: [{ key: 'node-role.kubernetes.io/control-plane', value: '', effect: 'NoSchedule' }],
    })
  }
}

function addPools(cluster: Cluster, building: Building): void {
  const { spec, site, at, busy } = building
  for (const pool of spec.pools) {
    const offered = site.sizes.find((size) => size.name === pool.size)?.zones ?? site.zones
    const zones = site.zones.filter((zone) => offered.includes(zone))
    for (let i = 0; i < pool.count; i++) {
      const machine = standMachine(
        site,
        spec,
        `${spec.name}-${pool.name}-${i + 1}`,
        zones[i % zones.length] ?? '',
        pool.size,
        pool.lifetime,
        null,
        'worker',
        at,
        busy,
      )
      addNode(cluster, building, machine, {
        pool: pool.name,
        roles: ['worker'],
        taints: pool.taints,
      })
    }
  }
}

/** What a team has written to the cluster, and its ownership of every field of it. */
function addWritten(cluster: Cluster, { spec, scenario }: Building): void {
  const written = scenario.objects
    .filter((object) => object.cluster === spec.name)
    .flatMap((object) => object.manifests) as readonly Manifest[]
  if (written.length === 0) return
  cluster.objects = [...(cluster.objects ?? []), ...structuredClone(written)]
  const namespaces = written
    .filter((manifest) => manifest.kind === 'Namespace')
    .map((manifest) => manifest.metadata.name)
  cluster.namespaces = [...new Set([...cluster.namespaces, ...namespaces])].sort()
  const ownedFields = (manifest: Manifest): Readonly<Record<string, string>> =>
    Object.fromEntries(
      [...fieldsOf(manifest).keys()]
        .filter((path) => !isIdentity(path))
        .map((path) => [path, 'team-files']),
    )
  cluster.owners = Object.fromEntries(
    written.map((manifest) => [objectKey(manifest), ownedFields(manifest)]),
  )
  for (const manifest of written) if (manifest.kind === 'Service') addService(cluster, manifest)
}

/** Who calls whom there, and how much over the day. */
function addTraffic(cluster: Cluster, { spec, scenario }: Building): void {
  const flows = scenario.flows
    .filter((flow) => flow.cluster === spec.name)
    .map(({ cluster: _cluster, ...flow }) => plain(flow) as NonNullable<Cluster['flows']>[number])
  if (flows.length > 0) Object.assign(cluster, { flows })
  const load = scenario.loads.filter((entry) => entry.cluster === spec.name)
  if (load.length > 0)
    cluster.load = Object.fromEntries(load.map((entry) => [entry.workload, entry.points]))
}

export function buildCluster(
  spec: ScenarioCluster,
  site: Site,
  scenario: Scenario,
  seed: number,
  busy: Map<string, number>,
): Cluster {
  const at = Date.parse(spec.madeAt)
  const building: Building = { spec, site, scenario, at, busy }
  const cluster = bareCluster(building)
  addControlPlane(cluster, building)
  addPools(cluster, building)
  if (spec.storage) {
    cluster.storage = buildStorage(cluster, site, spec.storage, Date.parse(scenario.start))
    cluster.objects = storageObjects(cluster.storage)
  }
  fillCluster(cluster, scenario, seed, at)
  addWritten(cluster, building)
  const [usual] = site.storageClasses
  if (usual) cluster.storageClass = usual
  addTraffic(cluster, building)
  return cluster
}

/** The volumes that a workload of the scenario mounts. */
const volumesOf = ({ volumes }: Scenario['workloads'][number]): Pick<Workload, 'volumes'> =>
  volumes
    ? {
        volumes: volumes.map(({ sizeGb, name, claim, class: kind }) => ({
          name,
          class: kind,
          bytes: sizeGb * 1e9,
          ...(claim === undefined ? {} : { claim }),
        })),
      }
    : {}

export function fillCluster(cluster: Cluster, scenario: Scenario, seed: number, at: number): void {
  const listed = scenario.workloads.filter((workload) => workload.cluster === cluster.name)
  const read = <T>(parsed: { ok: true; value: T } | { ok: false; says: string }): T => {
    if (!parsed.ok) throw new Error(`the scenario’s workloads: ${parsed.says}`)
    return parsed.value
  }
  const own = listed.map((spec): Workload & { readonly on?: readonly number[] | undefined } => ({
    namespace: spec.namespace,
    name: spec.name,
    kind: spec.kind,
    replicas: spec.replicas,
    cpuMilli: read(parseCpuMilli(spec.cpu)),
    memoryBytes: read(parseBytes(spec.memory)),
    gpus: spec.gpus,
    image: spec.image ?? `registry.fernhollow.example/${spec.namespace}/${spec.name}:2`,
    serviceAccount: spec.name,
    port: spec.port,
    tolerations: spec.tolerates,
    pool: spec.pool,
    ...volumesOf(spec),
    createdAt: at,
    on: spec.on,
  }))
  const platform = [networkWorkload(at), ...addOnWorkloads(at)].filter(
    (workload) =>
      !own.some(
        (candidate) =>
          candidate.namespace === workload.namespace && candidate.name === workload.name,
      ),
  )
  const all: (Workload & { readonly on?: readonly number[] | undefined })[] = [
    ...platform.filter((workload) => workload.kind === 'DaemonSet'),
    ...own,
    ...platform.filter((workload) => workload.kind !== 'DaemonSet'),
  ]
  cluster.workloads = all.map(({ on: _on, ...workload }) => workload)
  cluster.namespaces = [
    ...new Set(['default', 'platform', ...all.map((workload) => workload.namespace)]),
  ].sort()
  const load = loads(cluster)
  const sim = { world: { seed } }
  for (const { on, ...workload } of all) {
    if (workload.port !== null)
      cluster.serviceList.push({
        namespace: workload.namespace,
        name: workload.name,
        address: workload.name === 'dns' ? cluster.dnsAddress : nextServiceAddress(cluster),
        port: workload.port,
        workload: workload.name,
      })
    const nodes =
      workload.kind === 'DaemonSet'
        ? cluster.nodes
            .filter((node) => workload.pool === null || node.pool === workload.pool)
            .map((node) => node.name)
        : undefined
    const count = workload.kind === 'CronJob' ? 0 : (nodes?.length ?? workload.replicas)
    for (let i = 0; i < count; i++) {
      const pod = newPod(sim, cluster, workload, i, at)
      cluster.running.push(pod)
      const pinned =
        nodes?.[i] ??
        (on?.[i] === undefined ? undefined : `${cluster.name}-${workload.pool ?? ''}-${on[i]}`)
      schedulePod(cluster, pod, workload, load, pinned)
    }
  }
  const next = new Map<string, number>()
  for (const pod of cluster.running) {
    if (pod.node === null) continue
    // Pods that have stood for long are numbered along their node: the search for a free address is left to the living.
    const n = next.get(pod.node) ?? 0
    next.set(pod.node, n + 1)
    startPod(cluster, pod, at + 90_000, n)
  }
}
