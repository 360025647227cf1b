/** An autoscaler as the pages of scaling tell it. */
import type { WorkloadFact } from '~/core/fleet'
import { type ApiObject, asText, inVersion, type Json, record, records, text } from '~/core/objects'
import { numberText, parseAmount } from '~/core/units'

export interface Scaler {
  readonly cluster: string
  readonly namespace: string
  readonly name: string
  readonly workload: string
  readonly min: number
  readonly max: number
  /** What it keeps to, in words: of its first metric, and how many more there are. */
  readonly follows: string
  /** What one replica takes of a metric of its pods; 0 where it follows something else. */
  readonly target: number
  readonly replicas: number
}

/** What one replica takes of a metric of its pods; 0 where that is not what it follows. */
function targetOf(metric: Json): number {
  const given = record(record(metric['pods'])['target'])['averageValue']
  const read = parseAmount(asText(given ?? ''))
  return metric['type'] === 'Pods' && read.ok ? read.value : 0
}

/** A metric in words. */
function metricText(metric: Json): string {
  const target = targetOf(metric)
  if (target > 0) {
    const name = text(record(record(metric['pods'])['metric'])['name'])
    return `${name}, ${numberText(target, 3)} a replica`
  }
  const resource = record(metric['resource'])
  const { averageUtilization, averageValue } = record(resource['target'])
  const name = text(resource['name'])
  if (averageUtilization !== undefined)
    return `${name}, ${asText(averageUtilization)} % of what is asked for`
  if (averageValue !== undefined) return `${name}, ${asText(averageValue)} a replica`
  return `a metric of kind ${text(metric['type']) || 'unknown'}`
}

function followsText(metrics: readonly Json[]): string {
  const [first] = metrics
  if (!first) return 'nothing'
  const more = metrics.length - 1
  return `${metricText(first)}${more === 0 ? '' : `, and ${more} more`}`
}

/** An autoscaler out of a cluster’s objects; null for any other object. */
export function scalerOf(
  object: ApiObject,
  cluster: string,
  workloads: readonly WorkloadFact[],
): Scaler | null {
  if (object.kind !== 'HorizontalPodAutoscaler') return null
  const spec = record(inVersion(object, 'autoscaling/v2')['spec'])
  const scales = record(spec['scaleTargetRef'])
  const metrics = records(spec['metrics'])
  const namespace = object.metadata?.namespace ?? 'default'
  const key = `${text(scales['kind']) || 'Deployment'}/${namespace}/${text(scales['name'])}`
  return {
    cluster,
    namespace,
    name: object.metadata?.name ?? '',
    workload: key,
    min: Number(spec['minReplicas'] ?? 1),
    max: Number(spec['maxReplicas'] ?? 1),
    follows: followsText(metrics),
    target: metrics[0] ? targetOf(metrics[0]) : 0,
    replicas: workloads.find((workload) => workload.key === key)?.wanted ?? 0,
  }
}
