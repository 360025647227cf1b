/** What pods of a reached cluster used, by its metrics API where it has one. Source: metrics.k8s.io/v1beta1, PodMetrics. */
import type { UsageReport } from '~/core/contract'
import {
  type ApiObject,
  type Json,
  ofKind,
  type PodObject,
  record,
  records,
  text,
} from '~/core/objects'
import { workloadsOf } from '~/core/placement'
import { parseBytes, parseCpuMilli } from '~/core/units'

/** A sample every five minutes, of one day. */
export const sampleMs = 300_000
const mostSamples = 288

export const podMetricsPath = '/apis/metrics.k8s.io/v1beta1/pods'

interface Samples {
  readonly cpuMilli: number[]
  readonly memoryBytes: number[]
}

const amount = (read: typeof parseBytes, value: unknown): number => {
  const parsed = read(text(value))
  return parsed.ok ? parsed.value : 0
}

/** What all containers of a pod use together. */
function usedBy(metrics: Json): { readonly cpuMilli: number; readonly memoryBytes: number } {
  let cpuMilli = 0
  let memoryBytes = 0
  for (const container of records(metrics['containers'])) {
    const usage = record(container['usage'])
    cpuMilli += amount(parseCpuMilli, usage['cpu'])
    memoryBytes += amount(parseBytes, usage['memory'])
  }
  return { cpuMilli, memoryBytes }
}

const keyOf = (object: Json): string => {
  const { namespace, name } = record(object['metadata'])
  return `${text(namespace)}/${text(name)}`
}

const isMemoryKill = (state: unknown): boolean =>
  record(record(state)['terminated'])['reason'] === 'OOMKilled'

/** Containers of a pod that were ended because they used more memory than they may. */
const memoryKills = (pod: PodObject): number =>
  records(record(pod.status)['containerStatuses']).filter(
    ({ state, lastState }) => isMemoryKill(state) || isMemoryKill(lastState),
  ).length

/** Samples of a day, by workload: of its pods the one that used most. */
export class UsageSamples {
  private readonly byWorkload = new Map<string, Samples>()

  /** Takes what a metrics API lists now, of the pods that are listed. */
  take(metrics: readonly Json[], objects: readonly ApiObject[]): void {
    const ownerOf = workloadsOf(objects)
    const owners = new Map(
      ofKind(objects, 'Pod').map((pod) => [
        `${pod.metadata.namespace ?? ''}/${pod.metadata.name}`,
        ownerOf(pod),
      ]),
    )
    const highest = new Map<string, { cpuMilli: number; memoryBytes: number }>()
    for (const each of metrics) {
      const workload = owners.get(keyOf(each))
      if (workload === undefined) continue
      const used = usedBy(each)
      const before = highest.get(workload) ?? { cpuMilli: 0, memoryBytes: 0 }
      highest.set(workload, {
        cpuMilli: Math.max(before.cpuMilli, used.cpuMilli),
        memoryBytes: Math.max(before.memoryBytes, used.memoryBytes),
      })
    }
    for (const [workload, { cpuMilli, memoryBytes }] of highest) {
      const samples = this.byWorkload.get(workload) ?? { cpuMilli: [], memoryBytes: [] }
      this.byWorkload.set(workload, samples)
      samples.cpuMilli.push(cpuMilli)
      samples.memoryBytes.push(memoryBytes)
      if (samples.cpuMilli.length > mostSamples) samples.cpuMilli.shift()
      if (samples.memoryBytes.length > mostSamples) samples.memoryBytes.shift()
    }
    // What is gone is no longer told of.
    const workloads = new Set(owners.values())
    for (const workload of this.byWorkload.keys())
      if (!workloads.has(workload)) this.byWorkload.delete(workload)
  }

  /** As the contract has it; null before anything was told. How often a limit held CPU back is nobody’s to tell here. */
  report(objects: readonly ApiObject[]): readonly UsageReport[] | null {
    if (this.byWorkload.size === 0) return null
    const ownerOf = workloadsOf(objects)
    const kills = new Map<string, number>()
    for (const pod of ofKind(objects, 'Pod'))
      kills.set(ownerOf(pod), (kills.get(ownerOf(pod)) ?? 0) + memoryKills(pod))
    return [...this.byWorkload].map(([workload, { cpuMilli, memoryBytes }]) => ({
      workload,
      cpuMilli: [...cpuMilli],
      memoryBytes: [...memoryBytes],
      memoryKills: kills.get(workload) ?? 0,
      throttled: 0,
    }))
  }
}
