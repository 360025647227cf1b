/** Pods whose volume has no copy left serve nothing until one of its copies answers again. */
import type { Cluster } from '../cluster-state'
import { podKey, record } from '../cluster/pod-events'
import type { Sim } from '../engine/sim'
import { attachedTo } from './attached'
import { isAlive, type Storage } from './state'

/** Whether any pod became ready or ceased to be. */
export function serveVolumes(sim: Sim, cluster: Cluster, storage: Storage): boolean {
  const lost = new Set(
    storage.volumes
      .filter((volume) => !volume.replicas.some((copy) => isAlive(copy) && copy.whole))
      .map(({ name }) => name),
  )
  if (lost.size === 0 && !cluster.running.some((pod) => pod.unready === true)) return false
  const without = new Map(
    attachedTo(cluster, storage)
      .filter(({ volume }) => lost.has(volume))
      .map(({ volume, pod }) => [pod, volume]),
  )
  let altered = false
  for (const pod of cluster.running) {
    const key = podKey(pod)
    const volume = without.get(key)
    if ((volume !== undefined) === (pod.unready === true)) continue
    altered = true
    if (volume === undefined) delete pod.unready
    else {
      pod.unready = true
      record(
        sim,
        cluster,
        'Warning',
        'VolumeGone',
        `pod/${key}`,
        `no copy of ${volume} answers: reads and writes hang`,
      )
    }
  }
  return altered
}
