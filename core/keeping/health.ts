/**
 * Health keeping: which unready nodes are restarted or replaced now, and when to look again.
 * A node that has been unready for `afterSeconds` is restarted; one that is unready again or still, that long after its
 * restart, is replaced; after that a person is asked. A node whose case names a cause that only another machine mends is
 * replaced at once, and one whose cause lies elsewhere is left to its case. Never more than `mostShare` of a cluster's nodes at once, at least
 * one, and never more than `mostReplacedPerDay` machines replaced in a day. Nodes that are silent by one cause, machines
 * that their hall is starting anew, and nodes that a change works on, are left alone; a pool is never emptied, a guarded
 * cluster’s machines are replaced only where its policy says so, and no node is replaced twice in a day. O(nodes).
 */
import type { Said } from '../contract'
import {
  clusterOf,
  type ClusterView,
  type FleetView,
  nodesOf,
  type NodeView,
  siteOf,
} from '../fleet'
import { durationText } from '../units'
import { isReady } from './machines'
import { said } from './says'
import type { SharedCause } from './shared-cause'

export interface HealthPolicy {
  readonly enabled: boolean
  readonly afterSeconds: number
  /** Part of 1. */
  readonly mostShare: number
  /** Machines of the cluster that are replaced within any 24 hours. */
  readonly mostReplacedPerDay: number
  /** Whether machines of the cluster are replaced although it is guarded. */
  readonly replaceGuarded: boolean
}

export const usualHealth: HealthPolicy = {
  enabled: true,
  afterSeconds: 300,
  mostShare: 0.34,
  mostReplacedPerDay: 2,
  replaceGuarded: false,
}

const dayMs = 86_400_000

/** What health keeping has done to a node before. */
export interface HealthPast {
  readonly cluster: string
  readonly node: string
  readonly kind: 'machine.restart' | 'machine.replace'
  /** ISO times; null while it is under way. */
  readonly startedAt: string
  readonly endedAt: string | null
}

/** A node whose open case names its cause. */
export interface DiagnosedNode {
  readonly cluster: string
  readonly node: string
  /** The case by its id, and the cause that explains most, as it is told. */
  readonly case: string
  readonly cause: string
  /** What mends it; null where it lies outside the node. */
  readonly mend: 'machine.restart' | 'machine.replace' | null
}

export interface HealthAct {
  readonly cluster: string
  readonly node: string
  readonly kind: 'machine.restart' | 'machine.replace'
  readonly reason: string
}

export interface HealthDecision {
  readonly acts: readonly HealthAct[]
  /** ISO time at which something will be due, or null. */
  readonly lookAgainAt: string | null
  /** Nodes that somebody has to look at, and why nothing more is done about them. */
  readonly held: readonly HeldNode[]
}

export interface HeldNode extends Said {
  readonly cluster: string
  readonly node: string
}

const unreadySince = (node: NodeView): string | null => {
  const ready = node.conditions.find((condition) => condition.type === 'Ready')
  return ready === undefined || ready.status === 'True' ? null : ready.since
}

/** Whether somebody else has a node in hand. */
export function leftAlone(node: NodeView, cluster: ClusterView, view: FleetView): boolean {
  const site = siteOf(view, cluster.site)
  const machine = site?.machines.find((machine) => machine.name === node.machine)
  const host = site?.hosts.find((host) => host.name === machine?.host)
  // A machine whose host has died, or that is starting, is in its hall’s hands.
  return (
    machine?.power === 'starting' ||
    host?.service === 'dead' ||
    view.workedOn.some(
      (ref) =>
        ref === `cluster/${cluster.name}` ||
        ref === `node/${cluster.name}/${node.name}` ||
        ref === `pool/${cluster.name}/${node.pool}`,
    )
  )
}

/** Why a node whose restart did not help is not given another machine, or null. */
function heldBack(
  node: NodeView,
  cluster: ClusterView,
  policy: HealthPolicy,
  replacedToday: readonly HealthPast[],
): Said | null {
  if (replacedToday.some((candidate) => candidate.node === node.name))
    return said('held.replaced', { node: node.name })
  if (cluster.guarded && !policy.replaceGuarded)
    return said('held.guarded', { node: node.name, cluster: cluster.name })
  const others = nodesOf(cluster).filter(
    (candidate) => candidate.pool === node.pool && candidate !== node,
  )
  if (!others.some(isReady)) return said('held.last', { node: node.name, pool: node.pool })
  if (replacedToday.length >= policy.mostReplacedPerDay)
    return said('held.day', {
      node: node.name,
      count: replacedToday.length,
      cluster: cluster.name,
    })
  return null
}

/** What is known of a cluster when its nodes are gone through. */
interface Ward {
  readonly view: FleetView
  readonly cluster: ClusterView
  readonly policy: HealthPolicy
  readonly past: readonly HealthPast[]
  readonly replacedToday: readonly HealthPast[]
  /** How many more nodes may be worked on, and how many more machines replaced. */
  room: number
  replaceable: number
}

type NodeDecision =
  | { readonly kind: 'act'; readonly act: HealthAct }
  | { readonly kind: 'held'; readonly why: Said; readonly until: number }
  | { readonly kind: 'later'; readonly until: number }
  | { readonly kind: 'nothing' }

