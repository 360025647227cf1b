/** The cluster that a draft names: whether it stands, and whether its name has to be typed. */
import { clusterOf, type ClusterView, type FleetView } from '../fleet'
import type { RawFinding } from './change'
import { stop } from './finding'
import { said } from './says'

/** The name to type before a run that touches a guarded cluster, else null. */
export const guardedCluster = (name: string, view: FleetView): string | null =>
  clusterOf(view, name)?.guarded === true ? name : null

/** What stands against a draft that names no cluster, or one that is not there. */
export const noCluster = (name: string, view: FleetView): RawFinding =>
  stop(
    'cluster.known',
    'cluster',
    name === '' ? said('cluster.none') : said('cluster.missing', { cluster: name }),
    [
      {
        ...said('clusters', { clusters: view.clusters.map((cluster) => cluster.name) }),
        source: 'register of clusters',
      },
    ],
  )

/** What stands against a draft whose field `namespace` names none of a cluster’s. */
export const noNamespace = (name: string, cluster: ClusterView): RawFinding =>
  stop(
    'namespace.known',
    'namespace',
    said('namespace.missing', { cluster: cluster.name, namespace: name }),
    [
      {
        ...said('namespaces.are', { namespaces: cluster.namespaces }),
        source: cluster.name,
        at: cluster.observedAt,
      },
    ],
    cluster.namespaces.slice(0, 3).map((namespace) => ({
      says: `Take ${namespace}`,
      change: { patchDraft: [{ op: 'replace', path: '/namespace', value: namespace } as const] },
    })),
  )
