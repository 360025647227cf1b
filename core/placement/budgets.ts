/**
 * Disruption budgets: how many pods each lets go at this moment. Expected are the owners’ replicas where the owner is known,
 * else the pods matched; healthy are the Ready ones. Source: policy/v1, and its rounding: both percentages up.
 */
import type { Said } from '../contract'
import { said } from './says'
import { type BudgetObject, controllerOf, selectorTest } from '../objects'
import { type Pod, type World } from './world'

export interface Budget {
  /** `namespace/name` */
  readonly key: string
  readonly object: BudgetObject
  readonly expected: number
  /** Pods that must stay healthy. */
  readonly desired: number
  readonly covers: (pod: Pod) => boolean
  /** Healthy pods now: it changes as pods go and come. */
  healthy: number
}

export const isReady = (pod: Pod): boolean =>
  (pod.object.status?.conditions ?? []).some(
    (condition) => condition.type === 'Ready' && condition.status === 'True',
  )

const isHealthy = (pod: Pod): boolean => isReady(pod) && !pod.isLeaving && !pod.isFinished

/** A number or a percentage of `of`, rounded up; null where it is neither. */
export function partOf(
  given: number | string | null | undefined,
  of: number,
  round: (value: number) => number = Math.ceil,
): number | null {
  if (given === null || given === undefined) return null
  if (typeof given === 'number') return given
  const percent = /^(\d{1,9})%$/.exec(given)
  // Whole numbers, so that 100 % of 3 is 3.
  if (percent) return round((Number(percent[1]) * of) / 100)
  return /^\d{1,9}$/.test(given) ? Number(given) : null
}

/** Replicas that the pods’ owners ask for; pods whose owner is not known count themselves. */
function expectedOf(pods: readonly Pod[], owners: World['owners']): number {
  const seen = new Set<string>()
  let sum = 0
  for (const pod of pods) {
    const controller = controllerOf(pod.object)
    let key = controller ? `${controller.kind}/${pod.shape.namespace}/${controller.name}` : null
    let owner = key === null ? undefined : owners.get(key)
    const above = owner?.above ?? null
    const higher = above === null ? undefined : owners.get(above)
    if (higher) {
      owner = higher
      key = above
    }
    if (!owner || key === null) sum++
    else if (!seen.has(key)) {
      seen.add(key)
      sum += owner.replicas
    }
  }
  return sum
}

/** The budgets of a world. `pods` are those that count: all but finished ones. */
export function budgetsOf(world: World): readonly Budget[] {
  return world.budgets.map((object): Budget => {
    const namespace = object.metadata.namespace || 'default'
    const test = selectorTest(object.spec?.selector)
    const covers = (pod: Pod): boolean =>
      pod.shape.namespace === namespace && test(pod.shape.labels)
    const covered = world.pods.filter((pod) => !pod.isFinished && covers(pod))
    const expected = expectedOf(covered, world.owners)
    const { minAvailable, maxUnavailable } = object.spec ?? {}
    const least = partOf(minAvailable, expected)
    const part = partOf(maxUnavailable, expected)
    // Without either the API lets none go beyond what is healthy: nothing is asked for.
    const desired = least ?? (part === null ? 0 : Math.max(0, expected - part))
    return {
      key: `${namespace}/${object.metadata.name}`,
      object,
      expected,
      desired,
      covers,
      healthy: covered.filter(isHealthy).length,
    }
  })
}

export const allowedBy = (budget: Budget): number => Math.max(0, budget.healthy - budget.desired)

const phaseOf = (pod: Pod): string =>
  pod.object.status?.phase ?? (pod.object.spec?.nodeName ? 'Running' : 'Pending')

/** Why budgets do not let a pod go now, or null. Pending, finished and leaving pods need none. */
export function budgetRefusal(pod: Pod, budgets: readonly Budget[]): Said | null {
  if (pod.isFinished || pod.isLeaving || phaseOf(pod) === 'Pending') return null
  const binding = budgets.filter((budget) => budget.covers(pod))
  if (binding.length > 1)
    return said('budget.several', { budgets: binding.map((budget) => budget.key) })
  const [budget] = binding
  if (!budget) return null
  const { desired, healthy, expected } = budget
  if (!isReady(pod)) {
    if (budget.object.spec?.unhealthyPodEvictionPolicy === 'AlwaysAllow') return null
    if (budget.healthy >= budget.desired) return null
    return said('budget.not-ready', { budget: budget.key, desired, healthy })
  }
  if (allowedBy(budget) > 0) return null
  if (budget.desired >= budget.expected)
    return said('budget.never', { budget: budget.key, desired, expected })
  return said('budget.exhausted', { budget: budget.key, desired, healthy, expected })
}
