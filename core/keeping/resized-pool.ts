/** A pool as it will be once it is resized: the nodes that come, those that leave, and the fleet with it. */
import { z } from 'zod'
import type { NodeReport as NodeView } from '../contract'
import {
  clusterOf,
  type ClusterView,
  type FleetView,
  listedObjects,
  type PoolView,
  siteOf,
} from '../fleet'
import { isNodeObject } from '../objects'
import { oneMore } from '../placement'
import type { Planned, PlannedMachine } from '../provisioning'
import { isReady, name, poolOf } from './machines'
import { freeNames, standing, thinnestZone } from './standing'

export const resizeIntent = z.strictObject({
  cluster: name,
  pool: name,
  count: z.int().min(0).max(10_000),
  range: z
    .strictObject({ min: z.int().min(0).max(10_000), max: z.int().min(0).max(10_000) })
    .optional(),
})

export type ResizeIntent = z.infer<typeof resizeIntent>

/** Nodes that leave when a pool shrinks: those not ready first, then the ones with the highest numbers. */
export function leaving(pool: PoolView, count: number): readonly NodeView[] {
  const number = (node: NodeView): number => Number(/(\d+)$/.exec(node.name)?.[1] ?? 0)
  return [...pool.nodes]
    .sort((a, b) => Number(isReady(a)) - Number(isReady(b)) || number(b) - number(a))
    .slice(0, Math.max(0, pool.nodes.length - count))
}

/** The machines a pool is still to be given, spread over the zones that offer its size. */
export function coming(
  cluster: ClusterView,
  pool: PoolView,
  count: number,
  view: FleetView,
): Planned {
  const site = siteOf(view, cluster.site)
  const size = site?.sizes.find((size) => size.name === pool.size)
  const zones = (site?.zones ?? []).filter(
    (zone) => size === undefined || size.zones.includes(zone),
  )
  const nodes: { zone: string }[] = [...pool.nodes]
  const machines = freeNames(
    cluster,
    pool,
    Math.max(0, count - pool.nodes.length),
    site?.machines.map((machine) => machine.name) ?? [],
  ).map((machine): Omit<PlannedMachine, 'field' | 'offered' | 'again'> => {
    const zone = thinnestZone(zones, nodes)
    nodes.push({ zone })
    return {
      name: machine,
      role: 'worker',
      pool: pool.name,
      zone,
      size: pool.size,
      rootDiskGb:
        (site?.kind === 'hall' ? size?.diskGb : undefined) ??
        view.catalogue.find((release) => release.version === cluster.release)?.minimumRootDiskGb ??
        30,
      lifetime: pool.lifetime,
    }
  })
  return standing(cluster, view, machines)
}

/** The fleet with the pool as large as asked for: new nodes are like the first of the pool, empty and ready. */
export function afterResize(intent: ResizeIntent, view: FleetView): FleetView {
  const cluster = clusterOf(view, intent.cluster)
  const pool = poolOf(cluster, intent.pool)
  if (!cluster || !pool) return view
  const gone = new Set(leaving(pool, intent.count).map((node) => node.name))
  const like = pool.nodes[0]
  const added = coming(cluster, pool, intent.count, view).machines
  const list = listedObjects(view, cluster.name)
  const likeObject = list.filter(isNodeObject).find((node) => node.metadata.name === like?.name)
  const nodes = [
    ...pool.nodes.filter((node) => !gone.has(node.name)),
    ...(like
      ? added.map((machine) => ({
          ...like,
          name: machine.name,
          machine: machine.name,
          zone: machine.zone,
          cordoned: false,
          requestedCpuMilli: 0,
          requestedMemoryBytes: 0,
          pods: 0,
        }))
      : []),
  ]
  const objects = [
    ...list.filter((object) => object.kind !== 'Node' || !gone.has(object.metadata?.name ?? '')),
    ...(likeObject
      ? added.map((machine) => {
          const more = oneMore(likeObject, machine.name)
          return {
            ...more,
            metadata: {
              ...more.metadata,
              labels: { ...more.metadata.labels, 'topology.kubernetes.io/zone': machine.zone },
            },
          }
        })
      : []),
  ]
  return {
    ...view,
    clusters: view.clusters.map((candidate) =>
      candidate.name === cluster.name
        ? {
            ...cluster,
            pools: cluster.pools.map((each) => (each === pool ? { ...pool, nodes } : each)),
          }
        : candidate,
    ),
    ...(list.length === 0
      ? {}
      : {
          objects: {
            ...view.objects,
            [cluster.name]: { state: 'known', version: view.version, at: view.now, value: objects },
          },
        }),
  }
}
