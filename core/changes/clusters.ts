/** The cluster that a draft names: whether it stands, and whether its name has to be typed. */
import { clusterOf, type FleetView } from '../fleet'
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
