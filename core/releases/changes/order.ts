/** What an upgrade of a cluster comes to: its path and its steps in order, computed from the cluster as it is. */
import { z } from 'zod'
import type { ClusterView, FleetView, PoolView } from '../../fleet'
import { clusterOf, siteOf } from '../../fleet'
import { compareReleases } from '../../units'
import { type CarriedCatalogue, publishedAt, type PublishedAddOnVersion } from '../published'
import { findRelease, type Release } from '../release'
import { poolWay } from './ways'
import { type ClusterUpgrade, clusterUpgrade } from '../upgrade'

export const upgradeIntent = z.strictObject({
  cluster: z.string().max(253),
  /** A release, or a minor: its newest patch. */
  to: z.string().max(40),
  /** Pools that go otherwise than they usually would. */
  pools: z.array(poolWay).max(100).default([]),
})
export type UpgradeIntent = z.infer<typeof upgradeIntent>

export const controlPlanePool = 'control-plane'

/** Pools whose machines are turned over: what runs the control plane goes with it. */
export const turnedPools = (cluster: ClusterView): readonly PoolView[] =>
  cluster.pools.filter(({ name, nodes }) => name !== controlPlanePool && nodes.length > 0)

/** The oldest release that a node of a pool runs. */
export const releaseOfPool = (pool: PoolView, cluster: ClusterView): string =>
  pool.nodes.map(({ release }) => release).sort(compareReleases)[0] ?? cluster.release

/** Every version of an add-on, from all of its channels. */
function versionsOf(published: CarriedCatalogue, name: string): readonly PublishedAddOnVersion[] {
  const addOn = published.addOns.find((candidate) => candidate.name === name)
  const all = addOn?.channels.flatMap(({ versions }) => versions) ?? []
  return [...new Map(all.map((version) => [version.version, version])).values()]
}

/** Whether a release is above what a cluster runs, or what one of its pools still does. */
export function isAhead(cluster: ClusterView, release: string): boolean {
  const above = compareReleases(release, cluster.release)
  return (
    above > 0 ||
    (above === 0 &&
      turnedPools(cluster).some(
        (pool) => compareReleases(releaseOfPool(pool, cluster), release) < 0,
      ))
  )
}

export interface Ordered {
  readonly cluster: ClusterView
  readonly release: Release
  readonly upgrade: ClusterUpgrade
}

/** The upgrade of a cluster to a release of the catalogue; null where either is not known or it would go down. */
export function orderedUpgrade(
  intent: Pick<UpgradeIntent, 'cluster' | 'to'>,
  view: FleetView,
): Ordered | null {
  const cluster = clusterOf(view, intent.cluster)
  const release = findRelease(view.catalogue, intent.to)
  const site = cluster && siteOf(view, cluster.site)
  if (!cluster || !release || !site || !view.published) return null
  const published = publishedAt(view.published, site)
  if (!isAhead(cluster, release.version)) return null
  const isListed = (version: string): boolean =>
    published.releases.some((candidate) => candidate.version === version)
  if (!isListed(release.version) || !isListed(cluster.release)) return null
  const addOns = cluster.addOns ?? []
  return {
    cluster,
    release,
    upgrade: clusterUpgrade({
      releases: published.releases,
      edges: published.edges,
      from: cluster.release,
      to: release.version,
      pools: turnedPools(cluster).map((pool) => ({
        name: pool.name,
        version: releaseOfPool(pool, cluster),
      })),
      addOns,
      addOnCatalogue: addOns.map(({ name }) => ({
        name,
        versions: versionsOf(published, name).map(({ version, min, max, replaces }) => ({
          version,
          ...(min === null ? {} : { min }),
          ...(max === null ? {} : { max }),
          replaces: [...replaces],
        })),
      })),
    }),
  }
}
