/** What is done again after a while: pods that were refused are made, what ails containers strikes. */
import type { Sim } from '../engine/sim'
import type { Cluster, Workload } from '../world'
import { ailWorkload } from './ailing'
import { loads } from './placing'
import { fillWorkload } from './pods'
import { makeAgainMs } from './refused-pods'

const workloadAbout = (cluster: Cluster | undefined, about: string): Workload | undefined =>
  cluster?.workloads.find(
    ({ kind, namespace, name }) => `${kind.toLowerCase()}/${namespace}/${name}` === about,
  )

/** What a workload suffers from strikes again. */
export function ailAgain(sim: Sim, clusterName: string, about: string): void {
  const cluster = sim.cluster(clusterName)
  const workload = workloadAbout(cluster, about)
  if (cluster && workload) ailWorkload(sim, cluster, workload)
}

/** A controller whose pods were refused tries again. */
export function fillAgain(sim: Sim, clusterName: string, about: string): void {
  const cluster = sim.cluster(clusterName)
  const workload = workloadAbout(cluster, about)
  if (!cluster || workload?.refused === undefined) return
  fillWorkload(sim, cluster, workload, loads(cluster))
  if (workload.refused !== undefined)
    sim.schedule(makeAgainMs, { kind: 'fill', cluster: clusterName, workload: about })
}
