/** What a cluster notes of its pods. */

import type { Cluster, Pod } from '../cluster-state'
import type { Sim } from '../engine/sim'

export const podKey = (pod: Pod): string => `${pod.namespace}/${pod.name}`
export function record(
  sim: Sim,
  cluster: Cluster,
  type: 'Normal' | 'Warning',
  reason: string,
  about: string,
  message: string,
): void {
  cluster.events.push({ at: sim.now, type, reason, about, message })
  // An API keeps its events for a while only.
  if (cluster.events.length > 400) cluster.events.splice(0, cluster.events.length - 400)
  sim.touchCluster(cluster.name)
}
