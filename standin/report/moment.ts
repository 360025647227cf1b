/** How nodes and pods of some clusters stand at a moment, for whoever watches a run. */
import { hasReplicas, isReadyPod, podsOf } from '../cluster/manifests'
import { loads } from '../cluster/placing'
import type { Simulator } from '../engine/simulator'

export function momentOf(sim: Simulator, names: readonly string[]) {
  const clusters = names.flatMap((name) => sim.cluster(name) ?? [])
  const pods = clusters.flatMap((cluster) =>
    cluster.running.filter(({ phase }) => phase !== 'Succeeded'),
  )
  return {
    nodes: clusters.flatMap((cluster) => {
      const load = loads(cluster)
      return cluster.nodes.map((node) => ({
        cluster: cluster.name,
        name: node.name,
        release: node.release,
        ready: node.conditions.some(({ type, status }) => type === 'Ready' && status === 'True'),
        cordoned: node.cordoned,
        pods: load.get(node.name)?.pods ?? 0,
      }))
    }),
    waiting: pods.filter(({ node }) => node === null).length,
    starting: pods.filter((pod) => pod.node !== null && !isReadyPod(pod)).length,
  }
}

/** Ready pods of each workload that runs all the time, by `cluster namespace/name`; of a cluster that rests none is told. */
export function readyPods(sim: Simulator, names: readonly string[]): Record<string, number> {
  const ready: Record<string, number> = {}
  for (const cluster of names.flatMap((name) => sim.cluster(name) ?? [])) {
    if (cluster.resting) continue
    for (const workload of cluster.workloads)
      if (hasReplicas(workload.kind))
        ready[`${cluster.name} ${workload.namespace}/${workload.name}`] = podsOf(
          cluster,
          workload,
        ).filter(isReadyPod).length
  }
  return ready
}