/** What is done about one node that is not ready; `diagnosed` is what its case says of it. */
function decideNode(
  node: NodeView,
  since: string,
  ward: Ward,
  diagnosed: DiagnosedNode | undefined,
): NodeDecision {
  const { view, cluster, policy, past, replacedToday } = ward
  const now = Date.parse(view.now)
  const attempts = past.filter(
    (candidate) =>
      candidate.node === node.name &&
      (candidate.endedAt === null || candidate.endedAt >= since || candidate.startedAt >= since),
  )
  if (attempts.some((candidate) => candidate.endedAt === null)) return { kind: 'nothing' }
  const last = attempts[attempts.length - 1]
  const from = Math.max(Date.parse(since), last?.endedAt ? Date.parse(last.endedAt) : 0)
  const due = from + policy.afterSeconds * 1000
  const replacedBefore = replacedToday.some((candidate) => candidate.node === node.name)
  if (leftAlone(node, cluster, view)) return { kind: 'later', until: now + 60_000 }
  if (due > now && !replacedBefore) return { kind: 'later', until: due }
  if (diagnosed?.mend === null)
    return {
      kind: 'held',
      why: said('held.case', { node: node.name, case: diagnosed.case, cause: diagnosed.cause }),
      until: now + 600_000,
    }
  const isReplaced = last !== undefined || diagnosed?.mend === 'machine.replace'
  if (isReplaced || replacedBefore) {
    const why = heldBack(node, cluster, policy, replacedToday)
    if (why) return { kind: 'held', why, until: now + 600_000 }
    if (ward.replaceable <= 0) return { kind: 'later', until: now + 600_000 }
  }
  if (ward.room <= 0) return { kind: 'later', until: now + 60_000 }
  ward.room--
  if (isReplaced) ward.replaceable--
  const unready = `${node.name} has not been ready for ${durationText(Math.round((now - Date.parse(since)) / 1000))}`
  return {
    kind: 'act',
    act: {
      cluster: cluster.name,
      node: node.name,
      kind: isReplaced ? 'machine.replace' : 'machine.restart',
      reason: reasonOf(unready, last !== undefined, diagnosed),
    },
  }
}

function reasonOf(
  unready: string,
  isRestarted: boolean,
  diagnosed: DiagnosedNode | undefined,
): string {
  if (isRestarted) return `${unready}, and its restart did not help`
  return diagnosed ? `${unready}; ${diagnosed.case}: ${diagnosed.cause}` : unready
}

function wardOf(
  view: FleetView,
  cluster: ClusterView,
  policy: HealthPolicy,
  all: readonly HealthPast[],
): Ward {
  const now = Date.parse(view.now)
  const past = all.filter((candidate) => candidate.cluster === cluster.name)
  const replacedToday = past.filter(
    (candidate) =>
      candidate.kind === 'machine.replace' && now - Date.parse(candidate.startedAt) < dayMs,
  )
  const share = Math.max(1, Math.floor(nodesOf(cluster).length * policy.mostShare))
  return {
    view,
    cluster,
    policy,
    past,
    replacedToday,
    room: share - past.filter((candidate) => candidate.endedAt === null).length,
    replaceable: policy.mostReplacedPerDay - replacedToday.length,
  }
}

/** `causes` are what explains several silent nodes at once: nothing is done to those. `diagnosed` are nodes with a case. */
export function decideHealth(
  view: FleetView,
  policyOf: (cluster: string) => HealthPolicy,
  past: readonly HealthPast[],
  causes: readonly Pick<SharedCause, 'nodes'>[] = [],
  diagnosed: readonly DiagnosedNode[] = [],
): HealthDecision {
  const now = Date.parse(view.now)
  const acts: HealthAct[] = []
  const held: HeldNode[] = []
  const explained = new Set(
    causes.flatMap((cause) => cause.nodes.map(({ cluster, node }) => `${cluster}/${node}`)),
  )
  const byNode = new Map(diagnosed.map((entry) => [`${entry.cluster}/${entry.node}`, entry]))
  let next: number | null = null
  const later = (at: number): void => {
    if (at > now && (next === null || at < next)) next = at
  }
  // What was begun is looked after until it has ended, and longer if it ended badly.
  if (past.some((candidate) => candidate.endedAt === null)) later(now + 60_000)
  for (const { name } of view.clusters) {
    const cluster = clusterOf(view, name)
    const policy = policyOf(name)
    // A cluster that does not answer tells nothing about its nodes.
    if (!cluster || !policy.enabled || !cluster.apiAnswers || cluster.resting) continue
    const ward = wardOf(view, cluster, policy, past)
    for (const node of nodesOf(cluster)) {
      const since = unreadySince(node)
      if (since === null) continue
      if (explained.has(`${name}/${node.name}`)) {
        later(now + 60_000)
        continue
      }
      const decision = decideNode(node, since, ward, byNode.get(`${name}/${node.name}`))
      if (decision.kind === 'act') acts.push(decision.act)
      if (decision.kind === 'held') held.push({ cluster: name, node: node.name, ...decision.why })
      if (decision.kind === 'held' || decision.kind === 'later') later(decision.until)
    }
  }
  return { acts, lookAgainAt: next === null ? null : new Date(next).toISOString(), held }
}
