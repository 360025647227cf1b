/** The fleet as it would be without what a change has made: what a halted run’s draft is checked against anew. */
import type { FleetView } from '../fleet'
import type { Plan } from './change'

export function withoutChange(view: FleetView, plan: Plan, change: string): FleetView {
  const made = new Set(plan.creates)
  const clusters = new Set(
    plan.creates.filter((ref) => ref.startsWith('cluster/')).map((ref) => ref.slice(8)),
  )
  const touched = new Set(plan.alters)
  return {
    ...view,
    clusters: view.clusters
      .filter((cluster) => !clusters.has(cluster.name))
      .map((cluster) =>
        plan.creates.some((ref) => ref.startsWith(`node/${cluster.name}/`))
          ? {
              ...cluster,
              pools: cluster.pools.map((pool) => ({
                ...pool,
                nodes: pool.nodes.filter((node) => !made.has(`node/${cluster.name}/${node.name}`)),
              })),
            }
          : cluster,
      ),
    ledger: view.ledger.filter((entry) => !clusters.has(entry.holder)),
    reservations: view.reservations.filter((taken) => taken.change !== change),
    sites: view.sites.map((site) => ({
      ...site,
      machines: site.machines.filter(
        (machine) =>
          !made.has(`machine/${site.name}/${machine.name}`) &&
          !(machine.cluster !== null && clusters.has(machine.cluster)),
      ),
      disks: site.disks.filter((disk) => disk.cluster === null || !clusters.has(disk.cluster)),
      addresses: site.addresses.filter(
        (address) => address.cluster === null || !clusters.has(address.cluster),
      ),
      controlPlanes: site.controlPlanes.filter((plane) => !clusters.has(plane.cluster)),
      boxes: site.boxes.map((box) =>
        touched.has(`machine/${site.name}/${box.name}`) &&
        box.usedBy !== null &&
        clusters.has(box.usedBy)
          ? {
              ...box,
              usedBy: null,
              disks: box.disks.map((disk) =>
                disk.holds?.startsWith('fern-base ') ? { ...disk, holds: null } : disk,
              ),
            }
          : box,
      ),
    })),
  }
}
