/** Things at a site that bear a cluster's name, or nobody's, while no cluster owns them. */
import { machineHourly, monthHours } from '../spend'
import type { ClusterView, SiteView } from './view'

export interface Leftover {
  readonly kind: 'machine' | 'disk' | 'address' | 'balancer' | 'control plane'
  readonly name: string
  /** The cluster whose name it bears, or null. */
  readonly was: string | null
  readonly says: string
  /** Units per month of 730 h. */
  readonly perMonth: number
}

/** Everything at `site` that no cluster of `clusters` owns, machines first. */
export function leftovers(site: SiteView, clusters: readonly ClusterView[]): readonly Leftover[] {
  const owners = new Set(
    clusters.filter((cluster) => cluster.site === site.name).map((cluster) => cluster.name),
  )
  const orphan = (cluster: string | null): boolean => cluster === null || !owners.has(cluster)
  const was = (cluster: string | null): string =>
    cluster === null ? 'bears no cluster’s name' : `was made for ${cluster}`
  return [
    ...site.machines
      .filter((m) => orphan(m.cluster))
      .map((m): Leftover => ({
        kind: 'machine',
        name: m.name,
        was: m.cluster,
        says: `${m.size} in ${m.zone}, ${was(m.cluster)}`,
        perMonth: machineHourly(site, m) * monthHours,
      })),
    ...site.disks
      .filter((d) => orphan(d.cluster))
      .map((d): Leftover => ({
        kind: 'disk',
        name: d.name,
        was: d.cluster,
        says: `${d.sizeGb} GB, ${was(d.cluster)}`,
        perMonth: site.hosts.length === 0 ? d.sizeGb * site.prices.diskGbMonth : 0,
      })),
    ...site.addresses
      .filter((a) => orphan(a.cluster))
      .map((a): Leftover => ({
        kind: 'address',
        name: a.address,
        was: a.cluster,
        says: `in ${a.network}, held for ${a.for}`,
        perMonth: 0,
      })),
    ...site.balancers
      .filter((b) => orphan(b.cluster))
      .map((b): Leftover => ({
        kind: 'balancer',
        name: b.name,
        was: b.cluster,
        says: `at ${b.address}:${b.port}, ${was(b.cluster)}`,
        perMonth: site.hosts.length === 0 ? site.prices.balancerHour * monthHours : 0,
      })),
    ...site.controlPlanes
      .filter((c) => orphan(c.cluster))
      .map((c): Leftover => ({
        kind: 'control plane',
        name: c.cluster,
        was: c.cluster,
        says: `${c.tier}, at ${c.address}`,
        perMonth:
          (site.managedTiers.find((tier) => tier.tier === c.tier)?.hourly ?? 0) * monthHours,
      })),
  ]
}
