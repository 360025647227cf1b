/** What becomes of a flow of requests: shares of each backend as expected, and as a seeded draw of single requests would have it. */
import { seeded } from '../units'
import { mayCall, type CallerWorld } from './callers'
import { type ReadyRoute, routeRequest, type RouteRequest } from './http-route'

export interface FlowQuery {
  readonly caller: { readonly namespace: string; readonly serviceAccount: string }
  /** Requests a second. */
  readonly perSecond: number
  readonly request: RouteRequest
  /** Seconds over which single requests are drawn. */
  readonly seconds: number
  readonly seed: number
}

export interface FlowShare {
  readonly backend: string
  readonly allowed: boolean
  readonly by: readonly string[] | 'open' | 'closed'
  /** Requests a second. */
  readonly expected: number
  readonly sampled: number
}

export interface FlowResult {
  readonly route: string | null
  readonly rule: number | null
  readonly shares: readonly FlowShare[]
  readonly refusedPerSecond: number
}

/** At most so many single requests are drawn. */
const mostDrawn = 1_000_000

/** Where a flow goes: by the route that takes it, then by who may call each backend. The same seed gives the same draw. */
export function flowOf(
  routes: readonly ReadyRoute[],
  callers: CallerWorld,
  { caller, perSecond, request, seconds, seed }: FlowQuery,
): FlowResult {
  const routedTo = routeRequest(routes, request)
  if (!routedTo) return { route: null, rule: null, shares: [], refusedPerSecond: perSecond }
  const [namespace = ''] = routedTo.route.split('/')
  const count = Math.min(mostDrawn, Math.round(perSecond * seconds))
  const drawn = routedTo.backends.map(() => 0)
  const draw = seeded(seed)
  for (let i = 0; i < count; i++) {
    let left = draw()
    const at = routedTo.backends.findIndex((backend) => (left -= backend.share) < 0)
    const chosen = at >= 0 ? at : routedTo.backends.findLastIndex((backend) => backend.share > 0)
    if (chosen >= 0) drawn[chosen] = (drawn[chosen] ?? 0) + 1
  }
  const shares = routedTo.backends.map((backend, i): FlowShare => {
    const verdict = mayCall(callers, caller, { namespace, name: backend.name }, request)
    return {
      backend: backend.name,
      allowed: verdict.allowed,
      by: verdict.by,
      expected: perSecond * backend.share,
      sampled: count === 0 ? 0 : (perSecond * (drawn[i] ?? 0)) / count,
    }
  })
  return {
    route: routedTo.route,
    rule: routedTo.rule,
    shares,
    refusedPerSecond: shares.reduce((sum, share) => sum + (share.allowed ? 0 : share.expected), 0),
  }
}
