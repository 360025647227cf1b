/** The part of the fleet that a draft is checked against, small enough to be sent to the browser. */
import type { FleetView, SiteView } from '~/core/fleet'

/** Past this many machines only the draft’s own site is sent whole. */
const mostMachines = 1500

function withoutStock({ registry: _, ...site }: SiteView): SiteView {
  return { ...site, machines: [], addresses: [], disks: [], hosts: [] }
}

export function draftSlice(view: FleetView, site: string): FleetView {
  const machines = view.sites.reduce((sum, otherSite) => sum + otherSite.machines.length, 0)
  return {
    ...view,
    sites: view.sites.map((otherSite) =>
      machines <= mostMachines || otherSite.name === site ? otherSite : withoutStock(otherSite),
    ),
    // Pools and what storage holds are large. Of pools only those of a lifecycle cluster are looked at by a draft.
    clusters: view.clusters.map((cluster) =>
      cluster.drives.length > 0
        ? { ...cluster, storage: null }
        : { ...cluster, storage: null, pools: [] },
    ),
  }
}
