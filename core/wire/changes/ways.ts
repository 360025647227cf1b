/** What a change of the ways would do: the flows of the last day, the agents’ way to their API and the expectations, walked before and after. */
import { caution, note, type RawFinding, stop } from '../../changes'
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

/** Ways walked in the world as it is and as it would be. */
interface Compared<Way> {
  readonly all: number
  readonly lost: readonly { readonly way: Way; readonly by: string; readonly hop: string }[]
  readonly won: readonly Way[]
}

function compared<Way>(
  ways: readonly Way[],
  queryOf: (way: Way) => WalkQuery,
  then: ReadyWorld,
  now: ReadyWorld,
): Compared<Way> {
  const walked = ways.map((way) => ({
    way,
    before: arrives(then, queryOf(way)),
    after: arrives(now, queryOf(way)),
  }))
  return {
    all: ways.length,
    lost: walked
      .filter(({ before, after }) => before.delivered && !after.delivered)
      .map(({ way, after: { by, hop } }) => ({ way, by, hop })),
    won: walked
      .filter(({ before, after }) => !before.delivered && after.delivered)
      .map(({ way }) => way),
  }
}

/** Nodes that lose the way to their API, or find it again. */
function agentFindings(
  { all, lost, won }: Compared<WalkQuery>,
  cluster: ClusterView,
  field: string,
): readonly RawFinding[] {
  const { name } = cluster
  const rule = `agents.${name}`
  const because = [
    {
      ...said('nodes-walked-their', { waysCount: all }),
      source: name,
      at: cluster.observedAt,
    },
  ]
  const findings: RawFinding[] = []
  const [first] = lost
  if (first)
    findings.push(
      caution(
        rule,
        field,
        said('no-longer-reach', { cutCount: lost.length, name, hop: first.hop, by: first.by }),
        because,
      ),
    )
  if (won.length > 0)
    findings.push(
      note(rule, field, said('reach-api-again', { mendedCount: won.length, name }), because),
    )
  return findings
}

/** So many lost calls are told of one by one. */
const mostToldCalls = 12

/** Calls of the last day that would end, or would get through again. */
function callFindings(
  { all, lost, won }: Compared<Call>,
  name: string,
  field: string,
  now: string,
  agentsAreCut: boolean,
): readonly RawFinding[] {
  const because = [
    {
      ...said('calls-last-day-walked', { callsCount: all }),
      source: `traffic of ${name}`,
      at: now,
    },
  ]
  const findings = lost.slice(0, mostToldCalls).map(({ way, hop, by }) =>
    caution(
      `calls.${name}.${callText(way)}`,
      field,
      said('end-calls-last', {
        callText: callText(way),
        hop,
        by,
        callsADay: callsADay(way.flow, now),
      }),
      because,
    ),
  )
  const rule = `calls.${name}`
  if (won.length > 0)
    return [
      ...findings,
      note(rule, field, said('get-through', { won: won.map(callText) }), because),
    ]
  // Beside nodes that lose their API it would sound as if nothing happened.
  return all > 0 && lost.length === 0 && !agentsAreCut
    ? [note(rule, field, said('no-call-last', { name }), because)]
    : findings
}

/** Walks that were kept as expected and would no longer hold. */
function expectedFindings(
  before: FleetView,
  after: FleetView,
  field: string,
): readonly RawFinding[] {
  const held = new Set(
    expectations(before)
      .filter(({ holds }) => holds)
      .map(({ name }) => name),
  )
  return expectations(after)
    .filter(({ name, holds }) => !holds && held.has(name))
    .map(({ name, wanted, says, hop, by }) =>
      caution(`expected.${name}`, field, said('no-longer-hold', { name, wanted, oneSays: says }), [
        {
          ...said('walk-ends', { hop: hop ?? '', byText: byText(by) }),
          source: 'walked as it would be',
        },
      ]),
    )
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
  if (!now.ok)
    return [
      stop('world.readable', field, said('world.readable', { path: now.path, now: now.says })),
    ]
  if (!then.ok) return []
  const findings = clusters.flatMap((name) => {
    const cluster = clusterOf(before, name)
    if (!cluster) return []
    const agents = compared(agentWays(before, cluster), (query) => query, then.world, now.world)
    const calls = compared(callsOf(before, name), ({ query }) => query, then.world, now.world)
    return [
      ...agentFindings(agents, cluster, field),
      ...callFindings(calls, name, field, before.now, agents.lost.length > 0),
    ]
  })
  return [...findings, ...expectedFindings(before, after, field)]
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
