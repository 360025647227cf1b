/**
 * Traffic: who calls whom, at which rate, and how it fares. Rates are steady, so nothing is counted by event: each flow
 * keeps the spans in which it fared alike, and is looked at anew when something about its cluster or site has changed.
 */
import type { TrafficReport } from '../../core/contract'
import { isoTime } from '../../core/units'
import { uniform } from '../engine/random'
import type { Sim } from '../engine/sim'
import { isReadyPod, list, record as fields, text } from '../cluster/manifests'
import { workloadOf } from '../cluster/fits'
import type { Cluster, Flow, Manifest, Pod, Span } from '../world'
import { peersOf } from './holders'
import { type Fare, send } from './path'
import { type Sender } from './packet'
import { readyBehind } from './services'

/** Spans are kept for a day and a bit. */
const keepMs = 26 * 3_600_000
/** So many callers and endpoints of a flow are tried; the rest fare like them. */
const max = 4

const parts = (key: string): readonly [string, string] => {
  const [namespace = '', name = ''] = key.split('/')
  return [namespace, name]
}

/** The services a flow calls, each with its part of 1: the backends of a route by their weights, or the one service. */
function backends(
  cluster: Cluster,
  flow: Flow,
): readonly { readonly to: string; readonly port: number; readonly share: number }[] {
  if (!flow.to.startsWith('route:')) return [{ to: flow.to, port: flow.port, share: 1 }]
  const [namespace, name] = parts(flow.to.slice('route:'.length))
  const route = (cluster.objects ?? []).find(
    (object) =>
      object.kind === 'HTTPRoute' &&
      object.metadata.namespace === namespace &&
      object.metadata.name === name,
  )
  const refs = list(fields(list(fields(route?.['spec'])['rules'])[0])['backendRefs']).map(fields)
  const weight = (ref: Readonly<Record<string, unknown>>): number =>
    typeof ref['weight'] === 'number' ? ref['weight'] : 1
  const sum = refs.reduce((total, ref) => total + weight(ref), 0)
  return refs.map((ref) => ({
    to: `${namespace}/${text(ref['name'])}`,
    port: Number(ref['port'] ?? flow.port),
    share: sum === 0 ? 0 : weight(ref) / sum,
  }))
}

/** The caller rule or namespace that refuses a call, or null. Listed callers keep to what they are listed for. */
function refusedCaller(
  cluster: Cluster,
  flow: Flow,
  account: string,
  from: string,
  service: string,
): string | null {
  const [namespace, name] = parts(service)
  const rules = (cluster.objects ?? []).filter(
    (object) =>
      object.kind === 'CallerRule' &&
      object.metadata.namespace === namespace &&
      fields(object['spec'])['service'] === name,
  )
  const listed = rules.filter((rule) =>
    list(fields(rule['spec'])['callers'])
      .map(fields)
      .some(
        (caller) =>
          caller['serviceAccount'] === account && (text(caller['namespace']) || namespace) === from,
      ),
  )
  if (listed.length > 0)
    return listed.some((rule) => requestMeets(rule, flow))
      ? null
      : listed.map((rule) => `${namespace}/${rule.metadata.name}`).join(', ')
  const space = (cluster.objects ?? []).find(
    (object) => object.kind === 'Namespace' && object.metadata.name === namespace,
  )
  return space?.metadata.labels?.['gyrarch/callers'] === 'closed' ? `namespace ${namespace}` : null
}

function requestMeets(rule: Manifest, flow: Flow): boolean {
  const requests = list(fields(rule['spec'])['requests']).map(fields)
  return (
    requests.length === 0 ||
    requests.some((request) => {
      const methods = list(request['methods']).map(text)
      const paths = list(request['paths']).map(text)
      const path = flow.path ?? '/'
      return (
        (methods.length === 0 || methods.includes(flow.method ?? 'GET')) &&
        (paths.length === 0 ||
          paths.some(
            (prefix) =>
              prefix === '/' ||
              path === prefix ||
              path.startsWith(prefix.endsWith('/') ? prefix : `${prefix}/`),
          ))
      )
    })
  )
}

function senders(cluster: Cluster, flow: Flow): readonly Sender[] {
  if (!flow.from.includes('/')) return [{ address: flow.from }]
  const [namespace, name] = parts(flow.from)
  return cluster.running
    .filter((pod) => pod.namespace === namespace && pod.workload === name && isReadyPod(pod))
    .slice(0, max)
    .map((pod): Sender => ({ cluster, pod }))
}

type Fares = Omit<Span, 'from' | 'until'>

