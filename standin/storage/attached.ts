/** Which node serves which volume: the one of the pod that uses its claim. */
import type { Cluster, Pod, Workload } from '../cluster-state'
import { podKey } from '../cluster/pod-events'
import { claimsOf, mountsClaims } from '../cluster/claims'
import { isPodOf } from '../cluster/manifests'
import type { Storage } from './state'

export interface Attached {
  readonly volume: string
  readonly node: string
  readonly pod: string
}

/** The volumes that a pod of a workload uses. */
export function volumesOfPod(storage: Storage, workload: Workload, pod: Pod): readonly string[] {
  const claims = claimsOf(workload, pod).map((claim) => `${pod.namespace}/${claim}`)
  if (claims.length === 0) return []
  return storage.volumes.flatMap((volume) =>
    volume.claim !== null && claims.includes(volume.claim) ? volume.name : [],
  )
}

/** Every volume that is served, by node and pod, in the order of the pods. */
export function attachedTo(cluster: Cluster, storage: Storage): readonly Attached[] {
  // Most workloads mount nothing: their pods are not looked at one by one.
  const mounting = cluster.workloads.filter(mountsClaims)
  const keys = new Set(mounting.map(({ namespace, name }) => `${namespace}/${name}`))
  return cluster.running.flatMap((pod) => {
    const { node } = pod
    const workload = keys.has(`${pod.namespace}/${pod.workload}`)
      ? mounting.find((each) => isPodOf(pod, each))
      : undefined
    if (!workload || node === null || pod.phase === 'Succeeded') return []
    return volumesOfPod(storage, workload, pod).map((volume) => ({
      volume,
      node,
      pod: podKey(pod),
    }))
  })
}
