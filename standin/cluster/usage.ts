/** What pods really use: a wave over the day below or above what they ask for, the same whenever it is looked at. */
import { asText } from '../../core/objects'
import type { UsageReport } from '../../core/contract'
import { parseCpuMilli } from '../../core/units'
import { uniform } from '../engine/random'
import type { Sim } from '../engine/sim'
import type { Cluster, Workload } from '../world'
import { answering } from './api'
import { loadAt } from './autoscale'
import { currentTemplate, list, podsOf, record as fields } from './manifests'

const stepMs = 300_000
const samples = 288

/** The CPU limit of a pod (thousandths of a core): the sum over its containers; without one it may use what is there. */
function cpuLimit(workload: Workload): number {
  const limits = list(fields(currentTemplate(workload)['spec'])['containers']).map((container) =>
    parseCpuMilli(asText(fields(fields(fields(container)['resources'])['limits'])['cpu'] ?? '')),
  )
  return limits.length > 0 && limits.every((limit) => limit.ok)
    ? limits.reduce((sum, limit) => sum + (limit.ok ? limit.value : 0), 0)
    : Infinity
}

function usageOf(sim: Sim, cluster: Cluster, workload: Workload, ranFrom: number): UsageReport {
  const { seed } = sim.world
  const key = `${cluster.name}/${workload.namespace}/${workload.name}`
  const level = 0.2 + 0.6 * uniform(seed, `${key}/cpu`)
  const held = 0.3 + 0.55 * uniform(seed, `${key}/memory`)
  const points = cluster.load?.[`${workload.namespace}/${workload.name}`]
  const last = Math.floor(sim.now / stepMs)
  const limit = cpuLimit(workload)
  let heldBack = 0
  const cpu: number[] = []
  const memory: number[] = []
  for (let i = Math.max(last - samples + 1, Math.ceil(ranFrom / stepMs)); i <= last; i++) {
    const at = i * stepMs
    // Work is done by day; what follows a load follows that.
    const wave = points
      ? loadAt(points, at) / Math.max(1, workload.replicas) / 200
      : 0.75 + 0.25 * Math.sin(((at % 86_400_000) / 86_400_000) * 2 * Math.PI - Math.PI / 2)
    const jitter = 0.9 + 0.2 * uniform(seed, `${key}/${i}`)
    const wanted = workload.cpuMilli * level * wave * jitter
    if (wanted > limit) heldBack++
    cpu.push(Math.round(Math.min(wanted, limit)))
    memory.push(Math.round(workload.memoryBytes * held * (0.95 + 0.05 * wave)))
  }
  return {
    workload: `${workload.kind}/${workload.namespace}/${workload.name}`,
    cpuMilli: cpu,
    memoryBytes: memory,
    memoryKills: held > 0.82 && cpu.length === samples ? 2 : 0,
    throttled: cpu.length === 0 ? 0 : heldBack / cpu.length,
  }
}

/** When a workload first ran, or null: what never ran used nothing. */
function ranFromOf(cluster: Cluster, workload: Workload): number | null {
  if (workload.ranFrom !== undefined) return workload.ranFrom
  const started = podsOf(cluster, workload).flatMap(({ startedAt }) => startedAt ?? [])
  return started.length === 0 ? null : Math.min(...started)
}

/** Use of every workload that has ever run; null if the cluster does not answer. */
export function usage(sim: Sim, name: string): readonly UsageReport[] | null {
  const cluster = answering(sim, name)
  if ('class' in cluster) return null
  return cluster.workloads.flatMap((workload) => {
    const ranFrom = podsOf(cluster, workload).length > 0 ? ranFromOf(cluster, workload) : null
    return ranFrom === null ? [] : [usageOf(sim, cluster, workload, ranFrom)]
  })
}
