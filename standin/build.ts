/** Builds the outside world of a scenario: sites, their machines, and clusters that have run for a while. */
import { clusterRanges, parseCidr } from '../core/addresses'
import { GiB, parseBytes, parseCpuMilli } from '../core/units'
import { addService, nextServiceAddress } from './cluster/add-ons'
import { calmConditions, newNode, readyCondition } from './cluster/nodes'
import { addOnWorkloads, networkWorkload } from './cluster/platform'
import { fieldsOf, isIdentity } from '../core/objects/fields'
import { digestOf, imageParts, objectKey } from './cluster/manifests'
import { loads, newPod, schedulePod, startPod } from './cluster/pods'
import type { Scenario, ScenarioCluster, ScenarioSite } from './scenario'
import { enterAddress, leaseFrom } from './sites/addresses'
import type { Cluster, Machine, Manifest, Node, Site, Workload, World } from './world'

const number = (index: number): string => String(index).padStart(2, '0')

/** The scenario with as many copies of one site and its cluster as `nodes` nodes take; each in a routing domain of its own. */
export function enlarged(scenario: Scenario, nodes: number): Scenario {
  const count = (clusters: readonly ScenarioCluster[]): number =>
    clusters.reduce(
      (sum, cluster) =>
        sum +
        (cluster.controlPlane.kind === 'own' ? cluster.controlPlane.count : 0) +
        cluster.pools.reduce((pools, pool) => pools + pool.count, 0),
      0,
    )
  const site = scenario.sites.find((other) => other.name === scenario.copies.site)
  const cluster = scenario.clusters.find((other) => other.name === scenario.copies.cluster)
  if (!site || !cluster) return scenario
  const sites: ScenarioSite[] = [...scenario.sites]
  const clusters: ScenarioCluster[] = [...scenario.clusters]
  const workloads = [...scenario.workloads]
  const theirs = scenario.workloads.filter((workload) => workload.cluster === cluster.name)
  for (let i = 2; count(clusters) < nodes; i++) {
    const name = `${site.name}-${number(i)}`
    sites.push({
      ...site,
      name,
      title: `${site.title} ${i}`,
      domain: `${site.domain}-${number(i)}`,
      zones: site.zones.map((zone) => zone.replace(site.name, name)),
      ...(site.hosts ? { hosts: { ...site.hosts, perZone: scenario.copies.hostsPerZone } } : {}),
      networks: site.networks.map((network) => ({
        ...network,
        name: network.name.replace(site.name, name),
      })),
      routes: site.routes.map((route) => ({
        ...route,
        network: route.network.replace(site.name, name),
      })),
    })
    clusters.push({
      ...cluster,
      name: `${cluster.name}-${number(i)}`,
      site: name,
      guarded: false,
      drives: [],
      pools: cluster.pools.map((pool) => ({
        ...pool,
        count: scenario.copies.counts[pool.name] ?? pool.count,
      })),
    })
    workloads.push(
      ...theirs.map((workload) => ({ ...workload, cluster: `${cluster.name}-${number(i)}` })),
    )
  }
  return { ...scenario, sites, clusters, workloads }
}

/** Without fields that are there but undefined. */
const plain = (given: unknown): unknown => JSON.parse(JSON.stringify(given))

