/**
 * The scaling behaviour of autoscaling/v2: how fast replicas may follow what metrics ask for. Stabilisation windows take the
 * most (scaling down) or the least (up) that was asked for within them; policies bound the change within a period.
 * Times are in seconds on one clock.
 */

export interface ScalingPolicy {
  readonly type: 'Pods' | 'Percent'
  readonly value: number
  readonly periodSeconds: number
}

export interface ScalingRules {
  readonly stabilizationWindowSeconds: number
  readonly selectPolicy: 'Max' | 'Min' | 'Disabled'
  readonly policies: readonly ScalingPolicy[]
}

export interface ScalingBehaviour {
  readonly up: ScalingRules
  readonly down: ScalingRules
}

/** The API’s defaults: up at once by the larger of all again and four, down after five minutes without bounds. */
export const defaultBehaviour: ScalingBehaviour = {
  up: {
    stabilizationWindowSeconds: 0,
    selectPolicy: 'Max',
    policies: [
      { type: 'Percent', value: 100, periodSeconds: 15 },
      { type: 'Pods', value: 4, periodSeconds: 15 },
    ],
  },
  down: {
    stabilizationWindowSeconds: 300,
    selectPolicy: 'Max',
    policies: [{ type: 'Percent', value: 100, periodSeconds: 15 }],
  },
}

/** What was asked for and what was done, newest last; older than needed may be dropped. */
export interface ScalingHistory {
  readonly wishes: readonly { readonly at: number; readonly replicas: number }[]
  readonly changes: readonly { readonly at: number; readonly by: number }[]
}

export const noHistory: ScalingHistory = { wishes: [], changes: [] }

const changed = (
  history: ScalingHistory,
  now: number,
  periodSeconds: number,
  sign: 1 | -1,
): number =>
  history.changes.reduce(
    (sum, change) =>
      change.at > now - periodSeconds && Math.sign(change.by) === sign
        ? sum + Math.abs(change.by)
        : sum,
    0,
  )

function bound(
  current: number,
  rules: ScalingRules,
  history: ScalingHistory,
  now: number,
  sign: 1 | -1,
): number {
  if (rules.selectPolicy === 'Disabled') return current
  const limits = rules.policies.map((policy) => {
    // What the period began with: the replicas now without what it has changed already.
    const start = current - sign * changed(history, now, policy.periodSeconds, sign)
    if (policy.type === 'Pods') return start + sign * policy.value
    return sign > 0
      ? Math.ceil(start * (1 + policy.value / 100))
      : Math.floor(start * (1 - policy.value / 100))
  })
  if (limits.length === 0) return current
  const pick = (rules.selectPolicy === 'Max') === sign > 0 ? Math.max : Math.min
  return pick(...limits)
}

/** One turn of the loop: where replicas go from `current` when metrics ask for `wished`; with the history to carry on. */
export function behave(
  current: number,
  wished: number,
  bounds: { readonly min: number; readonly max: number },
  behaviour: ScalingBehaviour,
  history: ScalingHistory,
  now: number,
): { readonly replicas: number; readonly history: ScalingHistory } {
  if (current === 0) return { replicas: 0, history }
  const keep = Math.max(
    behaviour.up.stabilizationWindowSeconds,
    behaviour.down.stabilizationWindowSeconds,
  )
  const wishes = [
    ...history.wishes.filter((request) => request.at > now - keep),
    { at: now, replicas: wished },
  ]
  const within = (seconds: number): readonly number[] => [
    wished,
    ...wishes.filter((request) => request.at > now - seconds).map((request) => request.replicas),
  ]
  const lowest = Math.min(...within(behaviour.up.stabilizationWindowSeconds))
  const highest = Math.max(...within(behaviour.down.stabilizationWindowSeconds))
  let replicas = current
  if (replicas < lowest) replicas = lowest
  if (replicas > highest) replicas = highest
  if (replicas > current)
    replicas = Math.max(
      current,
      Math.min(replicas, bounds.max, bound(current, behaviour.up, history, now, 1)),
    )
  else if (replicas < current)
    replicas = Math.min(
      current,
      Math.max(replicas, bounds.min, bound(current, behaviour.down, history, now, -1)),
    )
  replicas = Math.min(Math.max(replicas, bounds.min), bounds.max)
  const periods = Math.max(
    0,
    ...[...behaviour.up.policies, ...behaviour.down.policies].map((policy) => policy.periodSeconds),
  )
  const changes = [
    ...history.changes.filter((change) => change.at > now - periods),
    ...(replicas === current ? [] : [{ at: now, by: replicas - current }]),
  ]
  return { replicas, history: { wishes, changes } }
}
