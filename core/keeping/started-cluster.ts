/** A stopped cluster as it will be once it is started: the machines it takes again, its nodes, and the fleet with it. */
import { z } from 'zod'
import {
  clusterOf,
  type ClusterView,
  type FleetView,
  type NodeView,
  type PoolView,
  siteOf,
  type SiteView,
  withStarting,
} from '../fleet'
import { allocatable } from '../sizing'
import type { BackAgain } from './again'
import { name } from './machines'
import { thinnestZone } from './standing'

export const startIntent = z.strictObject({
  cluster: name,
  /** Pools that stay empty for now. */
  leaveOut: z.array(name).max(100).default([]),
  /** Pools whose machines come back in another size or in other zones. */
  otherwise: z
    .array(
      z.strictObject({
        pool: name,
        size: name.optional(),
        zones: z.array(name).min(1, 'Name at least one zone.').max(50).optional(),
      }),
    )
    .max(100)
    .default([]),
})
export type StartIntent = z.infer<typeof startIntent>

/** The machines that come back, as they were or as is asked for. */
export function backAgain(
  cluster: ClusterView,
  site: SiteView,
  intent: Pick<StartIntent, 'leaveOut' | 'otherwise'>,
): readonly BackAgain[] {
  const placed = new Map<string, { zone: string }[]>()
  return cluster.restingMachines.flatMap((machine): readonly BackAgain[] => {
    const pool = cluster.restingNodes.find((node) => node.machine === machine.name)?.pool ?? ''
    if (intent.leaveOut.includes(pool)) return []
    const asked = intent.otherwise.find((entry) => entry.pool === pool)
    const sizeName = asked?.size ?? machine.size
    const size = site.sizes.find((candidate) => candidate.name === sizeName)
    const before = placed.get(pool) ?? []
    const zone = asked?.zones ? thinnestZone(asked.zones, before) : machine.zone
    placed.set(pool, [...before, { zone }])
    return [
      {
        name: machine.name,
        pool,
        zone,
        size: sizeName,
        cores: asked?.size === undefined ? machine.cores : (size?.cores ?? machine.cores),
        memoryBytes:
          asked?.size === undefined
            ? machine.memoryBytes
            : (size?.memoryBytes ?? machine.memoryBytes),
        lifetime: machine.lifetime,
      },
    ]
  })
}

/** The nodes as they will be once the cluster runs: as they were, in what they come back in. */
function nodesAfter(cluster: ClusterView, back: readonly BackAgain[], now: string): NodeView[] {
  return cluster.restingNodes.flatMap((node): readonly NodeView[] => {
    const machine = back.find((candidate) => candidate.name === node.machine)
    if (!machine) return []
    const room = allocatable(machine.cores * 1000, machine.memoryBytes)
    return [
      {
        ...node,
        zone: machine.zone,
        cordoned: false,
        cpuMilli: machine.cores * 1000,
        memoryBytes: machine.memoryBytes,
        allocatableCpuMilli: room.cpuMilli,
        allocatableMemoryBytes: room.memoryBytes,
        requestedCpuMilli: 0,
        requestedMemoryBytes: 0,
        pods: 0,
        conditions: [
          ...node.conditions.filter((condition) => condition.type !== 'Ready'),
          { type: 'Ready', status: 'True', reason: 'AgentReady', message: '', since: now },
        ],
      },
    ]
  })
}

export const machinesAfter = (
  cluster: ClusterView,
  back: readonly BackAgain[],
): ClusterView['restingMachines'] =>
  cluster.restingMachines.flatMap((machine) => {
    const again = back.find((candidate) => candidate.name === machine.name)
    return again
      ? [
          {
            ...machine,
            zone: again.zone,
            size: again.size,
            cores: again.cores,
            memoryBytes: again.memoryBytes,
            host: null,
          },
        ]
      : []
  })

/** The fleet with the cluster running; what it will list is not known. */
export function afterStart(intent: StartIntent, view: FleetView): FleetView {
  const cluster = clusterOf(view, intent.cluster)
  const site = cluster && siteOf(view, cluster.site)
  if (!cluster || !site) return view
  const back = backAgain(cluster, site, intent)
  const nodes = nodesAfter(cluster, back, view.now)
  const poolAfter = (pool: PoolView): PoolView => ({
    ...pool,
    size: intent.otherwise.find((entry) => entry.pool === pool.name)?.size ?? pool.size,
    nodes: nodes.filter((node) => node.pool === pool.name),
  })
  const running: ClusterView = {
    ...cluster,
    resting: false,
    restingSince: null,
    restingMachines: [],
    restingNodes: [],
    apiAnswers: true,
    membersUp:
      cluster.controlPlane.kind === 'own' ? cluster.controlPlane.members.length : cluster.membersUp,
    pools: cluster.pools.map(poolAfter),
  }
  const machines = machinesAfter(cluster, back)
  return withStarting(
    {
      ...view,
      sites: view.sites.map((each) =>
        each === site ? { ...site, machines: [...site.machines, ...machines] } : each,
      ),
      clusters: view.clusters.map((each) => (each === cluster ? running : each)),
    },
    cluster.name,
  )
}
