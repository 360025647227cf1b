/** Traffic moved between the backends of a route, step by step, with a guard that turns it back: `wire.shift`. */
import { guardedCluster, listing, noCluster } from '../../changes'
import { command } from '../../contract'
import { z } from 'zod'
import {
  caution,
  type ChangeKind,
  longestPath,
  note,
  type RawFinding,
  ref,
  type Step,
  stop,
} from '../../changes'
import { clusterOf, type ClusterView, type FleetView, listedObjects, trafficIn } from '../../fleet'
import { objectOfKind, ofKind, slicesOfService } from '../../objects'
import { askRetry, step } from '../../provisioning/steps'
import { spendUnchanged } from '../../spend'
import { listText, numberText } from '../../units'
import { said } from './says'

export const shiftIntent = z.strictObject({
  cluster: z.string().max(253),
  /** `namespace/name` of an HTTPRoute. */
  route: z.string().max(320),
  rule: z.int().min(0).max(1000).default(0),
  /** Weights of the backends once all is done, by name. */
  weights: z.record(z.string().max(63), z.int().min(0, 'A weight is 0 or more.').max(1_000_000)),
  steps: z.int().min(1).max(20).default(5),
  everySeconds: z.int().min(10).max(86_400).default(60),
  /** Turn back if more than this part of the calls fails over the time of a step; 1 never does. */
  failures: z.number().min(0).max(1).default(0.05),
})
export type ShiftIntent = z.infer<typeof shiftIntent>

interface Backend {
  readonly name: string
  readonly weight: number
}

function backendsOf(intent: ShiftIntent, view: FleetView): readonly Backend[] | null {
  const route = objectOfKind(listedObjects(view, intent.cluster), 'HTTPRoute', intent.route)
  const rule = route?.spec?.rules?.[intent.rule]
  return rule
    ? (rule.backendRefs ?? []).map((backend) => ({
        name: backend.name,
        weight: backend.weight ?? 1,
      }))
    : null
}

const shares = (weights: readonly number[]): readonly number[] => {
  const sum = weights.reduce((total, weight) => total + weight, 0)
  return weights.map((weight) => (sum === 0 ? 0 : weight / sum))
}

/** The weights after each step, in hundredths: evenly from what is to what is to be, and exactly that at the end. */
export function shiftSteps(
  before: readonly Backend[],
  after: Readonly<Record<string, number>>,
  steps: number,
): readonly Readonly<Record<string, number>>[] {
  const from = shares(before.map((backend) => backend.weight))
  const to = shares(before.map((backend) => after[backend.name] ?? 0))
  return Array.from({ length: steps }, (_, i) =>
    i === steps - 1
      ? Object.fromEntries(before.map((backend) => [backend.name, after[backend.name] ?? 0]))
      : Object.fromEntries(
          before.map((backend, at) => [
            backend.name,
            Math.round(
              100 * ((from[at] ?? 0) + (((to[at] ?? 0) - (from[at] ?? 0)) * (i + 1)) / steps),
            ),
          ]),
        ),
  )
}

/** So many times the calls that an endpoint takes now are told of, and so much of its calls failing. */
const crowded = 2
const failing = 0.05

/** What the calls would do to where they go: more for each endpoint than any takes now, or a version that fails already. */
function loadFindings(
  intent: ShiftIntent,
  view: FleetView,
  backends: readonly Backend[],
  rate: number,
): readonly RawFinding[] {
  const [namespace = ''] = intent.route.split('/')
  const readyOf = (backend: Backend): number => readyEndpoints(intent, backend, view)
  const from = shares(backends.map((backend) => backend.weight))
  const to = shares(backends.map((backend) => intent.weights[backend.name] ?? 0))
  const perEndpoint = (part: readonly number[], i: number): number => {
    const backend = backends[i]
    const ready = backend ? readyOf(backend) : 0
    return ready === 0 ? 0 : (rate * (part[i] ?? 0)) / ready
  }
  const busiest = Math.max(0, ...backends.map((_, i) => perEndpoint(from, i)))
  const because = [
    { ...said('calls-second', { rate }), source: `traffic of ${intent.cluster}`, at: view.now },
  ]
  return backends.flatMap((backend, i): readonly RawFinding[] => {
    if ((to[i] ?? 0) <= (from[i] ?? 0)) return []
    const spans = trafficIn(view, intent.cluster)
      .filter((flow) => flow.to === `${namespace}/${backend.name}`)
      .flatMap((flow) => flow.spans.filter((span) => span.until === null))
    const calls = spans.reduce((total, span) => total + span.perSecond, 0)
    const failed = spans.reduce((total, span) => total + span.failing, 0)
    const after = perEndpoint(to, i)
    const field = `weights.${backend.name}`
    const findings: RawFinding[] = []
    if (busiest > 0 && after > crowded * busiest)
      findings.push({
        level: 'caution',
        rule: `backend.crowded.${backend.name}`,
        field,
        ...said('backend-crowded', {
          backend: backend.name,
          ready: readyOf(backend),
          before: busiest,
          after,
        }),
        because,
      })
    if (calls > 0 && failed / calls > failing)
      findings.push({
        level: 'caution',
        rule: `backend.failing.${backend.name}`,
        field,
        ...said('backend-failing', { backend: backend.name, percent: (100 * failed) / calls }),
        because,
      })
    return findings
  })
}

