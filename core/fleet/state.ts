/** The six states, derived from what was observed; never set. */
import { minorsBehind } from '../units'
import { toleratedLosses } from '../sizing'
import type { ClusterView, NodeView, PoolView, SiteView } from './view'

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

export interface Reasoned {
  readonly state: State
  readonly says: string
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
      says: condition
        ? `Ready is ${condition.status}: ${condition.message}`
        : 'It has no Ready condition.',
    }
  }
  const silent = silentSince(cluster, context)
  if (silent !== null) return { state: 'unknown', says: `Not observed since ${silent}.` }
  const pressure = node.conditions.find(
    (other) => other.type.endsWith('Pressure') && other.status === 'True',
  )
  if (pressure) return { state: 'strained', says: `${pressure.type}: ${pressure.message}` }
  const worked =
    context.workedOn.has(`node/${cluster.name}/${node.name}`) ||
    context.workedOn.has(`cluster/${cluster.name}`)
  if (node.cordoned && !worked)
    return { state: 'strained', says: 'Cordoned, and no change is at work on it.' }
  const behind = minorsBehind(cluster.release, node.release)
  if (behind < 0 || behind > permittedSkew(cluster.release)) {
    return {
      state: 'strained',
      says: `Agent ${node.release} is outside the permitted skew of API ${cluster.release}.`,
    }
  }
  if (worked) return { state: 'working', says: 'A running change is at work on it.' }
  return { state: 'well', says: 'Ready, without pressure.' }
}

/** The state of a pool: broken if over half its nodes are. */
export function poolState(pool: PoolView, cluster: ClusterView, context: StateContext): Reasoned {
  const states = pool.nodes.map((node) => nodeState(node, cluster, context).state)
  const broken = states.filter((state) => state === 'broken').length
  if (broken * 2 > states.length)
    return { state: 'broken', says: `${broken} of ${states.length} nodes are broken.` }
  if (states.length > 0 && states.every((state) => state === 'unknown'))
    return { state: 'unknown', says: 'None of its nodes was observed lately.' }
  const unwell = states.filter((state) => state !== 'well' && state !== 'working').length
  if (unwell > 0)
    return { state: 'strained', says: `${unwell} of ${states.length} nodes are not well.` }
  if (states.includes('working'))
    return { state: 'working', says: 'A running change is at work on it.' }
  return {
    state: 'well',
    says: states.length === 0 ? 'It has no nodes now.' : `All ${states.length} nodes are well.`,
  }
}

/** The state of a cluster: broken if its API does not answer or its quorum is lost. */
export function clusterState(cluster: ClusterView, context: StateContext): Reasoned {
  const worked = context.workedOn.has(`cluster/${cluster.name}`)
  if (cluster.resting) return { state: 'resting', says: 'Stopped by a change.' }
  if (!cluster.apiAnswers) {
    return worked
      ? {
          state: 'working',
          says: 'A running change is at work on it; its API does not answer yet.',
        }
      : { state: 'broken', says: `Its API at ${cluster.endpoint} does not answer.` }
  }
  if (cluster.controlPlane.kind === 'own' && !worked) {
    const members = cluster.controlPlane.members.length
    if (members - cluster.membersUp > toleratedLosses(members)) {
      return {
        state: 'broken',
        says: `Quorum is lost: ${cluster.membersUp} of ${members} control-plane members answer.`,
      }
    }
  }
  const silent = silentSince(cluster, context)
  if (silent !== null) return { state: 'unknown', says: `Not observed since ${silent}.` }
  const unwell = cluster.pools.flatMap((pool) => {
    const { state } = poolState(pool, cluster, context)
    return state === 'well' || state === 'working' || state === 'resting' ? [] : [pool.name]
  })
  if (unwell.length > 0) return { state: 'strained', says: `Not well: pool ${unwell.join(', ')}.` }
  if (worked) return { state: 'working', says: 'A running change is at work on it.' }
  return { state: 'well', says: 'Its API answers and every pool is well.' }
}

/** The state of a site: the worst of its clusters, but broken only when all of them are. */
export function siteState(
  site: SiteView,
  clusters: readonly ClusterView[],
  context: StateContext,
): Reasoned {
  const states = clusters
    .filter((cluster) => cluster.site === site.name)
    .map((cluster) => ({ name: cluster.name, ...clusterState(cluster, context) }))
  if (states.length === 0)
    return {
      state: context.workedOn.has(`site/${site.name}`) ? 'working' : 'well',
      says: 'It holds no cluster.',
    }
  if (states.every(({ state }) => state === 'broken'))
    return { state: 'broken', says: 'All of its clusters are broken.' }
  const softened = states.map((entry) =>
    entry.state === 'broken'
      ? { ...entry, state: 'strained' as const, says: `${entry.name} is broken.` }
      : entry,
  )
  const worst = softened.reduce((a, b) =>
    stateOrder.indexOf(b.state) < stateOrder.indexOf(a.state) ? b : a,
  )
  return worst.state === 'well'
    ? { state: 'well', says: 'All of its clusters are well.' }
    : { state: worst.state, says: `${worst.name}: ${worst.says}` }
}
