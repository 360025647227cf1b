/**
 * What *Jump* looks through. Each cluster and site is indexed when it is first met and again when it has changed; lists
 * of objects are asked for in the background, so that a search never waits for a cluster: it looks through what is
 * indexed by then, and says whether more is coming.
 */
import {
  type FleetPlace,
  findPlaces,
  indexed,
  type IndexedPlace,
  placesAt,
  placesIn,
} from '../../core/fleet'
import type { ClusterView, FleetView, SiteView } from '../../core/fleet'
import type { ApiObject } from '../../core/objects'

export interface JumpAnswer<Place extends FleetPlace> {
  readonly places: readonly (Place | FleetPlace)[]
  /** Clusters are being listed: asked again, there may be more. */
  readonly more: boolean
}

type Indexed = readonly IndexedPlace[]

interface IndexedCluster {
  /** The cluster as it was when it was indexed; one that changed since is indexed again. */
  readonly of: ClusterView
  readonly places: Indexed
  readonly isListed: boolean
}

export class JumpIndex {
  private readonly sites = new WeakMap<SiteView, Indexed>()
  private readonly clusters = new Map<string, IndexedCluster>()
  private readonly listObjects: (cluster: string) => Promise<readonly ApiObject[] | null>
  private listing: Promise<void> | null = null

  constructor(listObjects: (cluster: string) => Promise<readonly ApiObject[] | null>) {
    this.listObjects = listObjects
  }

  /** The places of a fleet that answer to a text, and of `also`, which belong to no cluster or site. */
  find<Place extends FleetPlace>(
    view: FleetView,
    also: readonly Place[],
    text: string,
    limit: number,
  ): JumpAnswer<Place> {
    for (const cluster of view.clusters)
      if (!this.clusters.has(cluster.name)) this.index(cluster, null)
    this.listChanged(view)
    return {
      places: findPlaces(this.all(view, also), text, limit),
      more: this.listing !== null,
    }
  }

  private index(cluster: ClusterView, objects: readonly ApiObject[] | null): void {
    this.clusters.set(cluster.name, {
      of: cluster,
      places: placesIn(cluster, objects ?? []).map(indexed),
      isListed: objects !== null,
    })
  }

  private *all<Place extends FleetPlace>(
    view: FleetView,
    also: readonly Place[],
  ): Generator<IndexedPlace<Place | FleetPlace>> {
    for (const place of also) yield indexed(place)
    for (const cluster of view.clusters) yield* this.clusters.get(cluster.name)?.places ?? []
    for (const site of view.sites) yield* this.siteOf(site)
  }

  private siteOf(site: SiteView): Indexed {
    let places = this.sites.get(site)
    if (!places) {
      places = placesAt(site).map(indexed)
      this.sites.set(site, places)
    }
    return places
  }

  /** Lists the clusters that have changed, one after another, unless that is under way. */
  private listChanged(view: FleetView): void {
    if (this.listing !== null) return
    const changed = view.clusters.filter((cluster) => {
      const entry = this.clusters.get(cluster.name)
      return cluster.apiAnswers && !(entry?.isListed && entry.of === cluster)
    })
    if (changed.length === 0) return
    this.listing = this.listEach(changed).finally(() => {
      this.listing = null
    })
  }

  private async listEach(clusters: readonly ClusterView[]): Promise<void> {
    for (const cluster of clusters) this.index(cluster, await this.listObjects(cluster.name))
  }
}