/** Endpoints of a backend that are ready now. */
function readyEndpoints(intent: ShiftIntent, backend: Backend, view: FleetView): number {
  const [namespace = ''] = intent.route.split('/')
  return slicesOfService(listedObjects(view, intent.cluster), `${namespace}/${backend.name}`)
    .flatMap((slice) => slice.endpoints ?? [])
    .filter((endpoint) => endpoint.conditions?.ready !== false).length
}

function unknownRoute(intent: ShiftIntent, cluster: ClusterView, view: FleetView): RawFinding {
  const routes = ofKind(listedObjects(view, cluster.name), 'HTTPRoute').map(
    ({ metadata }) => `${metadata.namespace ?? 'default'}/${metadata.name}`,
  )
  return stop(
    'route.known',
    'route',
    said('route.known.no-route-rule', {
      cluster: cluster.name,
      route: intent.route || '(none chosen)',
      rule: intent.rule,
    }),
    [{ ...said('routes-all', { routes }), source: cluster.name, at: cluster.observedAt }],
  )
}

/** Weights are for backends of the route, and not all nothing. */
function checkWeights(intent: ShiftIntent, backends: readonly Backend[]): readonly RawFinding[] {
  const names = backends.map((backend) => backend.name)
  const unknown = Object.keys(intent.weights).filter((name) => !names.includes(name))
  const sum = names.reduce((total, name) => total + (intent.weights[name] ?? 0), 0)
  const unknownFinding =
    unknown.length > 0
      ? [
          stop(
            'weights.known',
            `weights.${unknown[0] ?? ''}`,
            said('weights.known', { route: intent.route, unknown, backends: names }),
          ),
        ]
      : []
  return sum === 0
    ? [...unknownFinding, stop('weights.sum', 'weights', said('weights.sum'))]
    : unknownFinding
}

/** A backend that is to get calls answers them. */
const checkReady = (
  intent: ShiftIntent,
  backends: readonly Backend[],
  cluster: ClusterView,
  view: FleetView,
): readonly RawFinding[] =>
  backends
    .filter((backend) => (intent.weights[backend.name] ?? 0) > 0)
    .filter((backend) => readyEndpoints(intent, backend, view) === 0)
    .map(({ name }) =>
      stop(
        `backend.ready.${name}`,
        `weights.${name}`,
        said('no-ready-endpoint', { backend: name }),
        [{ ...said('no-endpoint-ready'), source: cluster.name, at: cluster.observedAt }],
      ),
    )

/** The weights are as they were: nothing would move. */
function checkSame(
  intent: ShiftIntent,
  backends: readonly Backend[],
  cluster: ClusterView,
): readonly RawFinding[] {
  const from = shares(backends.map((backend) => backend.weight))
  const to = shares(backends.map((backend) => intent.weights[backend.name] ?? 0))
  const isSame = from.every((share, i) => Math.abs(share - (to[i] ?? 0)) < 1e-9)
  if (!isSame) return []
  return [
    note('weights.same', 'weights', said('weights.same'), [
      {
        ...said('shares', {
          backends: backends.map((backend) => backend.name),
          percent: from.map((share) => 100 * share),
        }),
        source: cluster.name,
        at: cluster.observedAt,
      },
    ]),
  ]
}

/** So many calls must fall into a step for their failures to say something. */
const fewestCalls = 20

function checkGuard(intent: ShiftIntent, rate: number, view: FleetView): readonly RawFinding[] {
  const calls = rate * intent.everySeconds
  if (intent.failures >= 1 || calls >= fewestCalls) return []
  return [
    caution('guard.calls', 'everySeconds', said('guard.calls', { rate: calls }), [
      { ...said('calls-second', { rate }), source: `traffic of ${intent.cluster}`, at: view.now },
    ]),
  ]
}