/** How one backend of a flow fares now. */
function fareOf(
  sim: Sim,
  cluster: Cluster,
  flow: Flow,
  to: string,
  port: number,
  perSecond: number,
): Fares {
  const [namespace, name] = parts(to)
  const service = cluster.serviceList.find(
    (service) => service.namespace === namespace && service.name === name,
  )
  const destination = service?.address ?? to
  const choices = Math.min(max, Math.max(1, service ? readyBehind(cluster, service).length : 1))
  const callers = senders(cluster, flow)
  const nothing: Fares = {
    perSecond: 0,
    failing: 0,
    at: '',
    by: '',
    source: '',
    destination,
    port,
    leaving: null,
    met: [],
  }
  if (callers.length === 0 || perSecond === 0) return nothing
  let failed = 0
  let worst: Fare | null = null
  let first: Fare | null = null
  let refused: string | null = null
  for (const sender of callers) {
    for (let nth = 0; nth < choices; nth++) {
      const fare = send(sim.world, sender, destination, port, 'TCP', nth)
      first ??= fare
      if (!fare.arrived) {
        failed++
        worst ??= fare
        continue
      }
      const workload = 'pod' in sender ? workloadOf(cluster, sender.pod) : undefined
      const why =
        service && workload
          ? refusedCaller(cluster, flow, workload.serviceAccount, workload.namespace, to)
          : null
      if (why !== null) {
        failed++
        refused ??= why
      } else failed += answersBadly(sim, cluster, fare.pod)
    }
  }
  const told = worst ?? first
  const share = failed / (callers.length * choices)
  let at: string
  if (worst) at = worst.at
  else if (refused !== null) at = 'callers'
  else if (share > 0) at = 'answer'
  else at = ''
  return {
    perSecond,
    failing: perSecond * share,
    at,
    by: worst ? worst.by : (refused ?? (share > 0 ? to : '')),
    source: told?.packet.source ?? '',
    destination,
    port,
    leaving: told?.leaving
      ? {
          source: told.leaving.source,
          destination: told.leaving.destination,
          port: told.leaving.port,
        }
      : null,
    met: told?.met ?? [],
  }
}

/** The part of its answers that a pod gets wrong. */
function answersBadly(sim: Sim, cluster: Cluster, pod: Pod | null): number {
  return pod !== null &&
    sim.world.faults.some(
      (fault) =>
        fault.kind === 'answers-fail' &&
        fault.about === `workload/${cluster.name}/${pod.namespace}/${pod.workload}`,
    )
    ? 0.5
    : 0
}

const alike = (span: Span, now: Fares): boolean =>
  span.perSecond === now.perSecond &&
  span.failing === now.failing &&
  span.at === now.at &&
  span.by === now.by &&
  span.source === now.source &&
  span.destination === now.destination &&
  span.met.join() === now.met.join()

/** Looks at every flow of a cluster anew. O(flows × callers × endpoints). */
export function lookAtTraffic(sim: Sim, cluster: Cluster): void {
  if (!cluster.flows) return
  const traffic: Record<string, readonly Span[]> = {}
  const calls = cluster.resting
    ? []
    : cluster.flows.flatMap((flow) =>
        backends(cluster, flow).map(({ to, port, share }) => ({
          key: `${flow.from} ${to}:${port}`,
          fares: fareOf(sim, cluster, flow, to, port, flow.perSecond * share),
        })),
      )
  const now = new Map(calls.map(({ key, fares }) => [key, fares]))
  for (const key of new Set([...Object.keys(cluster.traffic ?? {}), ...now.keys()])) {
    const spans = (cluster.traffic?.[key] ?? []).filter(
      (span) => span.until === null || span.until > sim.now - keepMs,
    )
    const last = spans.at(-1)
    const fares = now.get(key)
    if (last && last.until === null && fares && alike(last, fares)) {
      traffic[key] = spans
      continue
    }
    const closed = spans.flatMap((span): readonly Span[] => {
      if (span.until !== null) return [span]
      if (span.from === sim.now) return []
      return [{ ...span, until: sim.now }]
    })
    const next = fares ? [...closed, { from: sim.now, until: null, ...fares }] : closed
    if (next.length > 0) traffic[key] = next
  }
  cluster.traffic = traffic
}

/** The traffic of a cluster over the last day; empty where nobody measures. */
export function trafficOf(sim: Sim, name: string): readonly TrafficReport[] {
  const cluster = sim.cluster(name)
  return Object.entries(cluster?.traffic ?? {}).map(([key, spans]) => {
    const [from = '', rest = ''] = key.split(' ')
    const cut = rest.lastIndexOf(':')
    const [to, port] = [rest.slice(0, cut), Number(rest.slice(cut + 1))]
    const flow = cluster?.flows?.find(
      (flow) => flow.from === from && (flow.to === to || flow.to.startsWith('route:')),
    )
    return {
      from,
      to,
      port,
      method: flow?.method ?? 'GET',
      path: flow?.path ?? '/',
      medianMs: Math.round(30 + 120 * uniform(sim.world.seed, `${name}/${key}/ms`)) / 10,
      spans: spans.map((span) => ({
        ...span,
        from: isoTime(span.from),
        until: span.until === null ? null : isoTime(span.until),
      })),
    }
  })
}

/** Whether the agents of a cluster’s nodes reach its API where that is outside the site. */
export function reachesApi(sim: Sim, cluster: Cluster, node: Cluster['nodes'][number]): boolean {
  const peer = cluster.managed
    ? peersOf(sim.world).find((peer) => peer.name === `${cluster.name}-api`)
    : undefined
  return !peer || send(sim.world, { cluster, node }, peer.address, peer.ports[0] ?? 443).arrived
}
