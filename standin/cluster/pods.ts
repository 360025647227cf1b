/** Scheduling and starting of pods, as far as provisioning needs it: room, taints, pools. */
import { formatAddress, parseCidr } from '../../core/addresses'
import { uniform } from '../engine/random'
import type { Sim } from '../engine/simulator'
import type { Cluster, Node, Pod, Workload } from '../world'

export const podKey = (pod: Pod): string => `${pod.namespace}/${pod.name}`

export function record(sim: Sim, cluster: Cluster, type: 'Normal' | 'Warning', reason: string, about: string, message: string): void {
  cluster.events.push({ at: sim.now, type, reason, about, message })
  // An API keeps its events for a while only.
  if (cluster.events.length > 400) cluster.events.splice(0, cluster.events.length - 400)
  sim.touch(`cluster:${cluster.name}`)
}

const isReady = (node: Node): boolean => node.conditions.some((condition) => condition.type === 'Ready' && condition.status === 'True')

export interface Load {
  cpuMilli: number
  memoryBytes: number
  gpus: number
  pods: number
}

export function loads(cluster: Cluster): Map<string, Load> {
  const map = new Map<string, Load>(cluster.nodes.map((node) => [node.name, { cpuMilli: 0, memoryBytes: 0, gpus: 0, pods: 0 }]))
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

/** Why a node does not take a pod, in the scheduler’s words, or null. */
function refusal(node: Node, load: Load, pod: Pod, workload: Workload, maxPods: number): string | null {
  if (node.cordoned) return 'unschedulable'
  if (!isReady(node) && workload.kind !== 'DaemonSet') return 'not ready'
  if (workload.pool !== null && node.pool !== workload.pool) return 'node selector'
  const untolerated = node.taints.find((taint) => taint.effect !== 'PreferNoSchedule' && workload.kind !== 'DaemonSet' && !workload.tolerations.some((t) => t.key === taint.key && t.value === taint.value))
  if (untolerated) return `taint ${untolerated.key}`
  if (load.cpuMilli + pod.cpuMilli > node.allocatableCpuMilli) return 'insufficient cpu'
  if (load.memoryBytes + pod.memoryBytes > node.allocatableMemoryBytes) return 'insufficient memory'
  if (load.gpus + pod.gpus > node.gpus) return 'insufficient gpu'
  return load.pods + 1 > maxPods ? 'too many pods' : null
}

/** Puts a waiting pod onto the emptiest node that takes it, or says why none does. */
export function schedulePod(cluster: Cluster, pod: Pod, workload: Workload, load: Map<string, Load>, only?: string): void {
  const tally = new Map<string, number>()
  let best: { node: Node; load: Load; used: number } | undefined
  for (const node of cluster.nodes) {
    if (only !== undefined && node.name !== only) continue
    const here = load.get(node.name)
    if (!here) continue
    const why = refusal(node, here, pod, workload, cluster.maxPodsPerNode)
    if (why !== null) {
      tally.set(why, (tally.get(why) ?? 0) + 1)
      continue
    }
    const used = (here.cpuMilli + pod.cpuMilli) / node.allocatableCpuMilli + (here.memoryBytes + pod.memoryBytes) / node.allocatableMemoryBytes
    if (!best || used < best.used || (used === best.used && node.name < best.node.name)) best = { node, load: here, used }
  }
  if (!best) {
    if (only !== undefined) pod.wants = only
    pod.waits = `0 of ${cluster.nodes.length} nodes take it: ${[...tally].map(([why, count]) => `${count} ${why}`).join(', ') || 'there is none'}`
    return
  }
  pod.node = best.node.name
  pod.waits = null
  best.load.cpuMilli += pod.cpuMilli
  best.load.memoryBytes += pod.memoryBytes
  best.load.gpus += pod.gpus
  best.load.pods++
}

/** The address of the n-th pod on a node: inside the node’s block of the pod range. */
function podAddress(cluster: Cluster, node: Node, n: number): string | null {
  const range = parseCidr(cluster.pods)
  if (!range.ok) return null
  let block = 1n
  while (block < 2n * BigInt(cluster.maxPodsPerNode)) block *= 2n
  return formatAddress({ family: range.value.family, value: range.value.first + BigInt(node.block) * block + 2n + (BigInt(n) % (block - 3n)) })
}

/** Starts a placed pod, with the given number on its node or else the first whose address is free. */
export function startPod(cluster: Cluster, pod: Pod, at: number, numbered?: number): void {
  const node = cluster.nodes.find((other) => other.name === pod.node)
  if (!node) return
  let n = numbered ?? 0
  let ip = podAddress(cluster, node, n)
  if (numbered === undefined) {
    const taken = new Set(cluster.running.filter((other) => other.node === node.name).map((other) => other.ip))
    while (taken.has(ip)) ip = podAddress(cluster, node, ++n)
  }
  pod.ip = ip
  pod.phase = 'Running'
  pod.startedAt = at
}

/** A pod of a workload; a stateful one by its ordinal, a daemon’s by its node, any other by a drawn suffix. */
export function newPod(sim: { readonly world: { readonly seed: number } }, cluster: Cluster, workload: Workload, ordinal: number, at: number): Pod {
  const n = cluster.nextName++
  const drawn = Math.floor(uniform(sim.world.seed, `${cluster.name}/${workload.name}/${n}`) * 36 ** 5).toString(36).padStart(5, '0')
  const name = workload.kind === 'StatefulSet' ? `${workload.name}-${ordinal}` : `${workload.name}-${drawn}`
  return { namespace: workload.namespace, name, workload: workload.name, node: null, phase: 'Pending', waits: null, ip: null, cpuMilli: workload.cpuMilli, memoryBytes: workload.memoryBytes, gpus: workload.gpus, createdAt: at, startedAt: null }
}

/** Makes and schedules the pods a workload still lacks; those with a place begin to start. */
export function fillWorkload(sim: Sim, cluster: Cluster, workload: Workload, load: Map<string, Load>): readonly Pod[] {
  const mine = cluster.running.filter((pod) => pod.namespace === workload.namespace && pod.workload === workload.name)
  const made: Pod[] = []
  const make = (ordinal: number, only?: string): void => {
    const pod = newPod(sim, cluster, workload, ordinal, sim.now)
    cluster.running.push(pod)
    schedulePod(cluster, pod, workload, load, only)
    made.push(pod)
    if (pod.node === null) record(sim, cluster, 'Warning', 'FailedScheduling', `pod/${podKey(pod)}`, pod.waits ?? '')
    else sim.schedule(sim.takes(`${cluster.name}/${podKey(pod)}/start`, 14), { kind: 'pod-runs', cluster: cluster.name, pod: podKey(pod) })
  }
  if (workload.kind === 'DaemonSet') {
    const covered = new Set(mine.map((pod) => pod.node ?? pod.wants ?? null))
    // Its controller makes pods only for nodes that its selector takes, and never a second for one that waits.
    for (const node of cluster.nodes) if (!covered.has(node.name) && (workload.pool === null || node.pool === workload.pool)) make(0, node.name)
  } else if (workload.kind !== 'CronJob') {
    for (let i = mine.length; i < workload.replicas; i++) make(i)
  }
  sim.touch(`cluster:${cluster.name}`)
  return made
}

/** The event at the end of a pod’s start: image pulled, containers ready. */
export function podRuns(sim: Sim, clusterName: string, key: string): void {
  const cluster = sim.cluster(clusterName)
  const pod = cluster?.running.find((other) => podKey(other) === key)
  if (!cluster || !pod || pod.phase !== 'Pending') return
  startPod(cluster, pod, sim.now)
  record(sim, cluster, 'Normal', 'Started', `pod/${key}`, `started on ${pod.node ?? ''}`)
}
