/** Packets of the stand-ins, and who sends them. */

import type { Cluster, Pod, Node } from '../cluster-state'
import { record as fields, templateOf } from '../cluster/manifests'
import { workloadOf } from '../cluster/fits'
import { lineOf } from './ranges'

export interface Packet {
  source: string
  destination: string
  port: number
  readonly protocol: 'TCP' | 'UDP'
}

export type Sender =
  | { readonly cluster: Cluster; readonly pod: Pod }
  | { readonly cluster: Cluster; readonly node: Node }
  | { readonly address: string }

export const same = (a: string, b: string): boolean => {
  const line = lineOf(a)
  return line !== null && line === lineOf(b)
}

export const podAt = (cluster: Cluster, address: string): Pod | undefined =>
  cluster.running.find(
    (pod) =>
      pod.ip !== null &&
      pod.phase !== 'Succeeded' &&
      same(pod.ip, address) &&
      !isHostPod(cluster, pod),
  )

export const isHostPod = (cluster: Cluster, pod: Pod): boolean => {
  const workload = workloadOf(cluster, pod)
  return (
    workload !== undefined && fields(templateOf(workload, pod.hash)['spec'])['hostNetwork'] === true
  )
}
