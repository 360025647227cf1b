/** What rules have decided, and what a rule would have met, over the calls of the last day. */
import { parseAddress } from '../../addresses'
import type { FirewallRuleView, SiteView, TrafficSpan, TrafficView } from '../../fleet'
import { type BadText, FirstMatch, readFirewallRule } from '..'

const dayMs = 86_400_000

/** Calls of a span within the last day before `now` (ISO). */
export function callsIn(span: TrafficSpan, now: string): number {
  const end = Date.parse(now)
  return (
    (span.perSecond *
      Math.max(
        0,
        Math.min(end, Date.parse(span.until ?? now)) - Math.max(Date.parse(span.from), end - dayMs),
      )) /
    1000
  )
}

/** Calls of a flow within the last day before `now` (ISO). */
export const callsADay = (flow: TrafficView, now: string): number =>
  flow.spans.reduce((sum, span) => sum + callsIn(span, now), 0)

/** The same of those that failed. */
export const failuresADay = (flow: TrafficView, now: string): number =>
  flow.spans.reduce((sum, span) => sum + callsIn({ ...span, perSecond: span.failing }, now), 0)

/** Calls of the last day that met each rule or translation of a site, by its name. */
export function ruleHits(
  site: SiteView,
  traffic: readonly TrafficView[],
  now: string,
): ReadonlyMap<string, number> {
  const hits = new Map<string, number>()
  for (const flow of traffic) {
    for (const span of flow.spans) {
      const calls = callsIn(span, now)
      for (const met of span.met) {
        if (!met.startsWith(`${site.name}/`)) continue
        const name = met.slice(site.name.length + 1)
        hits.set(name, (hits.get(name) ?? 0) + calls)
      }
    }
  }
  return hits
}

export interface Met {
  readonly from: string
  readonly to: string
  readonly port: number
  readonly calls: number
}

/** The calls of the last day that a rule is for, whatever decided them then. Calls inside a site never meet its firewall. */
export function wouldMeet(
  rule: FirewallRuleView,
  traffic: readonly TrafficView[],
  now: string,
): readonly Met[] {
  const bad: BadText[] = []
  const match = new FirstMatch([
    readFirewallRule(
      {
        ...rule,
        from: rule.from ? [...rule.from] : undefined,
        to: rule.to ? [...rule.to] : undefined,
        ports: rule.ports ? [...rule.ports] : undefined,
        members: rule.members ? [...rule.members] : undefined,
      },
      0,
      'rule',
      bad,
    ),
  ])
  if (bad.length > 0) return []
  const hits: Met[] = []
  for (const flow of traffic) {
    let calls = 0
    for (const span of flow.spans) {
      let header: {
        readonly source: string
        readonly destination: string
        readonly port: number
      } | null
      if (rule.direction === 'out') header = span.leaving
      else if (flow.from.includes('/')) header = null
      else header = { source: flow.from, destination: flow.to, port: flow.port }
      const [source, destination] = [
        parseAddress(header?.source ?? ''),
        parseAddress(header?.destination ?? ''),
      ]
      if (
        header &&
        source.ok &&
        destination.ok &&
        match.find(source.value, destination.value, 'TCP', header.port, [source.value])
      )
        calls += callsIn(span, now)
    }
    if (calls > 0) hits.push({ from: flow.from, to: flow.to, port: flow.port, calls })
  }
  return hits.sort((a, b) => b.calls - a.calls)
}
