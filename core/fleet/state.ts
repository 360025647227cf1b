/** The six states, derived from what was observed; never set. */
import type { Said } from '../contract'
import { minorsBehind } from '../units'
import { localText, restIntervals } from '../scaling'
import { toleratedLosses } from '../sizing'
import type { ClusterView, NodeView, PoolView, SiteView } from './view'
import { said } from './says'

export type State = 'well' | 'working' | 'strained' | 'broken' | 'resting' | 'unknown'

/** Where several apply, the first of these is the state. */
export const stateOrder: readonly State[] = [
  'broken',
  'unknown',
  'strained',
  'working',
  'resting',
  'well',
]

export interface Reasoned extends Said {
  readonly state: State
}

/** What states depend on besides the thing itself. `now` in milliseconds; `workedOn` holds refs that running changes touch. */
export interface StateContext {
  readonly now: number
  readonly workedOn: ReadonlySet<string>
  /** Clusters that were asked and did not tell anything, with the ISO time they last did. */
  readonly unheard: Readonly<Record<string, string>>
}

/** After this long without an observation nothing is known any more. */
const staleSeconds = 300

/** When nothing has been heard of a cluster for too long: since when, else null. */
function silentSince(cluster: ClusterView, context: StateContext): string | null {
  if (cluster.reach && !cluster.reach.heard) return cluster.reach.lastHeardWall ?? ''
  const since = context.unheard[cluster.name]
  return since !== undefined && context.now - Date.parse(since) > staleSeconds * 1000 ? since : null
}

const ready = (node: NodeView) => node.conditions.find((condition) => condition.type === 'Ready')

/** How many minors an agent may be behind its API: 3, or 2 while the API is older than 1.28. */
export const permittedSkew = (apiRelease: string): number =>
  minorsBehind('1.28.0', apiRelease) > 0 ? 2 : 3

/** The state of a node with the fact that decides it. */
export function nodeState(node: NodeView, cluster: ClusterView, context: StateContext): Reasoned {
  const condition = ready(node)
  if (!condition || condition.status !== 'True') {
    return {
      state: 'broken',
      ...(condition
        ? said('node.not-ready', { status: condition.status, message: condition.message })
        : said('node.no-ready-condition')),
    }
  }
  const silent = silentSince(cluster, context)
  if (silent !== null) return { state: 'unknown', ...said('not-observed', { silent }) }
  const pressure = node.conditions.find(
    (otherCondition) =>
      otherCondition.type.endsWith('Pressure') && otherCondition.status === 'True',
  )
  if (pressure)
    return {
      state: 'strained',
      ...said('node.pressure', { type: pressure.type, message: pressure.message }),
    }
  const worked =
    context.workedOn.has(`node/${cluster.name}/${node.name}`) ||
    context.workedOn.has(`cluster/${cluster.name}`)
  if (node.cordoned && !worked) return { state: 'strained', ...said('node.cordoned') }
  const behind = minorsBehind(cluster.release, node.release)
  if (behind < 0 || behind > permittedSkew(cluster.release)) {
    return {
      state: 'strained',
      ...said('node.release-skew', { release: node.release, clusterRelease: cluster.release }),
    }
  }
  if (worked) return { state: 'working', ...said('change-at-work') }
  return { state: 'well', ...said('node.well') }
}

/** The state of a pool: broken if over half its nodes are. */
export function poolState(pool: PoolView, cluster: ClusterView, context: StateContext): Reasoned {
  const states = pool.nodes.map((node) => nodeState(node, cluster, context).state)
  const broken = states.filter((state) => state === 'broken').length
  if (broken * 2 > states.length)
    return { state: 'broken', ...said('pool.nodes-broken', { broken, statesCount: states.length }) }
  if (states.length > 0 && states.every((state) => state === 'unknown'))
    return { state: 'unknown', ...said('pool.not-observed') }
  const unwell = states.filter((state) => state !== 'well' && state !== 'working').length
  if (unwell > 0)
    return {
      state: 'strained',
      ...said('pool.nodes-unwell', { unwell, statesCount: states.length }),
    }
  if (states.includes('working')) return { state: 'working', ...said('change-at-work') }
  return {
    state: 'well',
    ...(states.length === 0
      ? said('pool.empty')
      : said('pool.well', { statesCount: states.length })),
  }
}

/** Conditions of a node that are amiss, in words: one that should hold and does not is told as that. */
export function amissText({ conditions }: Pick<NodeView, 'conditions'>): string {
  const amiss = conditions.flatMap(({ type, status }) => {
    if (type !== 'Ready') return status === 'True' ? [type] : []
    if (status === 'True') return []
    return [status === 'Unknown' ? 'not heard of' : 'not ready']
  })
  return amiss.length === 0 ? 'none amiss' : amiss.join(', ')
}

