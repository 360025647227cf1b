/** Controllers whose pods were refused. */
import type { Sim } from '../engine/sim'
import { loads } from './placing'
import { fillWorkload } from './pods'
import { makeAgainMs } from './refused-pods'

/** A controller whose pods were refused tries again. */
export function fillAgain(sim: Sim, clusterName: string, about: string): void {
  const cluster = sim.cluster(clusterName)
  const workload = cluster?.workloads.find(
    ({ kind, namespace, name }) => `${kind.toLowerCase()}/${namespace}/${name}` === about,
  )
  if (!cluster || workload?.refused === undefined) return
  fillWorkload(sim, cluster, workload, loads(cluster))
  if (workload.refused !== undefined)
    sim.schedule(makeAgainMs, { kind: 'fill', cluster: clusterName, workload: about })
}
