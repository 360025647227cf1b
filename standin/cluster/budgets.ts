/** Disruption budgets as a cluster keeps them: how many pods each lets go now, and which pods it holds. Source: policy/v1. */
import { labelsOf, selects } from '../traffic/policies'
import type { Cluster, Manifest, Pod } from '../world'
import { workloadOf } from './fits'
import { hasReplicas, isReadyPod, record as fields, text } from './manifests'

export interface Budget {
  readonly name: string
  /** Pods that there should be. */
  readonly expected: number
  readonly healthy: number
  /** Pods that must stay healthy. */
  readonly desired: number
  /** How many may go now. */
  readonly allowed: number
}

/** A number of pods or a share of them, rounded up. */
const part = (given: unknown, of: number): number =>
  typeof given === 'number' ? given : Math.ceil((parseInt(text(given), 10) * of) / 100) || 0

/** What the controllers of pods want to keep; a pod of its own, or of a daemon, counts itself. */
function expectedOf(cluster: Cluster, pods: readonly Pod[]): number {
  const owners = pods.map((pod) => workloadOf(cluster, pod))
  const kept = new Set(owners.filter((owner) => owner !== undefined && hasReplicas(owner.kind)))
  return (
    owners.filter((owner) => !kept.has(owner)).length +
    [...kept].reduce((sum, owner) => sum + (owner?.replicas ?? 0), 0)
  )
}

const covers = (cluster: Cluster, object: Manifest, pod: Pod): boolean =>
  pod.namespace === object.metadata.namespace &&
  pod.phase !== 'Succeeded' &&
  selects(fields(fields(object['spec'])['selector']), labelsOf(cluster, pod))

/** How a budget stands. O(pods). */
export function budgetNow(cluster: Cluster, object: Manifest): Budget {
  const { minAvailable, maxUnavailable } = fields(object['spec'])
  const pods = cluster.running.filter((pod) => covers(cluster, object, pod))
  const isCount = maxUnavailable === undefined && typeof minAvailable === 'number'
  const expected = isCount ? pods.length : expectedOf(cluster, pods)
  const least = maxUnavailable === undefined ? (minAvailable ?? 0) : undefined
  const desired =
    least === undefined
      ? Math.max(0, expected - part(maxUnavailable, expected))
      : part(least, expected)
  const healthy = pods.filter(isReadyPod).length
  const allowed = Math.max(0, healthy - desired)
  return { name: object.metadata.name, expected, healthy, desired, allowed }
}

/** The budget that does not let a pod go now; undefined where it may go. */
export function budgetAgainst(cluster: Cluster, pod: Pod): Budget | undefined {
  if (pod.phase !== 'Running') return undefined
  for (const object of cluster.objects ?? []) {
    if (object.kind !== 'PodDisruptionBudget' || !covers(cluster, object, pod)) continue
    const budget = budgetNow(cluster, object)
    if (budget.allowed > 0) continue
    const isAlways = fields(object['spec'])['unhealthyPodEvictionPolicy'] === 'AlwaysAllow'
    if (!isReadyPod(pod) && (isAlways || budget.healthy >= budget.desired)) continue
    return budget
  }
  return undefined
}
