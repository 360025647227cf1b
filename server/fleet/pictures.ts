/** Pictures of the fleet with what was asked for besides: the same of the fleet as it is and as it was. */
import type { ClusterEvent, Slice, UsageReport } from '~/core/contract'
import { type FleetView, knownObjects, type TrafficView } from '~/core/fleet'
import { everyCluster } from '~/core/kinds'
import type { ApiObject } from '~/core/objects'
import type { Published } from '~/core/releases'
import type { MeteredThing } from '~/core/spend'
import { clustersOf } from '~/core/wire'

/** Clusters that an expectation speaks of. */
const expectedClusters = (view: FleetView): readonly string[] => [
  ...new Set((view.expectations ?? []).flatMap(clustersOf)),
]

export abstract class FleetPictures {
  /** All that is published: set by who keeps it. It does not change with time. */
  published: () => Promise<Published | null> = () => Promise.resolve(null)

  abstract view(): Promise<FleetView>

  /** What a cluster’s API lists, or null if it does not answer. */
  abstract objectsOf(cluster: string): Promise<readonly ApiObject[] | null>

  /** Who called whom in a cluster over the last day; null where nobody looked. */
  abstract trafficOf(cluster: string): Promise<readonly TrafficView[] | null>

  /** What happened in a cluster, as its API lists it; null where nobody looked. */
  abstract eventsOf(cluster: string): Promise<readonly ClusterEvent[] | null>

  /** What the pods of each workload used over the last day; null where nobody looked. */
  abstract usageOf(cluster: string): Promise<readonly UsageReport[] | null>

  /** What one site has counted for its bill. */
  abstract meter(site: string): Promise<readonly MeteredThing[]>

  protected abstract objectSlice(
    cluster: string,
    view: FleetView,
  ): Promise<Slice<readonly ApiObject[]>>

  /** The picture with what the APIs of some clusters list; one that does not answer has no list. */
  async viewWith(clusters: readonly string[]): Promise<FleetView> {
    const view = await this.view()
    if (clusters.length === 0) return view
    const objects: [string, Slice<readonly ApiObject[]>][] = []
    const wanted = clusters.includes(everyCluster)
      ? view.clusters.filter((cluster) => cluster.apiAnswers).map((cluster) => cluster.name)
      : clusters
    for (const name of wanted) objects.push([name, await this.objectSlice(name, view)])
    // Names come from callers: one that every object has is a name like any other.
    return { ...view, objects: Object.fromEntries(objects) }
  }

  /** The picture with what a draft must see: lists of objects, and the ways of sites and clusters with their traffic. */
  async viewFor(
    objectsOf: readonly string[],
    walksAt: readonly string[],
    published = false,
  ): Promise<FleetView> {
    const view = await this.viewOfWays(objectsOf, walksAt)
    if (!published) return view
    const all = await this.published()
    return all ? { ...view, published: all } : view
  }

  private async viewOfWays(
    objectsOf: readonly string[],
    walksAt: readonly string[],
  ): Promise<FleetView> {
    if (walksAt.length === 0) return this.viewWith(objectsOf)
    const plain = await this.view()
    const near = plain.clusters
      .filter(
        (cluster) =>
          walksAt.includes(`cluster/${cluster.name}`) || walksAt.includes(`site/${cluster.site}`),
      )
      .map((cluster) => cluster.name)
    const view = await this.viewWith([
      ...new Set([...objectsOf, ...near, ...expectedClusters(plain)]),
    ])
    const traffic: Record<string, Slice<readonly TrafficView[]>> = {}
    for (const name of near)
      traffic[name] = {
        state: 'known',
        version: view.version,
        at: view.now,
        value: (await this.trafficOf(name)) ?? [],
      }
    return { ...view, traffic }
  }

  /** The picture with the objects of every cluster that an expectation speaks of. */
  async withExpected(view: FleetView): Promise<FleetView> {
    const missing = expectedClusters(view).filter((name) => knownObjects(view, name) === undefined)
    if (missing.length === 0) return view
    const more = await this.viewWith(missing)
    return { ...view, objects: { ...view.objects, ...more.objects } }
  }

  /** What every site has counted for its bill, by its name. */
  async meters(): Promise<Readonly<Record<string, readonly MeteredThing[]>>> {
    const result: Record<string, readonly MeteredThing[]> = {}
    for (const { name } of (await this.view()).sites) result[name] = await this.meter(name)
    return result
  }
}
