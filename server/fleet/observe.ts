/** From what the ports report to the slices of the FleetView. Nothing is decided here, only put in order. */
import type {
  ClusterView,
  FleetView,
  LedgerEntry,
  NodeView,
  PoolView,
  ShipmentView,
  SiteView,
  SnapshotScheduleView,
} from '~/core/fleet'
import type { Release } from '~/core/releases'
import type { ClusterRow, LedgerRow, ReleaseRow } from '../records/models'
import type { ShipmentRow, SnapshotScheduleRow } from '../records/storage-rows'
import type { ClusterReport, SiteReport } from '~/core/contract'
import { isoTime } from '~/core/units'

export const siteView = (site: SiteReport, now: number): SiteView => ({
  ...site,
  observedAt: isoTime(now),
})

/** What the register has of a cluster. */
export type Registered = Pick<
  ClusterRow,
  | 'name'
  | 'site'
  | 'guarded'
  | 'labels'
  | 'release'
  | 'controlPlane'
  | 'pools'
  | 'endpoint'
  | 'rest'
  | 'autoscale'
  | 'pods'
  | 'services'
  | 'maxPodsPerNode'
  | 'drives'
>

/** A registered cluster with what its API last told; one whose API was never up has only what the register says. */
export function clusterView(
  row: Registered,
  report: ClusterReport | null,
  now: number,
): ClusterView {
  const nodes = report?.nodes ?? []
  const byPool = new Map<string, NodeView[]>()
  for (const node of nodes) {
    const list = byPool.get(node.pool)
    if (list) list.push(node)
    else byPool.set(node.pool, [node])
  }
  const registered = row.pools.map((pool): PoolView => ({
    name: pool.name,
    size: pool.size,
    lifetime: pool.lifetime,
    range: pool.range,
    taints: pool.taints,
    nodes: byPool.get(pool.name) ?? [],
  }))
  const others = [...byPool]
    .filter(([name]) => !row.pools.some((pool) => pool.name === name))
    .map(([name, list]): PoolView => ({
      name,
      size: '',
      lifetime: 'on-demand',
      range: null,
      taints: [],
      nodes: list,
    }))
  return {
    name: row.name,
    site: row.site,
    guarded: row.guarded,
    labels: row.labels,
    release: report?.release ?? row.release,
    controlPlane:
      row.controlPlane.kind === 'own'
        ? { kind: 'own', members: report?.members ?? [] }
        : row.controlPlane,
    endpoint: report?.endpoint ?? row.endpoint ?? '',
    apiAnswers: report?.apiAnswers ?? false,
    membersUp: report?.membersUp ?? 0,
    resting: (report?.restingSince ?? null) !== null,
    restingSince: report?.restingSince ?? null,
    restingMachines: report?.restingMachines ?? [],
    restingNodes: report?.restingNodes ?? [],
    rest: row.rest ?? null,
    autoscale: row.autoscale ?? null,
    pods: row.pods,
    services: row.services,
    maxPodsPerNode: row.maxPodsPerNode,
    drives: row.drives,
    pools: [...registered, ...others],
    podCount: report?.podCount ?? 0,
    keepSource: report?.keepSource ?? [],
    ...(report?.redirects ? { redirects: report.redirects } : {}),
    ...(report?.pullsAs ? { pullsAs: report.pullsAs } : {}),
    namespaces: report?.namespaces ?? [],
    dnsAnswers: report?.dnsAnswers ?? false,
    certificatesUntil: report?.certificatesUntil || null,
    backups: report?.backups ?? [],
    addOns: report?.addOns ?? [],
    ...(report && report.apiClients.length > 0 ? { apiClients: report.apiClients } : {}),
    storage: report?.storage ?? null,
    ...(report?.reach ? { reach: report.reach } : {}),
    observedAt: isoTime(now),
  }
}

export const releaseOf = (row: ReleaseRow): Release => ({
  version: row.version,
  released: row.released,
  endOfSupport: row.endOfSupport,
  architectures: row.architectures,
  baseImage: row.baseImage,
  minimumRootDiskGb: row.minimumRootDiskGb,
  withdrawn: row.withdrawn,
})

/** The address ledger: what is entered, the networks of every site, the ranges of every cluster. */
export function ledgerOf(
  entered: readonly LedgerRow[],
  sites: readonly SiteView[],
  clusters: readonly ClusterView[],
): FleetView['ledger'] {
  const domainOf = new Map(sites.map((site) => [site.name, site.domain]))
  return [
    ...entered.map((row): LedgerEntry => ({
      domain: row.domain,
      range: row.range,
      name: row.name,
      holder: row.name,
      kind: 'peer',
    })),
    ...sites.flatMap((site) =>
      site.networks.map((network): LedgerEntry => ({
        domain: site.domain,
        range: network.range,
        name: network.name,
        holder: site.name,
        kind: 'network',
      })),
    ),
    ...clusters.flatMap((cluster): LedgerEntry[] => {
      // Of an enrolled cluster nobody has told its ranges.
      if (cluster.pods === '') return []
      const domain = domainOf.get(cluster.site) ?? ''
      return [
        {
          domain,
          range: cluster.pods,
          name: `${cluster.name} pods`,
          holder: cluster.name,
          kind: 'pods',
        },
        {
          domain,
          range: cluster.services,
          name: `${cluster.name} services`,
          holder: cluster.name,
          kind: 'services',
        },
      ]
    }),
  ]
}

/** A shipment as everybody may see it: how many blobs lie on each drive, not which. */
export const shipmentOf = (row: ShipmentRow): ShipmentView => ({
  name: row.name,
  site: row.site,
  release: row.release,
  packedAt: row.packedAt,
  images: row.images,
  drives: row.drives.map((drive) => ({ ...drive, blobs: drive.blobs.length })),
})

export const snapshotScheduleOf = ({
  cluster,
  volume,
  start,
  zone,
  rule,
  keep,
}: SnapshotScheduleRow): SnapshotScheduleView => ({ cluster, volume, start, zone, rule, keep })
