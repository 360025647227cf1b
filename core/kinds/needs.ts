/** What of the fleet a change must see beside what everybody does. */
import type { SliceKey } from '../changes'
import type { FleetView } from '../fleet'

/** Stands in a list of clusters for all that there are. */
export const everyCluster = '*'

/** Parts of the picture that are looked at only for those who ask. */
export interface Needs {
  /** Clusters whose objects it must see. */
  readonly objectsOf: readonly string[]
  /** Sites and clusters whose ways it must see, as `site/x` or `cluster/x`. */
  readonly walksAt: readonly string[]
  /** Whether it must see all that is published. */
  readonly published: boolean
}

/** The part of a list of needs that is looked at only for those who ask. */
export function needsOf(keys: readonly SliceKey[]): Needs {
  const after = (prefix: string): readonly string[] =>
    keys.flatMap((key) => (key.startsWith(prefix) ? [key.slice(prefix.length)] : []))
  return {
    // What a person calls a cluster never stands for all of them.
    objectsOf: keys.includes('objects-everywhere')
      ? [everyCluster]
      : after('objects:').filter((name) => name !== everyCluster),
    walksAt: after('walks:'),
    published: keys.includes('published'),
  }
}

/** Whether a view holds everything that is needed: a change is not proven on less. */
export const holdsAll = (view: FleetView, needs: Needs): boolean =>
  (!needs.published || view.published !== undefined) &&
  needs.objectsOf.every((cluster) =>
    cluster === everyCluster ? view.objects !== undefined : view.objects?.[cluster] !== undefined,
  ) &&
  needs.walksAt.every((place) => {
    const [kind, name] = place.split('/')
    return view.clusters
      .filter((cluster) => (kind === 'site' ? cluster.site : cluster.name) === name)
      .every((cluster) => view.traffic?.[cluster.name] !== undefined)
  })