function check(intent: ShiftIntent, view: FleetView): readonly RawFinding[] {
  const cluster = clusterOf(view, intent.cluster)
  if (!cluster) return [noCluster(intent.cluster, view)]
  const silent = listing(cluster, view)
  if (silent.length > 0) return silent
  const backends = backendsOf(intent, view)
  if (!backends) return [unknownRoute(intent, cluster, view)]
  const wrong = checkWeights(intent, backends)
  if (wrong.length > 0) return wrong
  const [namespace = ''] = intent.route.split('/')
  const services = new Set(backends.map((backend) => `${namespace}/${backend.name}`))
  const rate = trafficIn(view, cluster.name)
    .filter((flow) => services.has(flow.to))
    .flatMap((flow) => flow.spans.filter((span) => span.until === null))
    .reduce((total, span) => total + span.perSecond, 0)
  return [
    ...checkReady(intent, backends, cluster, view),
    ...checkSame(intent, backends, cluster),
    ...loadFindings(intent, view, backends, rate),
    ...checkGuard(intent, rate, view),
  ]
}

export const wireShift: ChangeKind<ShiftIntent> = {
  name: 'wire.shift',
  title: 'Shift traffic between versions',
  intent: shiftIntent,
  needs: (intent) => [
    `cluster:${intent.cluster}`,
    `objects:${intent.cluster}`,
    `walks:cluster/${intent.cluster}`,
  ],
  subjects: (intent) => [ref('httproute', intent.cluster, ...intent.route.split('/'))],
  guardedBy: (intent, view) => guardedCluster(intent.cluster, view),
  label: (intent) =>
    `shift ${intent.route || 'a route'} to ${listText(
      Object.entries(intent.weights).map(([name, weight]) => `${name} ${weight}`),
      3,
    )}`,
  check,
  plan: (intent, view) => {
    const backends = backendsOf(intent, view)
    if (!backends) throw new Error('a plan is made only for a route that is known')
    const [namespace = ''] = intent.route.split('/')
    const all = shiftSteps(backends, intent.weights, intent.steps)
    const set = (weights: Readonly<Record<string, number>>) =>
      command('route.weights', {
        cluster: intent.cluster,
        route: intent.route,
        rule: intent.rule,
        weights,
      })
    const services = backends
      .filter((backend) => (intent.weights[backend.name] ?? 0) > 0)
      .map((backend) => `${namespace}/${backend.name}`)
    let before: Readonly<Record<string, number>> = Object.fromEntries(
      backends.map((backend) => [backend.name, backend.weight]),
    )
    const steps = all.flatMap((weights, i): readonly Step[] => {
      const back = before
      before = weights
      const part = shares(backends.map((backend) => weights[backend.name] ?? 0))
      const text = backends
        .map((backend, at) => `${backend.name} ${numberText(100 * (part[at] ?? 0))} %`)
        .join(', ')
      return [
        step({
          id: `set:${i + 1}`,
          after: i === 0 ? [] : [`watch:${i}`],
          group: 'weights',
          says: text,
          command: set(weights),
          undo: set(back),
          seconds: { likely: 3, worst: 10 },
          retry: askRetry,
        }),
        step({
          id: `watch:${i + 1}`,
          after: [`set:${i + 1}`],
          group: 'guard',
          says:
            intent.failures < 1
              ? `watch for ${intent.everySeconds} s; turn back above ${numberText(100 * intent.failures, 1)} % failures`
              : `wait ${intent.everySeconds} s`,
          command: command('traffic.watch', {
            cluster: intent.cluster,
            services,
            seconds: intent.everySeconds,
            overSeconds: intent.everySeconds,
            failures: intent.failures,
          }),
          turnsBack: true,
          seconds: { likely: intent.everySeconds, worst: intent.everySeconds + 5 },
          retry: { attempts: 1, firstSeconds: 5, mostSeconds: 5 },
        }),
      ]
    })
    return {
      steps,
      creates: [],
      alters: [ref('httproute', intent.cluster, ...intent.route.split('/'))],
      removes: [],
      ...longestPath(steps),
      spend: spendUnchanged(view, intent.cluster),
      reserves: [],
    }
  },
  prove: (intent, view) => {
    const backends = backendsOf(intent, view) ?? []
    const wrong = backends.filter(
      (backend) => backend.weight !== (intent.weights[backend.name] ?? 0),
    )
    return [
      {
        says: 'the route has the weights',
        holds: backends.length > 0 && wrong.length === 0,
        observed: listText(backends.map((backend) => `${backend.name} ${backend.weight}`)),
      },
    ]
  },
}
