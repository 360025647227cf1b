/** What a change of the ways would do: the flows of the last day, the agents’ way to their API and the expectations, walked before and after. */
import { caution, type RawFinding, stop } from '../../changes'
import {
  clusterOf,
  type ClusterView,
  type FleetView,
  nodesOf,
  type TrafficView,
  listedObjects,
  trafficIn,
} from '../../fleet'
import {
  type Decider,
  expectations,
  readyWorldOf,
  type ReadyWorld,
  walk,
  type WalkFrom,
  type WalkQuery,
  type WalkTo,
} from '..'
import { callsADay } from './hits'
import { podsOfWorkload } from '../../objects'
import { said } from './says'

export const byText = (by: Decider): string => (typeof by === 'string' ? by : by.join(', '))

export interface Call {
  readonly cluster: string
  readonly flow: TrafficView
  readonly query: WalkQuery
}

/** The calls of a cluster as walks: from the first running pod of the caller, to the service or address. */
export function callsOf(view: FleetView, cluster: string): readonly Call[] {
  return trafficIn(view, cluster).flatMap((flow): readonly Call[] => {
    const from = callerOf(view, cluster, flow.from)
    const to: WalkTo = flow.to.includes('/') ? { service: flow.to, cluster } : { address: flow.to }
    return from ? [{ cluster, flow, query: { from, to, port: flow.port, protocol: 'TCP' } }] : []
  })
}

function callerOf(view: FleetView, cluster: string, from: string): WalkFrom | null {
  if (!from.includes('/')) return { address: from }
  const pod = podsOfWorkload(listedObjects(view, cluster), from).find(
    (pod) => pod.status?.phase === 'Running',
  )
  return pod
    ? { pod: `${pod.metadata.namespace ?? 'default'}/${pod.metadata.name}`, cluster }
    : null
}

export const callText = ({ flow }: Pick<Call, 'flow'>): string =>
  `${flow.from} to ${flow.to}:${flow.port}`

/** Whether a walk arrives, and where and by whom it ends if not. */
export function arrives(
  world: ReadyWorld,
  query: WalkQuery,
): { readonly delivered: boolean; readonly by: string; readonly hop: string } {
  const walkRead = walk(world, query)
  const last = walkRead.ok ? walkRead.walk.hops.at(-1) : undefined
  return {
    delivered: walkRead.ok && walkRead.walk.delivered,
    by: last ? byText(last.by) : '',
    hop: last?.hop ?? '',
  }
}

/** Agents of managed clusters, as walks to their API. */
export function agentWays(view: FleetView, cluster: ClusterView): readonly WalkQuery[] {
  const peer =
    cluster.controlPlane.kind === 'managed'
      ? view.peers?.find((peer) => peer.name === `${cluster.name}-api`)
      : undefined
  return peer
    ? nodesOf(cluster).map((node) => ({
        from: { node: node.name, cluster: cluster.name },
        to: { address: peer.address },
        port: peer.ports[0] ?? 443,
        protocol: 'TCP' as const,
      }))
    : []
}

/**
 * Findings about what changes for whom. `clusters` are those whose calls are walked; `field` is the field of the intent
 * that the change is about.
 */
export function wayFindings(
  before: FleetView,
  after: FleetView,
  clusters: readonly string[],
  field: string,
): readonly RawFinding[] {
  const [then, now] = [readyWorldOf(before), readyWorldOf(after)]
  if (!then.ok || !now.ok)
    return now.ok
      ? []
      : [stop('world.readable', field, said('world.readable', { path: now.path, now: now.says }))]
  const findings: RawFinding[] = []
  for (const name of clusters) {
    const cluster = clusterOf(before, name)
    if (!cluster) continue
    const ways = agentWays(before, cluster).map((query) => ({
      query,
      was: arrives(then.world, query),
      is: arrives(now.world, query),
    }))
    const cut = ways.filter(({ was, is }) => was.delivered && !is.delivered)
    const mended = ways.filter(({ was, is }) => !was.delivered && is.delivered)
    const because = [
      {
        ...said('nodes-walked-their', { waysCount: ways.length }),
        source: name,
        at: cluster.observedAt,
      },
    ]
    if (cut.length > 0)
      findings.push(
        caution(
          `agents.${name}`,
          field,
          said('no-longer-reach', {
            cutCount: cut.length,
            name,
            hop: cut[0]?.is.hop ?? '',
            by: cut[0]?.is.by ?? '',
          }),
          because,
        ),
      )
    if (mended.length > 0)
      findings.push({
        level: 'note',
        rule: `agents.${name}`,
        field,
        ...said('reach-api-again', { mendedCount: mended.length, name }),
        because,
      })
    const calls = callsOf(before, name).map((call) => ({
      call,
      was: arrives(then.world, call.query),
      is: arrives(now.world, call.query),
    }))
    const lost = calls.filter(({ was, is }) => was.delivered && !is.delivered)
    const won = calls.filter(({ was, is }) => !was.delivered && is.delivered)
    const seen = [
      {
        ...said('calls-last-day-walked', { callsCount: calls.length }),
        source: `traffic of ${name}`,
        at: before.now,
      },
    ]
    for (const { call, is } of lost.slice(0, 12))
      findings.push(
        caution(
          `calls.${name}.${callText(call)}`,
          field,
          said('end-calls-last', {
            callText: callText(call),
            hop: is.hop,
            by: is.by,
            callsADay: callsADay(call.flow, before.now),
          }),
          seen,
        ),
      )
    if (won.length > 0)
      findings.push({
        level: 'note',
        rule: `calls.${name}`,
        field,
        ...said('get-through', { won: won.map(({ call }) => callText(call)) }),
        because: seen,
      })
    // Beside nodes that lose their API it would sound as if nothing happened.
    if (calls.length > 0 && lost.length === 0 && won.length === 0 && cut.length === 0)
      findings.push({
        level: 'note',
        rule: `calls.${name}`,
        field,
        ...said('no-call-last', { name }),
        because: seen,
      })
  }
  const was = new Map(expectations(before).map((expectation) => [expectation.name, expectation]))
  for (const expectation of expectations(after)) {
    if (expectation.holds || was.get(expectation.name)?.holds !== true) continue
    findings.push(
      caution(
        `expected.${expectation.name}`,
        field,
        said('no-longer-hold', {
          name: expectation.name,
          wanted: expectation.wanted,
          oneSays: expectation.says,
        }),
        [
          {
            ...said('walk-ends', { hop: expectation.hop ?? '', byText: byText(expectation.by) }),
            source: 'walked as it would be',
          },
        ],
      ),
    )
  }
  return findings
}

export const withSite = (
  view: FleetView,
  name: string,
  change: Partial<FleetView['sites'][number]>,
): FleetView => ({
  ...view,
  sites: view.sites.map((site) => (site.name === name ? { ...site, ...change } : site)),
})
export const withCluster = (
  view: FleetView,
  name: string,
  change: Partial<ClusterView>,
): FleetView => ({
  ...view,
  clusters: view.clusters.map((cluster) =>
    cluster.name === name ? { ...cluster, ...change } : cluster,
  ),
})
