/**
 * Health keeping: which unready nodes are restarted or replaced now, and when to look again.
 * A node that has been unready for `afterSeconds` is restarted; one that is unready again or still, that long after its
 * restart, is replaced; after that a person is asked. Never more than `mostShare` of a cluster's nodes at once, at least
 * one. Machines that their hall is starting anew, and nodes that a change works on, are left alone. O(nodes).
 */
import {
  clusterOf,
  type ClusterView,
  type FleetView,
  nodesOf,
  type NodeView,
  siteOf,
} from '../fleet'
import { durationText } from '../units'

export interface HealthPolicy {
  readonly enabled: boolean
  readonly afterSeconds: number
  /** Part of 1. */
  readonly mostShare: number
}

export const usualHealth: HealthPolicy = { enabled: true, afterSeconds: 300, mostShare: 0.34 }

/** What health keeping has done to a node before. */
export interface HealthPast {
  readonly cluster: string
  readonly node: string
  readonly kind: 'machine.restart' | 'machine.replace'
  /** ISO times; null while it is under way. */
  readonly startedAt: string
  readonly endedAt: string | null
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
  /** Nodes that restart and replacement did not help. */
  readonly beyond: readonly { readonly cluster: string; readonly node: string }[]
}

const unreadySince = (node: NodeView): string | null => {
  const ready = node.conditions.find((condition) => condition.type === 'Ready')
  return ready === undefined || ready.status === 'True' ? null : ready.since
}

function leftAlone(node: NodeView, cluster: ClusterView, view: FleetView): boolean {
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

export function decideHealth(
  view: FleetView,
  policyOf: (cluster: string) => HealthPolicy,
  past: readonly HealthPast[],
): HealthDecision {
  const now = Date.parse(view.now)
  const acts: HealthAct[] = []
  const beyond: { cluster: string; node: string }[] = []
  let next: number | null = null
  const later = (at: number): void => {
    if (at > now && (next === null || at < next)) next = at
  }
  for (const { name } of view.clusters) {
    const cluster = clusterOf(view, name)
    const policy = policyOf(name)
    // A cluster that does not answer tells nothing about its nodes.
    if (!cluster || !policy.enabled || !cluster.apiAnswers || cluster.resting) continue
    const nodes = nodesOf(cluster)
    let room =
      Math.max(1, Math.floor(nodes.length * policy.mostShare)) -
      past.filter((candidate) => candidate.cluster === name && candidate.endedAt === null).length
    for (const node of nodes) {
      const since = unreadySince(node)
      if (since === null) continue
      const attempts = past.filter(
        (candidate) =>
          candidate.cluster === name &&
          candidate.node === node.name &&
          (candidate.endedAt === null ||
            candidate.endedAt >= since ||
            candidate.startedAt >= since),
      )
      if (attempts.some((candidate) => candidate.endedAt === null)) continue
      const last = attempts[attempts.length - 1]
      const from = Math.max(Date.parse(since), last?.endedAt ? Date.parse(last.endedAt) : 0)
      const due = from + policy.afterSeconds * 1000
      const replaced = attempts.some((candidate) => candidate.kind === 'machine.replace')
      if (replaced) {
        beyond.push({ cluster: name, node: node.name })
        continue
      }
      if (leftAlone(node, cluster, view)) {
        later(now + 60_000)
        continue
      }
      if (due > now) {
        later(due)
        continue
      }
      if (room <= 0) {
        later(now + 60_000)
        continue
      }
      room--
      const unready = `${node.name} has not been ready for ${durationText(Math.round((now - Date.parse(since)) / 1000))}`
      acts.push(
        last
          ? {
              cluster: name,
              node: node.name,
              kind: 'machine.replace',
              reason: `${unready}, and its restart did not help`,
            }
          : { cluster: name, node: node.name, kind: 'machine.restart', reason: unready },
      )
    }
  }
  return { acts, lookAgainAt: next === null ? null : new Date(next).toISOString(), beyond }
}
