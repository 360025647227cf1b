/** Trying what is written before it is written. */
import type { Sim } from '../engine/sim'
import type { Cluster } from '../world'

/** A copy that what is tried may change, and a simulation in which nothing follows from it. */
export function trialOf(
  sim: Sim,
  cluster: Cluster,
): { readonly trial: Cluster; readonly dry: Sim } {
  const trial: Cluster = { ...cluster, serviceList: [...cluster.serviceList] }
  const dry: Sim = {
    world: sim.world,
    now: sim.now,
    site: (name) => sim.site(name),
    cluster: () => trial,
    takes: () => 0,
    schedule: () => undefined,
    touchSite: () => undefined,
    touchCluster: () => undefined,
  }
  return { trial, dry }
}
