/** What each service is asked and how it answers, out of the calls seen: over time, in sum, and as OpenMetrics text. */
import type { TrafficView } from '../../fleet'
import { callsADay, failuresADay } from './hits'

const dayMs = 86_400_000

export interface ServiceUse {
  readonly service: string
  readonly callers: readonly string[]
  /** A second, now. */
  readonly perSecond: number
  readonly failing: number
  /** Of the last day. */
  readonly calls: number
  readonly failures: number
  /** Milliseconds, weighted by the callers’ rates. */
  readonly medianMs: number
}

export function serviceUse(traffic: readonly TrafficView[], now: string): readonly ServiceUse[] {
  const services = [...new Set(traffic.map((flow) => flow.to))].sort()
  return services.map((service) => {
    const flows = traffic.filter((flow) => flow.to === service)
    const open = flows.map((flow) => ({
      flow,
      span: flow.spans.find((span) => span.until === null),
    }))
    const perSecond = open.reduce((sum, { span }) => sum + (span?.perSecond ?? 0), 0)
    const weighted = open.reduce(
      (sum, { flow, span }) => sum + flow.medianMs * (span?.perSecond ?? 0),
      0,
    )
    const calls = flows.reduce((sum, flow) => sum + callsADay(flow, now), 0)
    const failures = flows.reduce((sum, flow) => sum + failuresADay(flow, now), 0)
    return {
      service,
      callers: flows.map((flow) => flow.from),
      perSecond,
      failing: open.reduce((sum, { span }) => sum + (span?.failing ?? 0), 0),
      calls,
      failures,
      medianMs: perSecond === 0 ? (flows[0]?.medianMs ?? 0) : weighted / perSecond,
    }
  })
}

export interface ServicePoint {
  readonly at: string
  readonly perSecond: number
  /** Part of 1. */
  readonly failed: number
  readonly medianMs: number
}

/** A service over the last day, at as many times; from when it was first seen. */
export function serviceCurve(
  traffic: readonly TrafficView[],
  service: string,
  now: string,
  points: number,
): readonly ServicePoint[] {
  const flows = traffic.filter((flow) => flow.to === service)
  const end = Date.parse(now)
  const first = Math.max(
    end - dayMs,
    Math.min(end, ...flows.flatMap((flow) => flow.spans.map((span) => Date.parse(span.from)))),
  )
  return Array.from({ length: points }, (_, i) => {
    const at = points === 1 ? end : first + ((end - first) * i) / (points - 1)
    const open = flows.flatMap((flow) =>
      flow.spans
        .filter(
          (span) =>
            Date.parse(span.from) <= at && (span.until === null || at < Date.parse(span.until)),
        )
        .map((span) => ({ span, ms: flow.medianMs })),
    )
    const perSecond = open.reduce((sum, { span }) => sum + span.perSecond, 0)
    return {
      at: new Date(at).toISOString(),
      perSecond,
      failed:
        perSecond === 0 ? 0 : open.reduce((sum, { span }) => sum + span.failing, 0) / perSecond,
      medianMs:
        perSecond === 0
          ? 0
          : open.reduce((sum, { span, ms }) => sum + ms * span.perSecond, 0) / perSecond,
    }
  })
}

const label = (text: string): string =>
  text.replaceAll('\\', '\\\\').replaceAll('"', '\\"').replaceAll('\n', '\\n')

/** Counters of the last day in the OpenMetrics text format, version 1.0.0. */
export function openMetrics(cluster: string, traffic: readonly TrafficView[], now: string): string {
  const lines: string[] = [
    '# TYPE requests counter',
    '# HELP requests Calls that a service was asked, by caller.',
  ]
  const each = traffic.map((flow) => ({
    flow,
    calls: callsADay(flow, now),
    failures: failuresADay(flow, now),
  }))
  const labels = (flow: TrafficView): string =>
    `cluster="${label(cluster)}",caller="${label(flow.from)}",service="${label(flow.to)}",port="${flow.port}"`
  for (const { flow, calls } of each)
    lines.push(`requests_total{${labels(flow)}} ${Math.round(calls)}`)
  lines.push(
    '# TYPE failures counter',
    '# HELP failures Calls that were not answered, or answered with an error.',
  )
  for (const { flow, failures } of each)
    lines.push(`failures_total{${labels(flow)}} ${Math.round(failures)}`)
  lines.push(
    '# TYPE answer_seconds gauge',
    '# UNIT answer_seconds seconds',
    '# HELP answer_seconds Half of the answers are faster.',
  )
  for (const { flow } of each) lines.push(`answer_seconds{${labels(flow)}} ${flow.medianMs / 1000}`)
  lines.push('# EOF')
  return `${lines.join('\n')}\n`
}
