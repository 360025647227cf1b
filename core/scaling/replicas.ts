/**
 * How many replicas metrics ask for. Source: the HorizontalPodAutoscaler of autoscaling/v2, without its behaviour and history:
 * ceil(current × value ÷ target) for each metric, no change within a tenth of the target, the largest wins, then the bounds.
 */
import { countText } from '../units'
import { exactly, isWithinTenth, timesOverUp } from './decimal'

export interface Metric {
  readonly name: string
  readonly value: number
  readonly target: number
}

export interface ReplicasWanted {
  readonly desired: number
  readonly because: string
}

/** What one metric asks for, before bounds. */
export function replicasFor(current: number, value: number, target: number): number {
  const [now, aim] = [exactly(value), exactly(target)]
  return isWithinTenth(now, aim) ? current : Number(timesOverUp(exactly(current), now, aim))
}

/** The same for a load that all replicas share: its average is never rounded on the way. Load in thousandths. */
export function replicasForLoad(current: number, load: number, target: number): number {
  const total = exactly(Math.round(load * 1000) / 1000)
  const meant = { over: exactly(target).over * BigInt(current), under: exactly(target).under }
  return isWithinTenth(total, meant)
    ? current
    : Number(timesOverUp({ over: 1n, under: 1n }, total, exactly(target)))
}

/** Replicas wanted now. `current` 0 stays 0: a workload scaled to none is switched off. Targets are above 0, values from 0. */
export function replicasWanted(given: {
  readonly current: number
  readonly min: number
  readonly max: number
  readonly metrics: readonly Metric[]
}): ReplicasWanted {
  const { current, min, max, metrics } = given
  if (current === 0)
    return { desired: 0, because: 'It is scaled to 0, which switches autoscaling off.' }
  let leading: { readonly metric: Metric; readonly desired: number } | null = null
  for (const metric of metrics) {
    const desired = replicasFor(current, metric.value, metric.target)
    if (!leading || desired > leading.desired) leading = { metric, desired }
  }
  if (!leading)
    return { desired: Math.min(Math.max(current, min), max), because: 'There is no metric.' }
  const { metric, desired } = leading
  const words = `${metric.name} is ${metric.value} against a target of ${metric.target}`
  const request = isWithinTenth(exactly(metric.value), exactly(metric.target))
    ? `${words}, within a tenth: ${countText(current, 'replica')} ${current === 1 ? 'stays' : 'stay'}`
    : `${words}: ${current} × ${metric.value} ÷ ${metric.target} rounds up to ${desired}`
  if (desired < min) return { desired: min, because: `${request}; at least ${min} are kept.` }
  if (desired > max) return { desired: max, because: `${request}; at leading ${max} are allowed.` }
  return { desired, because: `${request}.` }
}
