/**
 * What the coming month costs: each billable thing by the hours it will exist × its price, rest calendars counted, by cluster,
 * pool and namespace. A namespace has its share by requests of what its cluster’s workers cost; what nobody asks for is idle
 * and shown apart. Nothing is rounded.
 */
import type { ClusterView, FleetView, SiteView } from '../fleet/view'
import type { ApiObject } from '../objects'
import { readWorld } from '../placement'
import { restIntervals } from '../scaling'
import { machineHourly } from './site-spend'

export interface SpendLine {
  readonly site: string
  readonly cluster: string | null
  readonly pool: string | null
  readonly what:
    'machines' | 'control plane' | 'disks' | 'load balancers' | 'power at idle' | 'write-off'
  readonly count: number
  /** Hours of the month in which it exists, each. */
  readonly hours: number
  readonly units: number
}

export interface NamespaceSpend {
  readonly cluster: string
  /** Null is the idle share: what nobody asks for. */
  readonly namespace: string | null
  /** Part of 1 of what the cluster’s workers cost. */
  readonly share: number
  readonly units: number
}

export interface Projection {
  readonly from: string
  readonly until: string
  readonly lines: readonly SpendLine[]
  readonly units: number
  readonly assumptions: readonly string[]
}

const hourMs = 3_600_000
const monthHours = 730

/** Hours between two instants in which a cluster runs, by its calendar; a resting one is taken to start at its next boundary. */
export function runningHours(cluster: ClusterView, from: number, until: number): number {
  const all = (until - from) / hourMs
  if (!cluster.rest) return cluster.resting ? 0 : all
  return (
    all -
    restIntervals(cluster.rest.zone, cluster.rest.windows, { from, to: until }).reduce(
      (sum, restInterval) => sum + restInterval.to - restInterval.from,
      0,
    ) /
      hourMs
  )
}

function clusterLines(
  site: SiteView,
  cluster: ClusterView,
  hours: number,
  all: number,
): readonly SpendLine[] {
  const machines = cluster.resting
    ? cluster.restingMachines
    : site.machines.filter((machine) => machine.cluster === cluster.name)
  const poolOf = (name: string): string =>
    cluster.pools.find((pool) => pool.nodes.some((node) => node.machine === name))?.name ??
    cluster.pools.find((pool) => name.startsWith(`${cluster.name}-${pool.name}-`))?.name ??
    'control-plane'
  const byPool = new Map<string, { count: number; hourly: number }>()
  for (const machine of machines) {
    const pool = poolOf(machine.name)
    const existing = byPool.get(pool) ?? { count: 0, hourly: 0 }
    byPool.set(pool, {
      count: existing.count + 1,
      hourly: existing.hourly + machineHourly(site, machine),
    })
  }
  const disks =
    site.hosts.length === 0 ? site.disks.filter((disk) => disk.cluster === cluster.name) : []
  const balancers =
    site.hosts.length === 0
      ? site.balancers.filter((balancer) => balancer.cluster === cluster.name).length
      : 0
  const tier = cluster.controlPlane.kind === 'managed' ? cluster.controlPlane.tier : null
  const tierHourly =
    tier === null
      ? 0
      : (site.managedTiers.find((managedTier) => managedTier.tier === tier)?.hourly ?? 0)
  const line = (
    what: SpendLine['what'],
    count: number,
    each: number,
    units: number,
    pool: string | null = null,
  ): SpendLine => ({
    site: site.name,
    cluster: cluster.name,
    pool,
    what,
    count,
    hours: each,
    units,
  })
  return [
    ...[...byPool].map(([pool, { count, hourly }]) =>
      line('machines', count, hours, hourly * hours, pool),
    ),
    ...(tierHourly > 0 ? [line('control plane', 1, hours, tierHourly * hours)] : []),
    ...(disks.length > 0
      ? [
          line(
            'disks',
            disks.length,
            all,
            (disks.reduce((sum, disk) => sum + disk.sizeGb, 0) * site.prices.diskGbMonth * all) /
              monthHours,
          ),
        ]
      : []),
    ...(balancers > 0
      ? [line('load balancers', balancers, all, balancers * site.prices.balancerHour * all)]
      : []),
  ]
}

