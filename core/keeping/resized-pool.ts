/** A pool as it will be once it is resized: the nodes that come, those that leave, and the fleet with it. */
import { z } from 'zod'
import type { NodeReport as NodeView } from '../contract'
import {
  clusterOf,
  type ClusterView,
  type FleetView,
  listedObjects,
  objectsHeard,
  type PoolView,
  siteOf,
} from '../fleet'
import { ofKind } from '../objects'
import { giveOrder, oneMore, readWorld } from '../placement'
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
  /** Nodes to give up; what is not named is chosen by placement. */
  nodes: z.array(name).max(10_000).default([]),
  allowLocalData: z.boolean().default(false),
})

export type ResizeIntent = z.infer<typeof resizeIntent>

export interface Leaving {
  /** In the order in which they were chosen. */
  readonly nodes: readonly NodeView[]
  /** How many nodes the pool could do with at least, as placement tells; null where its objects were not looked at. */
  readonly least: number | null
}

/** What was chosen for the same objects before: a draft is checked, planned and proven with the same view. */
const chosen = new WeakMap<object, Map<string, Leaving>>()

/**
 * Nodes that leave when a pool shrinks: those named, then those not ready, then the ones whose pods move best. Without the
 * objects of the cluster the ones of which least is asked for, the highest numbers first.
 */
export function leaving(
  view: FleetView,
  cluster: ClusterView,
  pool: PoolView,
  intent: Pick<ResizeIntent, 'count' | 'nodes' | 'allowLocalData'>,
): Leaving {
  const count = Math.max(0, pool.nodes.length - intent.count)
  if (count === 0) return { nodes: [], least: null }
  const number = (node: NodeView): number => Number(/(\d+)$/.exec(node.name)?.[1] ?? 0)
  const named = intent.nodes.flatMap((request) =>
    pool.nodes.filter((node) => node.name === request),
  )
  const left = pool.nodes
    .filter((node) => !named.includes(node))
    .sort((a, b) => number(b) - number(a))
  const silent = [...named, ...left].filter((node) => !isReady(node))
  const first = named.filter(isReady)
  const ready = left.filter(isReady)
  const objects = objectsHeard(view, cluster.name)
  if (!objects)
    return {
      nodes: [
        ...named,
        ...silent.filter((node) => !named.includes(node)),
        ...[...ready].sort((a, b) => a.requestedCpuMilli - b.requestedCpuMilli),
      ].slice(0, count),
      least: null,
    }
  const key = [pool.name, intent.count, intent.allowLocalData, ...intent.nodes].join(' ')
  const before = chosen.get(objects)?.get(key)
  if (before) return before
  const names = (nodes: readonly NodeView[]): readonly string[] => nodes.map((node) => node.name)
  const gone = [...named, ...silent.filter((node) => !named.includes(node))].slice(0, count)
  const read = readWorld(objects)
  const order = read.ok
    ? giveOrder(
        read.world,
        names(ready),
        Math.max(0, count - gone.filter((node) => !first.includes(node)).length),
        names(first),
        {
          allowLocalData: intent.allowLocalData,
          closed: names(gone.filter((node) => !isReady(node))),
        },
      )
    : { nodes: names(ready), free: 0 }
  const nodes = [
    ...gone,
    ...order.nodes.flatMap((request) =>
      ready.filter((node) => node.name === request && !gone.includes(node)),
    ),
  ].slice(0, count)
  const answer = {
    nodes,
    least: pool.nodes.length - order.free - nodes.filter((node) => !isReady(node)).length,
  }
  const answers = chosen.get(objects) ?? new Map<string, Leaving>()
  chosen.set(objects, answers.set(key, answer))
  return answer
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
  const gone = new Set(leaving(view, cluster, pool, intent).nodes.map((node) => node.name))
  const like = pool.nodes[0]
  const added = coming(cluster, pool, intent.count, view).machines
  const list = listedObjects(view, cluster.name)
  const likeObject = ofKind(list, 'Node').find((node) => node.metadata.name === like?.name)
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