function buildSite(site: ScenarioSite, scenario: Scenario): Site {
  const { hosts } = site
  const ownHosts = hosts
    ? site.zones.flatMap((zone) =>
        Array.from({ length: hosts.perZone }, (_, i) => ({
          name: `${hosts.prefix}-${zone.split('-').pop() ?? zone}-${i + 1}`,
          zone,
          cores: hosts.cores,
          memoryBytes: hosts.memoryGiB * GiB,
          diskGb: hosts.diskGb,
          idleWatts: hosts.idleWatts,
          fullWatts: hosts.fullWatts,
        })),
      )
    : site.boxes.map((box) => ({
        name: box.name,
        zone: box.zone,
        cores: box.cores,
        memoryBytes: box.memoryGiB * GiB,
        diskGb: box.disks.reduce((sum, disk) => sum + disk.sizeGb, 0),
        idleWatts: box.idleWatts,
        fullWatts: box.fullWatts,
      }))
  return {
    name: site.name,
    title: site.title,
    kind: site.kind,
    arch: site.arch,
    domain: site.domain,
    connected: site.connected,
    zones: [...site.zones],
    overcommit: site.overcommit,
    reservePerZone: site.reservePerZone,
    quotaCores: site.quotaCores,
    quotaBalancers: site.quotaBalancers,
    quotaAddresses: site.quotaAddresses,
    routes: structuredClone(site.routes),
    nameServers: site.nameServers.map((address) => ({ address, answers: true })),
    timeServers: site.timeServers.map((name) => ({ name, answers: true })),
    nameDomain: site.nameDomain,
    records: structuredClone(site.records),
    storageClasses: site.storageClasses.map(({ name, zones }) => ({
      name,
      zones: zones ?? site.zones,
    })),
    bootData: site.bootData,
    bootDataCutAt: null,
    published: [],
    balancers: [],
    credentials: [],
    firewall: plain(site.firewall) as Site['firewall'] & object,
    translations: plain(site.translations) as Site['translations'] & object,
    ...(site.egress === undefined ? {} : { egress: site.egress }),
    ...(site.mtu === undefined ? {} : { mtu: site.mtu }),
    networks: site.networks.map(
      (network) => JSON.parse(JSON.stringify(network)) as Site['networks'][number],
    ),
    sizes: site.sizes.map((size) => ({
      name: size.name,
      cores: size.cores,
      memoryBytes: size.memoryGiB * GiB,
      diskGb: size.diskGb,
      hourly: size.hourly,
      gpus: size.gpus,
      zones: size.zones ?? site.zones,
    })),
    images: site.images.map((release) => ({
      name: scenario.image.name,
      release,
      arch: site.arch,
      minimumDiskGb: scenario.image.minimumDiskGb,
    })),
    hosts: ownHosts,
    boxes: site.boxes.map((box) => ({
      name: box.name,
      zone: box.zone,
      arch: box.arch,
      cores: box.cores,
      memoryBytes: box.memoryGiB * GiB,
      disks: structuredClone(box.disks),
      cards: box.cards,
      prepared: box.prepared,
      ...(box.inside ? { inside: box.inside } : {}),
      usedBy: null,
    })),
    machines: [],
    addresses: [],
    disks: [],
    managedTiers: site.managedTiers,
    managedFrom: site.managedFrom,
    controlPlanes: [],
    prices: scenario.prices,
    soldOut: [],
  }
}

/** Puts a machine that has stood for long onto the emptiest host of its zone, with address and disk. */
function standMachine(
  site: Site,
  cluster: ScenarioCluster,
  name: string,
  zone: string,
  sizeName: string,
  lifetime: Machine['lifetime'],
  address: string | null,
  role: 'control-plane' | 'worker',
  at: number,
  busy: Map<string, number>,
): Machine {
  const size = site.sizes.find((other) => other.name === sizeName)
  if (!size)
    throw new Error(
      `the scenario gives ${name} the size ${sizeName}, which ${site.name} does not offer`,
    )
  const apart = role === 'control-plane' ? cluster.name : null
  const used = (host: string): number => busy.get(host) ?? 0
  const clash = (host: string): boolean =>
    apart !== null &&
    site.machines.some((machine) => machine.host === host && machine.apart === apart)
  const host = site.hosts
    .filter((other) => other.zone === zone && !clash(other.name))
    .sort((a, b) => used(a.name) - used(b.name) || (a.name < b.name ? -1 : 1))[0]
  if (host) busy.set(host.name, used(host.name) + size.cores)
  const network =
    site.networks.find((other) =>
      site.kind === 'cloud'
        ? other.zone === zone
        : other.role === (role === 'control-plane' ? 'management' : 'nodes'),
    ) ?? site.networks[0]
  const given = address ?? (network ? leaseFrom(site, network) : null)
  const diskGb = size.diskGb || 30
  const machine: Machine = {
    name,
    zone,
    host: host?.name ?? null,
    size: size.name,
    cores: size.cores,
    memoryBytes: size.memoryBytes,
    diskGb,
    gpus: size.gpus,
    lifetime,
    release: cluster.release,
    cluster: cluster.name,
    apart,
    network: network?.name ?? '',
    box: null,
    power: 'on',
    agent: true,
    address: given,
    createdAt: at,
  }
  site.machines.push(machine)
  site.disks.push({
    name: `${name}-root`,
    sizeGb: diskGb,
    machine: name,
    cluster: cluster.name,
    zone,
  })
  if (given !== null && address === null && network)
    enterAddress(site, {
      address: given,
      network: network.name,
      for: name,
      cluster: cluster.name,
      how: 'dhcp',
    })
  return machine
}

