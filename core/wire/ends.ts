/** Ends of a walk as people type them: a pod, a service, a node, an address, a partner, a name. */
import { parseAddress } from '../addresses'
import { clusterOf, type FleetView, nodesOf, listedObjects } from '../fleet'
import type { WalkFrom, WalkTo } from './world'
import { podsOfWorkload } from '../objects'

export type EndRead<End> =
  | { readonly ok: true; readonly end: End; readonly shown: string }
  | { readonly ok: false; readonly says: string }

interface Listed {
  readonly kind: string
  readonly metadata?: {
    readonly name?: string | undefined
    readonly namespace?: string | null | undefined
  }
}

const listed = (view: FleetView, cluster: string): readonly Listed[] =>
  listedObjects(view, cluster) as readonly Listed[]
const keyOf = (object: Listed): string =>
  `${object.metadata?.namespace ?? 'default'}/${object.metadata?.name ?? ''}`

/** A pod by its name, or the first running one of a workload. */
function podNamed(view: FleetView, cluster: string, key: string): string | null {
  const pods = listed(view, cluster).filter((object) => object.kind === 'Pod')
  const exact = pods.find((pod) => keyOf(pod) === key)
  if (exact) return keyOf(exact)
  const matchingPod = podsOfWorkload(listedObjects(view, cluster), key).find(
    (pod) => pod.status?.podIP,
  )
  return matchingPod ? keyOf(matchingPod) : null
}

/** `dill:market/desk` names another cluster than the one aimed at. */
function split(
  text: string,
  aim: string | null,
): { readonly cluster: string | null; readonly rest: string } {
  const match = /^([a-z][-a-z0-9]*):(.+)$/.exec(text)
  return match && !parseAddress(text).ok
    ? { cluster: match[1] ?? '', rest: match[2] ?? '' }
    : { cluster: aim, rest: text }
}

function common(
  view: FleetView,
  text: string,
  cluster: string | null,
): EndRead<
  | { readonly address: string }
  | { readonly node: string; readonly cluster: string }
  | { readonly pod: string; readonly cluster: string }
> | null {
  if (parseAddress(text).ok) return { ok: true, end: { address: text }, shown: text }
  const at = view.clusters.find((candidate) =>
    nodesOf(candidate).some((node) => node.name === text),
  )
  if (at) return { ok: true, end: { node: text, cluster: at.name }, shown: text }
  if (!text.includes('/') || cluster === null) return null
  const pod = podNamed(view, cluster, text)
  return pod === null ? null : { ok: true, end: { pod, cluster }, shown: pod }
}

const unknown = (view: FleetView, text: string, cluster: string | null): string => {
  if (text === '')
    return 'Say who sends it and to whom: a pod or service as namespace/name, a node, an address or a name.'
  if (text.includes('/') && cluster === null)
    return `Point at a cluster first, or write it as cluster:${text}.`
  if (cluster !== null && !clusterOf(view, cluster)) return `There is no cluster ${cluster}.`
  return `Nothing is called ${text.slice(0, 80)}${cluster === null ? '' : ` in ${cluster}`}. Write namespace/name, a node, an address or a name.`
}

export function readFrom(view: FleetView, given: string, aim: string | null): EndRead<WalkFrom> {
  const { cluster, rest } = split(given.trim(), aim)
  return common(view, rest, cluster) ?? { ok: false, says: unknown(view, rest, cluster) }
}

export function readTo(view: FleetView, given: string, aim: string | null): EndRead<WalkTo> {
  const { cluster, rest } = split(given.trim(), aim)
  const peer = view.peers?.find((peer) => peer.name === rest)
  if (peer)
    return { ok: true, end: { address: peer.address }, shown: `${peer.name} (${peer.address})` }
  if (
    cluster !== null &&
    listed(view, cluster).some((object) => object.kind === 'Service' && keyOf(object) === rest)
  )
    return { ok: true, end: { service: rest, cluster }, shown: rest }
  const endRead = common(view, rest, cluster)
  if (endRead) {
    if (!endRead.ok) return endRead
    if (!('node' in endRead.end)) return { ok: true, end: endRead.end, shown: endRead.shown }
    const { node } = endRead.end
    const address = view.clusters.flatMap(nodesOf).find((entry) => entry.name === node)?.address
    if (address !== undefined) return { ok: true, end: { address }, shown: `${node} (${address})` }
  }
  return /^[a-z0-9*]([-a-z0-9.]*[a-z0-9.])?$/i.test(rest) && rest.includes('.')
    ? { ok: true, end: { name: rest }, shown: rest }
    : { ok: false, says: unknown(view, rest, cluster) }
}

/** What can be typed, for completion: pods, services, nodes of a cluster, partners, names. */
export function endChoices(view: FleetView, cluster: string | null): readonly string[] {
  const objects = cluster === null ? [] : listed(view, cluster)
  const of = (kind: string): readonly string[] =>
    objects.filter((object) => object.kind === kind).map(keyOf)
  const existingCluster = cluster === null ? undefined : clusterOf(view, cluster)
  const site = view.sites.find((site) => site.name === existingCluster?.site)
  return [
    ...of('Service'),
    ...of('Pod'),
    ...(existingCluster ? nodesOf(existingCluster).map((node) => node.name) : []),
    ...(view.peers ?? []).map((peer) => peer.name),
    ...(site?.records ?? []).map((record) => `${record.name}.${site?.nameDomain ?? ''}`),
    ...(site?.balancers ?? []).map((balancer) => balancer.address),
  ]
}
