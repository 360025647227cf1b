/** Room made for a pod of higher priority: on the node where the fewest, least important pods have to go. */
import type { Sim } from '../engine/sim'
import type { Cluster, Node, Pod, Workload } from '../world'
import { type Load, refusals, workloadOf } from './fits'
import { record as fields, templateOf, text } from './manifests'

/** Pods that came with the platform are above all others. */
export const platformPriority = 1_000_000

const classes = (cluster: Cluster) =>
  (cluster.objects ?? []).filter((object) => object.kind === 'PriorityClass')

export function priorityOf(cluster: Cluster, workload: Workload | undefined, pod: Pod): number {
  if (pod.namespace === 'platform') return platformPriority
  const name = workload
    ? text(fields(templateOf(workload, pod.hash)['spec'])['priorityClassName'])
    : ''
  const storageClass = classes(cluster).find((candidate) =>
    name === '' ? candidate['globalDefault'] === true : candidate.metadata.name === name,
  )
  return Number(storageClass?.['value'] ?? 0)
}

function mayPreempt(cluster: Cluster, workload: Workload, pod: Pod): boolean {
  const name = text(fields(templateOf(workload, pod.hash)['spec'])['priorityClassName'])
  return (
    classes(cluster).find((storageClass) => storageClass.metadata.name === name)?.[
      'preemptionPolicy'
    ] !== 'Never'
  )
}

const without = (load: Load, pods: readonly Pod[]): Load =>
  pods.reduce<Load>(
    (left, pod) => ({
      cpuMilli: left.cpuMilli - pod.cpuMilli,
      memoryBytes: left.memoryBytes - pod.memoryBytes,
      gpus: left.gpus - pod.gpus,
      pods: left.pods - 1,
    }),
    load,
  )

interface Way {
  readonly node: Node
  readonly victims: readonly Pod[]
  readonly highest: number
}

/** The pods that have to go so that another fits, and from which node; null if no room can be made. */
export function victimsFor(
  cluster: Cluster,
  pod: Pod,
  workload: Workload,
  load: ReadonlyMap<string, Load>,
): Way | null {
  const priority = priorityOf(cluster, workload, pod)
  if (priority <= 0 || workload.kind === 'DaemonSet' || !mayPreempt(cluster, workload, pod))
    return null
  const ways: Way[] = []
  const refuses = refusals(cluster, pod, workload)
  for (const node of cluster.nodes) {
    const here = load.get(node.name)
    if (!here) continue
    const lower = cluster.running
      .filter((otherPod) => otherPod.node === node.name && otherPod.phase !== 'Succeeded')
      .map((otherPod) => ({
        pod: otherPod,
        at: priorityOf(cluster, workloadOf(cluster, otherPod), otherPod),
        daemon: workloadOf(cluster, otherPod)?.kind === 'DaemonSet',
      }))
      .filter(({ at, daemon }) => at < priority && !daemon)
      .sort((a, b) => a.at - b.at || b.pod.createdAt - a.pod.createdAt)
    const going: typeof lower = []
    while (
      refuses(
        node,
        without(
          here,
          going.map(({ pod }) => pod),
        ),
      ) !== null &&
      going.length < lower.length
    ) {
      const next = lower[going.length]
      if (next) going.push(next)
    }
    const victims = going.map(({ pod }) => pod)
    if (victims.length > 0 && refuses(node, without(here, victims)) === null)
      ways.push({ node, victims, highest: Math.max(...going.map(({ at }) => at)) })
  }
  return (
    ways.sort(
      (a, b) =>
        a.highest - b.highest ||
        a.victims.length - b.victims.length ||
        (a.node.name < b.node.name ? -1 : 1),
    )[0] ?? null
  )
}

/** Takes the victims away from the load of their node. */
export function makeWay(sim: Sim, cluster: Cluster, way: Way, load: Map<string, Load>): void {
  const here = load.get(way.node.name)
  if (here) Object.assign(here, without(here, way.victims))
  const gone = new Set(way.victims)
  cluster.running = cluster.running.filter((pod) => !gone.has(pod))
  sim.touchCluster(cluster.name)
}