/** The spend of the fleet between two instants, as things stand. */
export function projectSpend(view: FleetView, from: number, until: number): Projection {
  const all = (until - from) / hourMs
  const lines = view.sites.flatMap((site): readonly SpendLine[] => {
    const own = view.clusters.filter((cluster) => cluster.site === site.name)
    const clusters = own.flatMap((cluster) =>
      clusterLines(site, cluster, runningHours(cluster, from, until), all),
    )
    if (site.hosts.length === 0) return clusters
    const idleWatts = site.hosts.reduce((sum, host) => sum + host.idleWatts, 0)
    return [
      ...clusters,
      {
        site: site.name,
        cluster: null,
        pool: null,
        what: 'power at idle',
        count: site.hosts.length,
        hours: all,
        units: (idleWatts / 1000) * site.prices.kwh * all,
      },
      {
        site: site.name,
        cluster: null,
        pool: null,
        what: 'write-off',
        count: site.hosts.length,
        hours: all,
        units: (site.hosts.length * site.prices.hostMonth * all) / monthHours,
      },
    ]
  })
  const calendars = view.clusters.filter((cluster) => cluster.rest).map((cluster) => cluster.name)
  return {
    from: new Date(from).toISOString(),
    until: new Date(until).toISOString(),
    lines,
    units: lines.reduce((sum, line) => sum + line.units, 0),
    assumptions: [
      'Every pool keeps the number of nodes it has now.',
      ...(calendars.length > 0
        ? [`Rest calendars of ${calendars.join(', ')} are kept to the hour.`]
        : []),
      'Monthly prices are for 730 hours.',
      'Machines in halls cost the power they add to their host; hosts cost their idle power and write-off whether used or not.',
      'Outbound traffic is not in it. Held addresses are free.',
    ],
  }
}

/** How a cluster’s workers are shared by its namespaces, by the mean of their parts of CPU and memory; the idle share last. */
export function namespaceSpend(
  cluster: string,
  units: number,
  objects: readonly ApiObject[],
): readonly NamespaceSpend[] {
  const read = readWorld(objects)
  if (!read.ok) return []
  const { room } = read.world
  let cpu = 0
  let memory = 0
  const byNamespace = new Map<string, { cpu: number; memory: number }>()
  for (let i = 0; i < room.count; i++) {
    if (
      (room.nodes[i]?.metadata.labels ?? {})['node-role.kubernetes.io/control-plane'] !== undefined
    )
      continue
    cpu += room.allocatable[0]?.[i] ?? 0
    memory += room.allocatable[1]?.[i] ?? 0
    for (const pod of room.podsOn[i] ?? []) {
      const existing = byNamespace.get(pod.shape.namespace) ?? { cpu: 0, memory: 0 }
      byNamespace.set(pod.shape.namespace, {
        cpu: existing.cpu + pod.shape.cpuMilli,
        memory: existing.memory + pod.shape.memoryBytes,
      })
    }
  }
  if (cpu === 0 || memory === 0) return []
  const rows = [...byNamespace]
    .sort(([a], [b]) => (a < b ? -1 : 1))
    .map(([namespace, used]): NamespaceSpend => {
      const share = (used.cpu / cpu + used.memory / memory) / 2
      return { cluster, namespace, share, units: units * share }
    })
  const idle = Math.max(0, 1 - rows.reduce((sum, row) => sum + row.share, 0))
  return [...rows, { cluster, namespace: null, share: idle, units: units * idle }]
}

export interface SpendWhatIf {
  readonly says: string
  readonly before: number
  readonly after: number
  readonly assumptions: readonly string[]
}

/** What other sizes, or spot, would cost for a pool over the same time, at the same count where that holds what its nodes hold now. */
export function poolWhatIfs(
  site: SiteView,
  cluster: ClusterView,
  pool: string,
  from: number,
  until: number,
): readonly SpendWhatIf[] {
  const existingPool = cluster.pools.find((candidate) => candidate.name === pool)
  const size = site.sizes.find((size) => size.name === existingPool?.size)
  if (!existingPool || !size || size.hourly === null || existingPool.nodes.length === 0) return []
  const hours = runningHours(cluster, from, until)
  const spot = (lifetime: 'on-demand' | 'spot'): number =>
    lifetime === 'spot' ? site.prices.spotShare : 1
  const before = existingPool.nodes.length * size.hourly * spot(existingPool.lifetime) * hours
  const spendWhatIfs: SpendWhatIf[] = []
  if (existingPool.lifetime === 'on-demand')
    spendWhatIfs.push({
      says: `${pool} on spot`,
      before,
      after: before * site.prices.spotShare,
      assumptions: ['A spot node may be taken back at two minutes’ notice.'],
    })
  const request = {
    cpu: Math.max(...existingPool.nodes.map((node) => node.requestedCpuMilli)),
    memory: Math.max(...existingPool.nodes.map((node) => node.requestedMemoryBytes)),
  }
  for (const otherSize of site.sizes) {
    if (otherSize.name === size.name || otherSize.hourly === null) continue
    // A coarse bound: each node must hold what the fullest one is asked for now. The board proves it pod by pod.
    if (otherSize.cores * 900 < request.cpu || otherSize.memoryBytes * 0.75 < request.memory)
      continue
    if (otherSize.hourly >= size.hourly) continue
    spendWhatIfs.push({
      says: `${pool} on ${otherSize.name}`,
      before,
      after: existingPool.nodes.length * otherSize.hourly * spot(existingPool.lifetime) * hours,
      assumptions: ['The same number of nodes; try it on the board before it is drafted.'],
    })
  }
  return spendWhatIfs
}
