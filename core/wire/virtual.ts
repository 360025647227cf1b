/** Virtual addresses: which one a service would get of the pool its site offers, and what wants the same ports on the same nodes. */
import { formatAddress, parseAddress, parseRange } from '../addresses'
import type { SiteView } from '../fleet'
import { type ApiObject, type Json, record, records, text } from '../objects'
import { countText } from '../units'

export type VirtualAddress =
  { readonly ok: true; readonly address: string } | { readonly ok: false; readonly says: string }

/** The address a service of type LoadBalancer takes: the lowest free one of the pool, or the one asked for. What is promised to others is taken. */
export function virtualAddressFor(
  site: SiteView,
  cluster: string,
  request: string | null,
  promised: ReadonlySet<string> = new Set(),
): VirtualAddress {
  const network = site.networks.find((network) => network.role === 'frontage')
  const text = network?.pool ?? network?.range
  const range = text === undefined ? null : parseRange(text)
  if (!network || text === undefined || !range?.ok)
    return { ok: false, says: `${site.name} offers no virtual addresses.` }
  if (site.quotaBalancers !== null && site.balancers.length >= site.quotaBalancers)
    return {
      ok: false,
      says: `${site.name} allows ${countText(site.quotaBalancers, 'load balancer')}; all are in use.`,
    }
  const used = new Set(site.balancers.map((balancer) => balancer.address))
  // Addresses held for the cluster itself are there for its services.
  const taken = new Set([
    ...used,
    ...promised,
    ...site.addresses
      .filter((held) => held.how !== 'virtual' || held.cluster !== cluster)
      .map((held) => held.address),
    network.gateway ?? '',
  ])
  if (request !== null) {
    const wanted = parseAddress(request)
    if (!wanted.ok) return { ok: false, says: wanted.says }
    if (
      wanted.value.family !== range.value.family ||
      wanted.value.value < range.value.first ||
      wanted.value.value > range.value.last
    )
      return { ok: false, says: `${request} is not in the pool ${text}.` }
    const address = formatAddress(wanted.value)
    return taken.has(address) ? { ok: false, says: `${address} is taken.` } : { ok: true, address }
  }
  const [first, last] =
    network.pool === undefined
      ? [range.value.first + 1n, range.value.last - 1n]
      : [range.value.first, range.value.last]
  for (let value = first; value <= last; value++) {
    const address = formatAddress({ family: range.value.family, value })
    if (!taken.has(address)) return { ok: true, address }
  }
  return {
    ok: false,
    says: `The pool ${text} is full: ${countText(taken.size, 'address is', 'addresses are')} taken.`,
  }
}

/** How a pool grows: `days` until it is full; or that it does not; or that too little is known to say. */
export type PoolTrend =
  | { readonly kind: 'grows'; readonly days: number }
  | { readonly kind: 'still' }
  | { readonly kind: 'unknown' }

const dayMs = 86_400_000
/** A trend needs a week of records, and growth on so many days of them: one raise is none. */
const fewestDays = 7
const fewestGrowths = 3

/** Until a pool is full at the net growth of the last 30 days, or of what is recorded if that is less. */
export function poolTrend(
  free: number,
  kept: readonly { readonly from: string; readonly until: string | null }[],
  began: string,
  now: string,
): PoolTrend {
  const end = Date.parse(now)
  const since = Math.max(end - 30 * dayMs, Date.parse(began))
  const days = (end - since) / dayMs
  if (days < fewestDays) return { kind: 'unknown' }
  const at = (time: number): number =>
    kept.filter(
      (entry) =>
        Date.parse(entry.from) <= time && (entry.until === null || Date.parse(entry.until) > time),
    ).length
  const growth = (at(end) - at(since)) / days
  if (growth <= 0) return { kind: 'still' }
  let growths = 0
  for (let time = since; time < end; time += dayMs)
    if (at(Math.min(end, time + dayMs)) > at(time)) growths++
  return growths < fewestGrowths ? { kind: 'unknown' } : { kind: 'grows', days: free / growth }
}

const templated = new Set(['Deployment', 'StatefulSet', 'DaemonSet', 'ReplicaSet', 'Job'])

/** What the pods of a workload are made from; nothing for what makes none, or makes them only at times. */
function podSpecOf(object: ApiObject): Json {
  const spec = record(object['spec'])
  if (templated.has(object.kind)) return record(record(spec['template'])['spec'])
  return object.kind === 'Pod' ? spec : {}
}

/** The ports of its nodes that a workload takes, as `port/PROTOCOL`. */
export function nodePortsOf(object: ApiObject): readonly string[] {
  const spec = podSpecOf(object)
  const onHost = spec['hostNetwork'] === true
  const ports = records(spec['containers']).flatMap((container) => records(container['ports']))
  const taken = ports.flatMap((port) => {
    const number = port['hostPort'] ?? (onHost ? port['containerPort'] : undefined)
    const protocol = text(port['protocol']) || 'TCP'
    return typeof number === 'number' && number > 0 ? [`${number}/${protocol.toUpperCase()}`] : []
  })
  return [...new Set(taken)]
}

const selectorOf = (object: ApiObject): Json => record(podSpecOf(object)['nodeSelector'])

/** Whether two node selectors could choose the same node. */
const mayMeet = (a: Json, b: Json): boolean =>
  Object.entries(a).every(([key, value]) => b[key] === undefined || b[key] === value)

export interface PortCollision {
  readonly port: string
  /** `Kind/namespace/name` */
  readonly with: string
}

/** What stands already and wants the same ports on the same nodes as a workload that is to come. */
export function portCollisions(
  coming: ApiObject,
  apiObjects: readonly ApiObject[],
): readonly PortCollision[] {
  const ports = new Set(nodePortsOf(coming))
  if (ports.size === 0) return []
  const key = (object: ApiObject): string =>
    `${object.kind}/${object.metadata?.namespace ?? 'default'}/${object.metadata?.name ?? ''}`
  return apiObjects
    .filter(
      (object) =>
        templated.has(object.kind) &&
        object.kind !== 'ReplicaSet' &&
        key(object) !== key(coming) &&
        mayMeet(selectorOf(coming), selectorOf(object)),
    )
    .flatMap((object) =>
      nodePortsOf(object)
        .filter((port) => ports.has(port))
        .map((port) => ({ port, with: key(object) })),
    )
}