const year = 365 * 86_400_000

/** Certificates are renewed at every anniversary that leaves less than a quarter of a year. */
function renewedUntil(madeAt: number, now: number): number {
  let until = madeAt + year
  while (until < now + year / 4) until += year
  return until
}

function buildCluster(
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
    const strain = spec.strained.find((other) => other.node === machine.name)
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
  fillCluster(cluster, scenario, seed, at)
  const written = scenario.objects
    .filter((other) => other.cluster === spec.name)
    .flatMap((other) => other.manifests) as readonly Manifest[]
  if (written.length > 0) {
    cluster.objects = structuredClone(written)
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
    .filter((one) => one.cluster === spec.name)
    .map(({ cluster: _cluster, ...flow }) => plain(flow) as NonNullable<Cluster['flows']>[number])
  if (flows.length > 0) Object.assign(cluster, { flows })
  for (const manifest of written) if (manifest.kind === 'Service') addService(cluster, manifest)
  const load = scenario.loads.filter((one) => one.cluster === spec.name)
  if (load.length > 0)
    cluster.load = Object.fromEntries(load.map((one) => [one.workload, one.points]))
  return cluster
}

function fillCluster(cluster: Cluster, scenario: Scenario, seed: number, at: number): void {
  const listed = scenario.workloads.filter((other) => other.cluster === cluster.name)
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
    image: `registry.fernhollow.example/${spec.namespace}/${spec.name}:2`,
    serviceAccount: spec.name,
    port: spec.port,
    tolerations: spec.tolerates,
    pool: spec.pool,
    createdAt: at,
    on: spec.on,
  }))
  const platform = [networkWorkload(at), ...addOnWorkloads(at)].filter(
    (workload) =>
      !own.some((other) => other.namespace === workload.namespace && other.name === workload.name),
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

/** The world of a scenario at its start, with at least `nodes` nodes. */
export function buildWorld(given: Scenario, seed: number, nodes = 0): World {
  const scenario = enlarged(given, nodes)
  const sites = Object.fromEntries(
    scenario.sites.map((site) => [site.name, buildSite(site, scenario)]),
  )
  const busy = new Map<string, Map<string, number>>()
  const clusters = Object.fromEntries(
    scenario.clusters.map((spec) => {
      const site = sites[spec.site]
      if (!site)
        throw new Error(`the scenario puts ${spec.name} at ${spec.site}, which it does not list`)
      const load = busy.get(site.name) ?? new Map<string, number>()
      busy.set(site.name, load)
      return [spec.name, buildCluster(spec, site, scenario, seed, load)]
    }),
  )
  const faults = scenario.faults.map((fault, i) => ({
    id: `scenario-${i + 1}`,
    kind: fault.fault,
    about: fault.about,
    mode: fault.mode,
    left: fault.mode === 'transient' ? fault.times : null,
    since: Date.parse(scenario.start),
  }))
  const repositories = new Set(
    Object.values(clusters).flatMap((cluster) =>
      cluster.workloads.map((workload) => imageParts(workload.image).repository),
    ),
  )
  for (const own of [...addOnWorkloads(0), networkWorkload(0)])
    repositories.add(imageParts(own.image).repository)
  const images = Object.fromEntries(
    [...repositories]
      .sort()
      .map((repository) => [
        repository,
        Object.fromEntries(scenario.tags.map((tag) => [tag, digestOf(`${repository}:${tag}`)])),
      ]),
  )
  const peers = plain(scenario.peers) as NonNullable<World['peers']>
  return {
    seed,
    images,
    ...(peers.length > 0 ? { peers } : {}),
    sites,
    clusters,
    faults,
    operations: {},
  }
}
