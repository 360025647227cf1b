/** The part of the fleet that a draft is checked against, small enough to be sent to the browser. */
import type { FleetView } from '~/core/fleet'

/** Past this many machines only the draft’s own site is sent whole. */
const mostMachines = 1500

export function draftSlice(view: FleetView, site: string): FleetView {
  const machines = view.sites.reduce((sum, otherSite) => sum + otherSite.machines.length, 0)
  return {
    ...view,
    sites: view.sites.map((otherSite) =>
      machines <= mostMachines || otherSite.name === site
        ? otherSite
        : { ...otherSite, machines: [], addresses: [], disks: [], hosts: [] },
    ),
    // Pools are large and only those of a lifecycle cluster are looked at by a draft.
    clusters: view.clusters.map((cluster) =>
      cluster.drives.length > 0 ? cluster : { ...cluster, pools: [] },
    ),
  }
}
