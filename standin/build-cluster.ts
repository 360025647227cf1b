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

export function buildCluster(
  spec: ScenarioCluster,
  site: Site,
  scenario: Scenario,
  seed: number,
  busy: Map<string, number>,
): Cluster {
  const at = Date.parse(spec.madeAt)
  const pods = parseCidr(spec.pods)
  const services = parseCidr(spec.services)
  const ranges = pods.ok && services.ok ? clusterRanges(pods.value, 110, services.value) : null
  const own = spec.controlPlane.kind === 'own' ? spec.controlPlane : null
  if (!own && spec.controlPlane.kind === 'managed') {
    site.controlPlanes.push({
      cluster: spec.name,
      tier: spec.controlPlane.tier,
      release: spec.release,
      address: site.managedFrom ?? '',
    })
  }
  const cluster: Cluster = {
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
    apiAddress: ranges?.ok ? (ranges.value.apiAddress ?? '') : '',
    dnsAddress: ranges?.ok ? (ranges.value.dnsAddress ?? '') : '',
    maxPodsPerNode: 110,
    members: [],
    apiUp: true,
    namespaces: ['default', 'platform'],
    nodes: [],
    workloads: [],
    running: [],
    serviceList: [
      {
        namespace: 'default',
        name: 'kubernetes',
        address: ranges?.ok ? (ranges.value.apiAddress ?? '') : '',
        port: 443,
        workload: '',
      },
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
  const addNode = (
    machine: Machine,
    pool: string,
    roles: readonly string[],
    taints: Node['taints'],
  ): void => {
    const node = newNode(
      cluster,
      machine,
      { name: machine.name, pool, zone: machine.zone, roles, labels: {}, taints },
      at,
    )
    const strain = spec.strained.find((candidate) => candidate.node === machine.name)
    node.conditions = [
      ...calmConditions(at).map((condition) =>
        strain && condition.type === strain.type
          ? {
              ...condition,
              status: 'True' as const,
              reason: `NodeHas${strain.type}`,
              message: strain.message,
              since: Date.parse(scenario.start) - 47 * 60_000,
            }
          : condition,
      ),
      readyCondition(at),
    ]
    cluster.nodes.push(node)
  }
  if (own) {
    const management = site.networks.find((network) => network.role === 'management')
    const holder = (i: number): string => {
      if (i === 0) return `${spec.name} API`
      return i <= own.count ? `${spec.name}-cp-${i}` : `${spec.name} spare`
    }
    own.addresses.forEach((address, i) =>
      enterAddress(site, {
        address,
        network: management?.name ?? '',
        for: holder(i),
        cluster: spec.name,
        how: 'static',
      }),
    )
    for (let i = 0; i < own.count; i++) {
      const machine = standMachine(
        site,
        spec,
        `${spec.name}-cp-${i + 1}`,
        site.zones[i % site.zones.length] ?? '',
        own.size,
        'on-demand',
        own.addresses[i + 1] ?? null,
        'control-plane',
        at,
        busy,
      )
      cluster.members.push(machine.name)
      addNode(
        machine,
        'control-plane',
        ['control-plane'],
        [{ key: 'node-role.kubernetes.io/control-plane', value: '', effect: 'NoSchedule' }],
      )
    }
  }
  for (const pool of spec.pools) {
    for (let i = 0; i < pool.count; i++) {
      const offered = site.sizes.find((size) => size.name === pool.size)?.zones ?? site.zones
      const zones = site.zones.filter((zone) => offered.includes(zone))
      addNode(
        standMachine(
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
        ),
        pool.name,
        ['worker'],
        pool.taints,
      )
    }
  }
  if (spec.storage) {
    cluster.storage = buildStorage(cluster, site, spec.storage, Date.parse(scenario.start))
    cluster.objects = storageObjects(cluster.storage)
  }
  fillCluster(cluster, scenario, seed, at)
  const written = scenario.objects
    .filter((object) => object.cluster === spec.name)
    .flatMap((object) => object.manifests) as readonly Manifest[]
  if (written.length > 0) {
    cluster.objects = [...(cluster.objects ?? []), ...structuredClone(written)]
    cluster.namespaces = [
      ...new Set([
        ...cluster.namespaces,
        ...written.flatMap((manifest) =>
          manifest.kind === 'Namespace' ? [manifest.metadata.name] : [],
        ),
      ]),
    ].sort()
    cluster.owners = Object.fromEntries(
      written.map((manifest) => [
        objectKey(manifest),
        Object.fromEntries(
          [...fieldsOf(manifest).keys()]
            .filter((path) => !isIdentity(path))
            .map((path) => [path, 'team-files']),
        ),
      ]),
    )
  }
  const [usual] = site.storageClasses
  if (usual) cluster.storageClass = usual
  const flows = scenario.flows
    .filter((flow) => flow.cluster === spec.name)
    .map(({ cluster: _cluster, ...flow }) => plain(flow) as NonNullable<Cluster['flows']>[number])
  if (flows.length > 0) Object.assign(cluster, { flows })
  for (const manifest of written) if (manifest.kind === 'Service') addService(cluster, manifest)
  const load = scenario.loads.filter((load) => load.cluster === spec.name)
  if (load.length > 0)
    cluster.load = Object.fromEntries(load.map((entry) => [entry.workload, entry.points]))
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
