/** A pool’s machines made anew from the base image of another release: one node after the other, each under its own name. */
import type { Step } from '../../changes'
import type { ClusterView, FleetView, NodeView, PoolView } from '../../fleet'
import { siteOf } from '../../fleet'
import { drain, leave, remove, standing } from '../../keeping'
import { type Graph, joinStep, machineSteps, type Planned } from '../../provisioning'

/** The cluster as it is when its control plane runs a release. */
const withRelease = (cluster: ClusterView, release: string): ClusterView => ({
  ...cluster,
  release,
})

/** The machine of a node as it is made anew: its name, zone and size stay. */
export function madeAnew(
  cluster: ClusterView,
  pool: PoolView,
  node: NodeView,
  release: string,
  view: FleetView,
): Planned {
  const site = siteOf(view, cluster.site)
  const machine = site?.machines.find(({ name }) => name === node.machine)
  const without: FleetView = {
    ...view,
    sites: view.sites.map((each) =>
      each.name === cluster.site
        ? {
            ...each,
            machines: each.machines.filter(({ name }) => name !== node.machine),
            disks: each.disks.filter((disk) => disk.machine !== node.machine),
          }
        : each,
    ),
  }
  return standing(withRelease(cluster, release), without, [
    {
      name: node.machine,
      role: 'worker',
      pool: pool.name,
      zone: node.zone,
      size: machine?.size ?? pool.size,
      rootDiskGb: machine?.diskGb ?? 0,
      lifetime: pool.lifetime,
    },
  ])
}

/** Ids of steps, and what refers to them, under a beginning of their own. */
function under(prefix: string, steps: readonly Step[]): readonly Step[] {
  const own = new Set(steps.map(({ id }) => id))
  const named = (id: string): string => (own.has(id) ? `${prefix}/${id}` : id)
  return steps.map((step) => ({ ...step, id: named(step.id), after: step.after.map(named) }))
}

/** The steps of a turnover of a pool to a release, after some others; with the id of its last. */
export function turnoverSteps(
  cluster: ClusterView,
  pool: PoolView,
  release: string,
  view: FleetView,
  after: readonly string[],
): { readonly steps: readonly Step[]; readonly last: readonly string[] } {
  const steps: Step[] = []
  let before = after
  for (const node of pool.nodes) {
    const planned = madeAnew(cluster, pool, node, release, view)
    const machine = planned.machines[0]
    if (!machine) continue
    const graph: Graph = { steps: [], reserves: [], creates: [] }
    graph.steps.push(
      drain(cluster.name, node.name, before),
      leave(cluster.name, node.name, [`drain:${node.name}`]),
      remove(cluster.site, node.machine, [`leave:${node.name}`]),
    )
    const booted = machineSteps(graph, planned, machine, [`delete:${node.machine}`], null)
    const joined = joinStep(graph, planned, { ...machine, roles: node.roles }, machine.name, [
      booted,
    ])
    const prefix = `${release}/${pool.name}`
    steps.push(...under(prefix, graph.steps).map((step) => ({ ...step, group: node.name })))
    before = [`${prefix}/${joined}`]
  }
  return { steps, last: before }
}
