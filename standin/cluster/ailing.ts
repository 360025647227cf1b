/** What the containers of a workload can suffer from once they run: they end by themselves, are killed, or do not answer. */
import { uniform } from '../engine/random'
import type { Sim } from '../engine/sim'
import type { Cluster, FaultKind, Pod, Workload, WorkloadAilment } from '../world'
import { isPodOf, list, record as fields, templateOf, text } from './manifests'
import { podKey, record } from './pod-events'

const byFault: Partial<Record<FaultKind, WorkloadAilment>> = {
  'process-ends': 'crash',
  'memory-short': 'memory',
  'not-answering': 'readiness',
  'process-hangs': 'liveness',
  'architecture-wrong': 'architecture',
}

export const workloadAilmentOf = (fault: FaultKind): WorkloadAilment | undefined => byFault[fault]

/** How long between one end and the next, once the wait between them has grown (ms). */
const againMs = 300_000

const containerOf = (workload: Workload, pod: Pod): string =>
  text(fields(list(fields(templateOf(workload, pod.hash)['spec'])['containers'])[0])['name']) ||
  workload.name

/** Memory that the first container of a pod may use; what it asks for where it has no limit. */
function limitOf(workload: Workload, pod: Pod): number {
  return pod.memoryBytes > 0 ? pod.memoryBytes : workload.memoryBytes
}

/** Whether a pod suffers from what its workload suffers from: one with more memory than was missing does not. */
const suffers = (workload: Workload, pod: Pod): boolean =>
  workload.ailing !== undefined &&
  (workload.ailing.of !== 'memory' || limitOf(workload, pod) < workload.ailing.needsBytes)

/** The container of a pod ends, or does not answer, now. */
export function ailPod(sim: Sim, cluster: Cluster, workload: Workload, pod: Pod): void {
  const { ailing } = workload
  if (!ailing || pod.phase !== 'Running' || !suffers(workload, pod)) return
  const about = `pod/${podKey(pod)}`
  const container = containerOf(workload, pod)
  pod.unready = true
  if (ailing.of === 'readiness') {
    record(
      sim,
      cluster,
      'Warning',
      'Unhealthy',
      about,
      'Readiness probe failed: HTTP probe failed with statuscode: 503',
    )
    return
  }
  const isKilled = ailing.of === 'memory' || ailing.of === 'liveness'
  pod.restarts = (pod.restarts ?? 0) + 1
  pod.last = { reason: 'Error', exitCode: isKilled ? 137 : 1, at: sim.now }
  pod.trouble = {
    reason: 'CrashLoopBackOff',
    message: `back-off 5m0s restarting failed container=${container} pod=${pod.name}_${pod.namespace}`,
  }
  if (ailing.of === 'liveness') {
    record(
      sim,
      cluster,
      'Warning',
      'Unhealthy',
      about,
      'Liveness probe failed: Get "http://:8080/alive": context deadline exceeded (Client.Timeout exceeded while awaiting headers)',
    )
    record(
      sim,
      cluster,
      'Normal',
      'Killing',
      about,
      `Container ${container} failed liveness probe, will be restarted`,
    )
  }
  record(
    sim,
    cluster,
    'Warning',
    'BackOff',
    about,
    `Back-off restarting failed container ${container} in pod ${pod.name}_${pod.namespace}`,
  )
}

/** All pods of a workload that suffers, now and again after a while. */
export function ailWorkload(sim: Sim, cluster: Cluster, workload: Workload): void {
  if (!workload.ailing) return
  for (const pod of cluster.running) if (isPodOf(pod, workload)) ailPod(sim, cluster, workload, pod)
  sim.schedule(againMs, {
    kind: 'ail',
    cluster: cluster.name,
    workload: `${workload.kind.toLowerCase()}/${workload.namespace}/${workload.name}`,
  })
  sim.touchCluster(cluster.name)
}

/** A workload begins to suffer from something: for want of memory it would need half as much again as it may use. */
export function startAiling(
  sim: Sim,
  cluster: Cluster,
  workload: Workload,
  of: WorkloadAilment,
): void {
  const pod = cluster.running.find((each) => isPodOf(each, workload))
  const limit = pod ? limitOf(workload, pod) : workload.memoryBytes
  workload.ailing = { of, since: sim.now, needsBytes: Math.round(limit * 1.25) }
  ailWorkload(sim, cluster, workload)
}

/** It is over: its containers run and answer. */
export function endAiling(sim: Sim, cluster: Cluster, workload: Workload): void {
  if (!workload.ailing) return
  delete workload.ailing
  for (const pod of cluster.running) {
    if (!isPodOf(pod, workload)) continue
    if (pod.unready !== true) continue
    delete pod.unready
    delete pod.trouble
    record(
      sim,
      cluster,
      'Normal',
      'Started',
      `pod/${podKey(pod)}`,
      `Started container ${containerOf(workload, pod)}`,
    )
  }
  sim.touchCluster(cluster.name)
}

/** What a node’s kernel tells of a process that was killed on it. */
export const killLine = (seed: number, workload: Workload, pod: Pod): string =>
  `Memory cgroup out of memory: Killed process ${1000 + Math.floor(uniform(seed, podKey(pod)) * 30_000)} (${containerOf(workload, pod)}) of pod ${pod.name}, total-vm:${Math.round(pod.memoryBytes / 1024)}kB`