/** Whether it was a calendar that stopped it, and until when; else a change did. */
function restText({ rest, restingSince }: ClusterView, now: number): Said {
  if (rest === null || restingSince === null) return said('cluster.stopped')
  const since = Date.parse(restingSince)
  const dayMs = 86_400_000
  const interval = restIntervals(rest.zone, rest.windows, {
    from: now - 8 * dayMs,
    to: now + 8 * dayMs,
  }).find(({ from, to }) => from <= now && now < to)
  // Stopped before its calendar would have: by somebody.
  return interval === undefined || since < interval.from
    ? said('cluster.stopped')
    : said('cluster.rests', {
        until: localText(interval.to, rest.zone),
        zone: rest.zone,
      })
}

/** Volumes of which no copy answers, and those that lack one. */
function volumesUnwell({ storage }: ClusterView): {
  readonly lost: readonly string[]
  readonly short: readonly string[]
} {
  const lost: string[] = []
  const short: string[] = []
  for (const { name, copies, replicas } of storage?.volumes ?? []) {
    const whole = replicas.filter((copy) => copy.state === 'whole').length
    if (whole === 0) lost.push(name)
    else if (whole < copies) short.push(name)
  }
  return { lost, short }
}

/** The state of a cluster: broken if its API does not answer or its quorum is lost, strained by pools and volumes that are not well. */
export function clusterState(cluster: ClusterView, context: StateContext): Reasoned {
  const worked = context.workedOn.has(`cluster/${cluster.name}`)
  if (cluster.resting) return { state: 'resting', ...restText(cluster, context.now) }
  if (!cluster.apiAnswers) {
    return worked
      ? {
          state: 'working',
          ...said('cluster.coming-up'),
        }
      : { state: 'broken', ...said('cluster.api-silent', { endpoint: cluster.endpoint }) }
  }
  if (cluster.controlPlane.kind === 'own' && !worked) {
    const members = cluster.controlPlane.members.length
    if (members - cluster.membersUp > toleratedLosses(members)) {
      return {
        state: 'broken',
        ...said('cluster.quorum-lost', { membersUp: cluster.membersUp, members }),
      }
    }
  }
  const silent = silentSince(cluster, context)
  if (silent !== null) return { state: 'unknown', ...said('not-observed', { silent }) }
  const nodes = cluster.pools.flatMap((pool) => pool.nodes)
  const isDown = (node: NodeView): boolean => nodeState(node, cluster, context).state === 'broken'
  if (nodes.length > 0 && nodes.every(isDown))
    return { state: 'broken', ...said('cluster.nodes-down', { nodes: nodes.length }) }
  const unwell = cluster.pools.flatMap((pool) => {
    const { state } = poolState(pool, cluster, context)
    return state === 'well' || state === 'working' || state === 'resting' ? [] : [pool.name]
  })
  const volumes = volumesUnwell(cluster)
  if (volumes.lost.length > 0)
    return { state: 'strained', ...said('cluster.volumes-lost', { volumes: volumes.lost }) }
  if (unwell.length > 0) return { state: 'strained', ...said('cluster.pools-unwell', { unwell }) }
  if (volumes.short.length > 0)
    return { state: 'strained', ...said('cluster.volumes-short', { volumes: volumes.short }) }
  if (worked) return { state: 'working', ...said('change-at-work') }
  return { state: 'well', ...said('cluster.well') }
}

/** The state of a site: the worst of its clusters, but broken only when all of them are. */
export function siteState(
  site: SiteView,
  clusters: readonly ClusterView[],
  context: StateContext,
): Reasoned {
  const own = clusters.filter((cluster) => cluster.site === site.name)
  if (own.length === 0)
    return {
      state: context.workedOn.has(`site/${site.name}`) ? 'working' : 'well',
      ...said('site.empty'),
    }
  return stateOfClusters(own, context)
}

/** The state of clusters that are shown together: the worst of them, but broken only when all are. */
export function stateOfClusters(clusters: readonly ClusterView[], context: StateContext): Reasoned {
  const states = clusters.map((cluster) => ({
    name: cluster.name,
    ...clusterState(cluster, context),
  }))
  if (states.every(({ state }) => state === 'broken'))
    return { state: 'broken', ...said('site.clusters-broken') }
  const softened = states.map((entry) =>
    entry.state === 'broken'
      ? {
          ...entry,
          state: 'strained' as const,
          ...said('site.cluster-broken', { cluster: entry.name }),
        }
      : entry,
  )
  const worst = softened.reduce((a, b) =>
    stateOrder.indexOf(b.state) < stateOrder.indexOf(a.state) ? b : a,
  )
  return worst.state === 'well'
    ? { state: 'well', ...said('site.well') }
    : { state: worst.state, ...said('site.worst', { worst: worst.name, worstSays: worst.says }) }
}
