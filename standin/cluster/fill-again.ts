/** What is done again after a while: pods that were refused are made, what ails containers strikes. */
import type { Sim } from '../engine/sim'
import type { Cluster, Workload } from '../world'
import { ailWorkload } from './ailing'
import { loads } from './placing'
import { fillWorkload } from './controllers'
import { makeAgainMs, workloadAbout } from './refused-pods'

const workloadOf = (cluster: Cluster | undefined, about: string): Workload | undefined =>
  cluster?.workloads.find((workload) => workloadAbout(workload) === about)

/** What a workload suffers from strikes again. */
export function ailAgain(sim: Sim, clusterName: string, about: string): void {
  const cluster = sim.cluster(clusterName)
  const workload = workloadOf(cluster, about)
  if (cluster && workload) ailWorkload(sim, cluster, workload)
}

/** A controller whose pods were refused tries again; one that made a batch makes the next. */
export function fillAgain(sim: Sim, clusterName: string, about: string): void {
  const cluster = sim.cluster(clusterName)
  const workload = workloadOf(cluster, about)
  if (!cluster || !workload) return
  const wasRefused = workload.refused !== undefined
  const isBatch = workload.batchAt !== undefined && workload.batchAt <= sim.now
  if (!wasRefused && !isBatch) return
  delete workload.batchAt
  fillWorkload(sim, cluster, workload, loads(cluster))
  if (wasRefused && workload.refused !== undefined)
    sim.schedule(makeAgainMs, { kind: 'fill', cluster: clusterName, workload: about })
}
