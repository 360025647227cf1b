/** What a cluster costs an hour while it runs, and what of that ends while it rests. */
import type { ClusterView, SiteView } from '../fleet/view'
import { machineHourly } from './site-spend'

/** Units an hour for machines and control-plane tier: what resting saves. Machines of a resting cluster are counted as they will be again. */
export function clusterHourly(site: SiteView, cluster: ClusterView): number {
  const machines = cluster.resting
    ? cluster.restingMachines
    : site.machines.filter((machine) => machine.cluster === cluster.name)
  const tier = cluster.controlPlane.kind === 'managed' ? cluster.controlPlane.tier : null
  const plane =
    tier === null
      ? 0
      : (site.managedTiers.find((managedTier) => managedTier.tier === tier)?.hourly ?? 0)
  return machines.reduce((sum, machine) => sum + machineHourly(site, machine), 0) + plane
}
