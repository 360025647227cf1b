/** Who calls whom in a cluster: what was seen, what caller rules say, and whether the way is open. */
import { type ClusterView, type FleetView, listedObjects, trafficIn } from '~/core/fleet'
import { listText } from '~/core/units'
import { mayCall, readCallers, type ReadyWorld, readyWorldOf, walk } from '~/core/wire'
import { accountOf, byText, type Call, callsADay, callsOf } from '~/core/wire/changes'

/** So many callers and services are drawn; the rest are in the lists. */
const max = 30

type Callers = ReturnType<typeof readCallers>
type Verdict = ReturnType<typeof mayCall>

interface Seen {
  readonly view: FleetView
  readonly cluster: ClusterView
  readonly objects: ReturnType<typeof listedObjects>
  readonly callers: Callers
  readonly traffic: ReturnType<typeof trafficIn>
  readonly calls: readonly Call[]
  readonly world: ReadyWorld | null
}

/** Whether the way from a caller to a service is open, and where it ends if not; null where that is not known. */
function wayTo(
  { world, calls, cluster }: Seen,
  caller: string,
  service: string,
  port: number,
): { readonly open: boolean; readonly end: string } | null {
  const call = calls.find((candidate) => candidate.flow.from === caller)
  if (!call || !world) return null
  const to = { service, cluster: cluster.name }
  const walked = walk(world, { from: call.query.from, to, port, protocol: 'TCP' })
  if (!walked.ok) return null
  const last = walked.walk.hops.at(-1)
  return {
    open: walked.walk.delivered,
    end: last ? `${last.hop.replace('-', ' ')}: ${byText(last.by)}` : '',
  }
}

/** What decides about a call. */
function decidedBy(way: ReturnType<typeof wayTo>, rule: Verdict | null, namespace: string): string {
  if (way?.open === false) return way.end
  if (!rule) return 'an address outside'
  if (rule.by === 'open') return `namespace ${namespace} is open`
  if (rule.by === 'closed') return `namespace ${namespace} is closed to callers not listed`
  return `caller rule ${listText(rule.by, 2)}`
}

/** The cell of a caller and a service; null where nothing is said of the two: no call, no rule that lists it, no way that is shut. */
function cellOf(seen: Seen, caller: string, service: string) {
  const { view, objects, callers, traffic } = seen
  const flow = traffic.find((candidate) => candidate.from === caller && candidate.to === service)
  const [namespace = '', name = ''] = service.split('/')
  const account = accountOf(objects, caller)
  const request = { method: flow?.method ?? 'GET', path: flow?.path ?? '/' }
  const rule = account ? mayCall(callers, account, { namespace, name }, request) : null
  const port = flow?.port ?? traffic.find((candidate) => candidate.to === service)?.port ?? 80
  const way = wayTo(seen, caller, service, port)
  const allowed = way?.open !== false && rule?.allowed !== false
  const listed = rule && typeof rule.by !== 'string' ? rule.by : []
  const isSaid = rule?.by === 'closed' || listed.length > 0 || !allowed
  if (!flow && (!account || !isSaid)) return null
  return {
    caller,
    service,
    port,
    allowed,
    perSecond: flow?.spans.find((span) => span.until === null)?.perSecond ?? 0,
    perDay: flow ? callsADay(flow, view.now) : 0,
    why: decidedBy(way, rule, namespace),
    account: account?.serviceAccount ?? null,
    asks: flow ? `${flow.method} ${flow.path}` : null,
    listed,
    namespace: account?.namespace ?? '',
  }
}

const ruleTold = (rule: Callers['rules'][number]) => ({
  key: rule.key,
  namespace: rule.namespace,
  name: rule.key.split('/')[1] ?? '',
  service: rule.service,
  callers: rule.callers.map(({ namespace, serviceAccount }) =>
    namespace === rule.namespace ? serviceAccount : `${namespace}/${serviceAccount}`,
  ),
  requests: rule.requests.map(
    ({ methods, paths }) => `${methods.join(',') || 'any'} ${paths.join(', ') || '/'}`,
  ),
})

/** The matrix of callers and services of a cluster, its caller rules, and which namespaces are closed. */
export function callMatrix(view: FleetView, cluster: ClusterView) {
  const objects = listedObjects(view, cluster.name)
  const ready = readyWorldOf(view)
  const callers = readCallers(objects)
  const traffic = trafficIn(view, cluster.name)
  const seen: Seen = {
    view,
    cluster,
    objects,
    callers,
    traffic,
    calls: callsOf(view, cluster.name),
    world: ready.ok ? ready.world : null,
  }
  const called = traffic.map((flow) => flow.to).filter((to) => to.includes('/'))
  const ruled = callers.rules.map((rule) => `${rule.namespace}/${rule.service}`)
  const services = [...new Set([...called, ...ruled])].sort().slice(0, max)
  const from = [...new Set(traffic.map((flow) => flow.from))].sort().slice(0, max)
  const cells = from.flatMap((caller) =>
    services.flatMap((service) => cellOf(seen, caller, service) ?? []),
  )
  const namespaces = [...new Set(services.map((service) => service.split('/')[0] ?? ''))]
  return {
    from,
    services,
    cells,
    largest: Math.max(1, ...cells.map((cell) => cell.perSecond)),
    namespaces: namespaces.map((name) => ({ name, closed: callers.closed.has(name) })),
    rules: callers.rules.map(ruleTold),
  }
}
