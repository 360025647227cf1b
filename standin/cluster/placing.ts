/** Where a pod is put, as the scheduler of the stand-ins finds it. */

import { noNodeText } from './no-node'
import type { Cluster, Workload, Pod, Node } from '../cluster-state'
import type { Load } from './fits'
import { wishOf, refusals, likes } from './fits'
import { list, record as fields, templateOf, text } from './manifests'

export function loads(cluster: Cluster): Map<string, Load> {
  const map = new Map<string, Load>(
    cluster.nodes.map((node) => [node.name, { cpuMilli: 0, memoryBytes: 0, gpus: 0, pods: 0 }]),
  )
  for (const pod of cluster.running) {
    const load = pod.node === null || pod.phase === 'Succeeded' ? undefined : map.get(pod.node)
    if (!load) continue
    load.cpuMilli += pod.cpuMilli
    load.memoryBytes += pod.memoryBytes
    load.gpus += pod.gpus
    load.pods++
  }
  return map
}

/** The scheduling gates that keep a pod from being placed at all. */
export const gatesOf = (workload: Workload, pod: Pod): readonly string[] =>
  list(fields(templateOf(workload, pod.hash)['spec'])['schedulingGates']).map((gate) =>
    text(fields(gate)['name']),
  )

/** Puts a waiting pod onto the emptiest node that takes it, or says why none does. */
export function schedulePod(
  cluster: Cluster,
  pod: Pod,
  workload: Workload,
  load: Map<string, Load>,
  only?: string,
): void {
  const gates = gatesOf(workload, pod)
  if (gates.length > 0) {
    pod.waits = `its scheduling gates ${gates.join(', ')} are not taken away`
    return
  }
  const tally = new Map<string, number>()
  const refusal = refusals(cluster, pod, workload)
  const request = wishOf(workload, pod)
  let best: { node: Node; load: Load; used: number } | undefined
  for (const node of cluster.nodes) {
    if (only !== undefined && node.name !== only) continue
    const here = load.get(node.name)
    if (!here) continue
    const why = refusal(node, here)
    if (why !== null) {
      tally.set(why, (tally.get(why) ?? 0) + 1)
      continue
    }
    const used =
      (here.cpuMilli + pod.cpuMilli) / node.allocatableCpuMilli +
      (here.memoryBytes + pod.memoryBytes) / node.allocatableMemoryBytes -
      2 * likes(request, node)
    if (!best || used < best.used || (used === best.used && node.name < best.node.name))
      best = { node, load: here, used }
  }
  if (!best) {
    if (only !== undefined) pod.wants = only
    pod.waits = noNodeText(cluster.nodes.length, tally)
    return
  }
  pod.node = best.node.name
  pod.waits = null
  best.load.cpuMilli += pod.cpuMilli
  best.load.memoryBytes += pod.memoryBytes
  best.load.gpus += pod.gpus
  best.load.pods++
}

/** A number of pods, or a percentage of them: rounded up for a surge, down for what may be missing. */
export function share(
  given: unknown,
  of: number,
  usual: string,
  round: (value: number) => number,
): number {
  const value = given ?? usual
  if (typeof value === 'number') return value
  const percent = /^(\d+)%$/.exec(text(value))
  return percent ? round((Number(percent[1]) * of) / 100) : Number(value) || 0
}
