/** What the changes to classes share: a cluster whose objects can be read, and the classes that it lists. */
import { z } from 'zod'
import { type ChangeKind, guardedCluster, listing, noCluster, type RawFinding } from '../../changes'
import { clusterOf, type ClusterView, type FleetView, listedObjects } from '../../fleet'

export const objectName = z
  .string()
  .max(63)
  .regex(/^[a-z0-9]([-a-z0-9]*[a-z0-9])?$/, 'Use a–z, 0–9 and inner dashes.')

/** The cluster whose objects can be read, or what stands against it. */
export function listedCluster(
  given: string,
  view: FleetView,
): { readonly cluster: ClusterView } | { readonly findings: readonly RawFinding[] } {
  const cluster = clusterOf(view, given)
  if (!cluster) return { findings: [noCluster(given, view)] }
  const silent = listing(cluster, view)
  return silent.length > 0 ? { findings: silent } : { cluster }
}

export const classNames = (view: FleetView, cluster: string): readonly string[] =>
  listedObjects(view, cluster)
    .filter((object) => object.kind === 'StorageClass')
    .map((object) => object.metadata?.name ?? '')

export const onObjects = <Intent extends { readonly cluster: string }>() =>
  ({
    needs: (intent) => [`cluster:${intent.cluster}` as const, `objects:${intent.cluster}` as const],
    guardedBy: (intent, view) => guardedCluster(intent.cluster, view),
  }) satisfies Pick<ChangeKind<Intent>, 'needs' | 'guardedBy'>
