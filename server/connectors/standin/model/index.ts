/**
 * A world for the simulator, made of a fleet as it was observed and of nothing else: what a change would do to it is seen
 * by running the change in it. What nobody reports is not there: faults, load over the day, who calls whom.
 */
import type { JudgedImage } from '~/core/contract'
import type { ApiObject } from '~/core/objects'
import { judgedImage } from '~/core/registry/changes'
import type { World } from '~/standin'
import { digestOf } from '~/standin/model'
import { gpusOf, modelCluster } from './cluster'
import type { ObservedFleet } from './observed-fleet'
import { type Listed, listed } from './listed'
import { modelSite, type NodeOnMachine } from './site'

export type { ObservedFleet }

/** The objects of each cluster that is looked into. */
export type ObservedObjects = Readonly<Record<string, readonly ApiObject[]>>

function nodesOnMachines(
  view: ObservedFleet,
  objects: Readonly<Record<string, readonly Listed[]>>,
): ReadonlyMap<string, NodeOnMachine> {
  const nodes = new Map<string, NodeOnMachine>()
  for (const cluster of view.clusters) {
    const told = new Map(
      (objects[cluster.name] ?? [])
        .filter(({ kind }) => kind === 'Node')
        .map((object) => [object.name, object]),
    )
    for (const node of cluster.pools.flatMap((pool) => pool.nodes))
      nodes.set(`${cluster.name}/${node.machine}`, {
        release: node.release,
        isReady: node.conditions.some(({ type, status }) => type === 'Ready' && status === 'True'),
        gpus: gpusOf(told.get(node.name)),
        createdAt: Date.parse(node.createdAt),
      })
  }
  return nodes
}

/** What registries hold, each tag with the digest that is published for it, and what is known of those. */
function modelImages(view: ObservedFleet): Pick<World, 'images' | 'judged' | 'access'> {
  const published = new Map((view.published?.images ?? []).map((image) => [image.name, image]))
  const images: Record<string, Record<string, string>> = {}
  const judged: Record<string, JudgedImage> = {}
  const access: NonNullable<World['access']> = {}
  for (const { registry } of view.sites) {
    if (!registry) continue
    for (const [repository, tags] of Object.entries(registry.images)) {
      const name = repository.slice(registry.host.length + 1)
      images[repository] = Object.fromEntries(
        tags.map((tag) => [
          tag,
          published.get(`${name}:${tag}`)?.digest ?? digestOf(`${repository}:${tag}`),
        ]),
      )
    }
    if (registry.access)
      Object.assign(access, { [registry.host]: structuredClone(registry.access) })
  }
  for (const image of published.values()) judged[image.digest] = judgedImage(image)
  return { images, judged, access }
}

/** The model of a fleet. Clusters without objects have their nodes and no pods. */
export function modelOf(view: ObservedFleet, objects: ObservedObjects, seed: number): World {
  const seen = Object.fromEntries(
    Object.entries(objects).map(([cluster, all]) => [cluster, all.map(listed)]),
  )
  const nodes = nodesOnMachines(view, seen)
  return {
    seed,
    steady: true,
    ...modelImages(view),
    ...(view.peers ? { peers: structuredClone(view.peers) } : {}),
    sites: Object.fromEntries(view.sites.map((site) => [site.name, modelSite(view, site, nodes)])),
    clusters: Object.fromEntries(
      view.clusters.map((cluster) => [
        cluster.name,
        modelCluster(view, cluster, seen[cluster.name] ?? []),
      ]),
    ),
    faults: [],
    operations: {},
  } as World
}
