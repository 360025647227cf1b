/**
 * Network policy: whether an end lets a packet out or in, and which policies decided.
 * Source: the Kubernetes API reference, NetworkPolicy networking.k8s.io/v1.
 */
import { type Address, parseAddress, parseCidr } from '../addresses'
import {
  type ApiObject,
  type Labels,
  type LabelTest,
  type NamespaceObject,
  type PodObject,
  type PolicyObject,
  selectorTest,
} from '../objects'
import { addressKey, type BadText, isIn } from './spans'

export type Protocol = 'TCP' | 'UDP' | 'SCTP'

export interface PodEnd {
  /** `namespace/name` */
  readonly key: string
  readonly namespace: string
  readonly name: string
  readonly labels: Labels
  /** Its own addresses; none while it has not been given one. A host-network pod has none: it is its node. */
  readonly addresses: readonly Address[]
  readonly node: string | null
  readonly hostAddress: Address | null
  readonly onHostNetwork: boolean
  readonly finished: boolean
  /** `name/PROTOCOL` of its ports to their numbers. */
  readonly ports: ReadonlyMap<string, number>
}

/** One end of a packet as policies see it: a pod of their cluster, or an address. */
export type PolicyEnd = { readonly pod: PodEnd } | { readonly address: Address }

interface Peer {
  readonly pod: ((pod: PodEnd) => boolean) | null
  readonly block: ((address: Address) => boolean) | null
}

interface PolicyRule {
  /** Null is every peer. */
  readonly peers: readonly Peer[] | null
  /** Null is every port. */
  readonly ports:
    | readonly {
        readonly protocol: string
        readonly port: number | string | null
        readonly endPort: number | null
      }[]
    | null
}

export interface Policy {
  readonly key: string
  readonly namespace: string
  readonly selects: (pod: PodEnd) => boolean
  readonly egress: readonly PolicyRule[] | null
  readonly ingress: readonly PolicyRule[] | null
  /** Where it was among the objects given. */
  readonly pointer: string
}

/** The pods and policies of one cluster, read once and asked often. */
export interface PolicyWorld {
  readonly pods: ReadonlyMap<string, PodEnd>
  readonly byAddress: ReadonlyMap<string, PodEnd>
  readonly policies: readonly Policy[]
  readonly namespaces: ReadonlyMap<string, Labels>
  /** The policies that select a pod, for each direction; found on first use. */
  readonly selecting: Map<
    PodEnd,
    { readonly egress: readonly Policy[]; readonly ingress: readonly Policy[] }
  >
}

export interface Verdict {
  readonly allowed: boolean
  readonly isolated: boolean
  /** `namespace/name` of the policies that decided, sorted. */
  readonly by: readonly string[]
}

const nameLabel = 'kubernetes.io/metadata.name'
const compare = (a: string, b: string): number => {
  if (a < b) return -1
  if (a > b) return 1
  return 0
}
const namespaceOf = (metadata: { readonly namespace?: string | null | undefined }): string =>
  metadata.namespace ?? 'default'

function readAddresses(texts: readonly (string | null | undefined)[]): readonly Address[] {
  const found = new Map<string, Address>()
  for (const text of texts) {
    const parsed = text ? parseAddress(text) : null
    if (parsed?.ok) found.set(addressKey(parsed.value), parsed.value)
  }
  return [...found.values()]
}

export function readPod(pod: PodObject): PodEnd {
  const namespace = namespaceOf(pod.metadata)
  const onHostNetwork = pod.spec?.hostNetwork === true
  const sidecars = (pod.spec?.initContainers ?? []).filter(
    (container) => container.restartPolicy === 'Always',
  )
  const ports = new Map<string, number>()
  for (const port of [...(pod.spec?.containers ?? []), ...sidecars].flatMap(
    (container) => container.ports ?? [],
  )) {
    const key = `${port.name ?? ''}/${(port.protocol ?? 'TCP').toUpperCase()}`
    if (port.name && typeof port.containerPort === 'number' && !ports.has(key))
      ports.set(key, port.containerPort)
  }
  const phase = pod.status?.phase
  const own = readAddresses([pod.status?.podIP, ...(pod.status?.podIPs ?? []).map((one) => one.ip)])
  const host = readAddresses([pod.status?.hostIP])[0]
  return {
    key: `${namespace}/${pod.metadata.name}`,
    namespace,
    name: pod.metadata.name,
    labels: pod.metadata.labels ?? {},
    addresses: onHostNetwork ? [] : own,
    node: pod.spec?.nodeName ?? null,
    hostAddress: host ?? (onHostNetwork ? (own[0] ?? null) : null),
    onHostNetwork,
    finished: phase === 'Succeeded' || phase === 'Failed',
    ports,
  }
}

function readPeer(
  peer: NonNullable<
    NonNullable<NonNullable<NonNullable<PolicyObject['spec']>['ingress']>[number]['from']>[number]
  >,
  namespace: string,
  namespaces: ReadonlyMap<string, Labels>,
  path: string,
  bad: BadText[],
): Peer {
  if (peer.ipBlock) {
    const cidr = parseCidr(peer.ipBlock.cidr)
    if (!cidr.ok) bad.push({ path: `${path}.ipBlock.cidr`, says: cidr.says })
    const except = (peer.ipBlock.except ?? []).flatMap((text, i) => {
      const read = parseCidr(text)
      if (!read.ok) bad.push({ path: `${path}.ipBlock.except[${i}]`, says: read.says })
      return read.ok ? [read.value] : []
    })
    return {
      pod: null,
      block: cidr.ok
        ? (address) => isIn(cidr.value, address) && !except.some((one) => isIn(one, address))
        : () => false,
    }
  }
  if (!peer.podSelector && !peer.namespaceSelector) return { pod: () => false, block: null }
  const pods = peer.podSelector ? selectorTest(peer.podSelector) : () => true
  const spaces = peer.namespaceSelector
    ? memoised(selectorTest(peer.namespaceSelector), namespaces)
    : (name: string): boolean => name === namespace
  return { pod: (pod) => spaces(pod.namespace) && pods(pod.labels), block: null }
}

/** Whether the labels of a namespace pass, asked once for each. */
function memoised(
  test: LabelTest,
  namespaces: ReadonlyMap<string, Labels>,
): (name: string) => boolean {
  const known = new Map<string, boolean>()
  return (name) => {
    let found = known.get(name)
    if (found === undefined)
      known.set(name, (found = test(namespaces.get(name) ?? { [nameLabel]: name })))
    return found
  }
}

type GivenRule = {
  readonly ports?:
    | readonly {
        readonly protocol?: string | null | undefined
        readonly port?: number | string | null | undefined
        readonly endPort?: number | null | undefined
      }[]
    | null
    | undefined
}

function readRule(
  rule: GivenRule,
  peers: readonly Peer[],
  path: string,
  bad: BadText[],
): PolicyRule {
  const ports = (rule.ports ?? []).map((port, i) => {
    if (
      typeof port.endPort === 'number' &&
      typeof port.port === 'number' &&
      port.endPort < port.port
    )
      bad.push({
        path: `${path}.ports[${i}].endPort`,
        says: `Ports ${port.port} to ${port.endPort} run backwards. Write the lower one first.`,
      })
    return {
      protocol: (port.protocol ?? 'TCP').toUpperCase(),
      port: port.port ?? null,
      endPort: port.endPort ?? null,
    }
  })
  return { peers: peers.length > 0 ? peers : null, ports: ports.length > 0 ? ports : null }
}

function readPolicy(
  policy: PolicyObject,
  pointer: string,
  namespaces: ReadonlyMap<string, Labels>,
  path: string,
  bad: BadText[],
): Policy {
  const namespace = namespaceOf(policy.metadata)
  const spec = policy.spec ?? {}
  const given = spec.policyTypes ?? []
  const types =
    given.length > 0 ? given : ['Ingress', ...((spec.egress ?? []).length > 0 ? ['Egress'] : [])]
  const selects = selectorTest(spec.podSelector ?? {})
  const at = `${path}.spec`
  return {
    key: `${namespace}/${policy.metadata.name}`,
    namespace,
    selects: (pod) => pod.namespace === namespace && !pod.onHostNetwork && selects(pod.labels),
    ingress: types.includes('Ingress')
      ? (spec.ingress ?? []).map((rule, i) =>
          readRule(
            rule,
            (rule.from ?? []).map((peer, j) =>
              readPeer(peer, namespace, namespaces, `${at}.ingress[${i}].from[${j}]`, bad),
            ),
            `${at}.ingress[${i}]`,
            bad,
          ),
        )
      : null,
    egress: types.includes('Egress')
      ? (spec.egress ?? []).map((rule, i) =>
          readRule(
            rule,
            (rule.to ?? []).map((peer, j) =>
              readPeer(peer, namespace, namespaces, `${at}.egress[${i}].to[${j}]`, bad),
            ),
            `${at}.egress[${i}]`,
            bad,
          ),
        )
      : null,
    pointer,
  }
}

/** Reads the namespaces, pods and policies among located objects. `path` names them in errors: `objects`. */
export function readPolicyWorld(
  located: readonly { readonly pointer: string; readonly object: ApiObject }[],
  path: string,
  bad: BadText[],
): PolicyWorld {
  const namespaces = new Map<string, Labels>()
  const pods = new Map<string, PodEnd>()
  const byAddress = new Map<string, PodEnd>()
  for (const { object } of located) {
    if (object.kind === 'Namespace') {
      const { metadata } = object as unknown as NamespaceObject
      namespaces.set(metadata.name, { ...metadata.labels, [nameLabel]: metadata.name })
    } else if (object.kind === 'Pod') {
      const pod = readPod(object as unknown as PodObject)
      pods.set(pod.key, pod)
      for (const address of pod.addresses) {
        const known = byAddress.get(addressKey(address))
        // The address of a pod that has ended may be another’s by now.
        if (!known || (known.finished && !pod.finished)) byAddress.set(addressKey(address), pod)
      }
    }
  }
  const policies = located.flatMap(({ object, pointer }) =>
    object.kind === 'NetworkPolicy'
      ? [
          readPolicy(
            object as unknown as PolicyObject,
            pointer,
            namespaces,
            `${path}${pointer.replace(/\/(\d+)/g, '[$1]').replaceAll('/', '.')}`,
            bad,
          ),
        ]
      : [],
  )
  return { pods, byAddress, policies, namespaces, selecting: new Map() }
}

const onlyPolicies = (policies: readonly Policy[], pod: PodEnd) => ({
  egress: policies.filter((policy) => policy.egress !== null && policy.selects(pod)),
  ingress: policies.filter((policy) => policy.ingress !== null && policy.selects(pod)),
})

/** The policies that isolate a pod, for each direction. */
export function selecting(
  world: PolicyWorld,
  pod: PodEnd,
): { readonly egress: readonly Policy[]; readonly ingress: readonly Policy[] } {
  const known = world.selecting.get(pod)
  if (known) return known
  const found = onlyPolicies(world.policies, pod)
  world.selecting.set(pod, found)
  return found
}

/** A pod of this cluster where it is one, also when only its address is given; a host-network pod is its node’s address. */
export function asEnd(world: PolicyWorld, address: Address): PolicyEnd {
  const pod = world.byAddress.get(addressKey(address))
  return pod ? { pod } : { address }
}

const addressesOf = (end: PolicyEnd): readonly Address[] => {
  if ('pod' in end) {
    if (end.pod.onHostNetwork) {
      if (end.pod.hostAddress) return [end.pod.hostAddress]
      return []
    }
    return end.pod.addresses
  }
  return [end.address]
}

const isolatedPod = (end: PolicyEnd): PodEnd | null =>
  'pod' in end && !end.pod.onHostNetwork ? end.pod : null

function meets(peer: Peer, end: PolicyEnd): boolean {
  if (peer.block) return addressesOf(end).some(peer.block)
  const pod = isolatedPod(end)
  return pod !== null && peer.pod !== null && peer.pod(pod)
}

function opens(
  rule: PolicyRule,
  other: PolicyEnd,
  destination: PolicyEnd,
  port: number,
  protocol: Protocol,
): boolean {
  if (
    rule.ports &&
    !rule.ports.some(
      (one) => one.protocol === protocol && portMeets(one, destination, port, protocol),
    )
  )
    return false
  return rule.peers === null || rule.peers.some((peer) => meets(peer, other))
}

function portMeets(
  {
    port: wanted,
    endPort,
  }: { readonly port: number | string | null; readonly endPort: number | null },
  destination: PolicyEnd,
  port: number,
  protocol: Protocol,
): boolean {
  if (wanted === null) return true
  if (typeof wanted === 'number')
    return endPort === null ? port === wanted : port >= wanted && port <= endPort
  return 'pod' in destination && destination.pod.ports.get(`${wanted}/${protocol}`) === port
}

/** A pod and itself, or a pod and the node it runs on: no policy stands between them. */
function alwaysReaches(from: PolicyEnd, to: PolicyEnd): boolean {
  const pods = [isolatedPod(from), isolatedPod(to)]
  if (pods[0] && pods[0] === pods[1]) return true
  const isHost = (pod: PodEnd | null | undefined, end: PolicyEnd): boolean =>
    pod !== null &&
    pod !== undefined &&
    pod.hostAddress !== null &&
    isolatedPod(end) === null &&
    addressesOf(end).some(
      (address) => pod.hostAddress !== null && addressKey(address) === addressKey(pod.hostAddress),
    )
  return isHost(pods[0], to) || isHost(pods[1], from)
}

const free: Verdict = { allowed: true, isolated: false, by: [] }

function decide(
  world: PolicyWorld,
  from: PolicyEnd,
  to: PolicyEnd,
  port: number,
  protocol: Protocol,
  direction: 'egress' | 'ingress',
): Verdict {
  const pod = isolatedPod(direction === 'egress' ? from : to)
  if (!pod) return free
  const policies = selecting(world, pod)[direction]
  if (policies.length === 0) return free
  if (alwaysReaches(from, to)) return { allowed: true, isolated: true, by: [] }
  const other = direction === 'egress' ? to : from
  const opening = policies.filter((policy) =>
    (policy[direction] ?? []).some((rule) => opens(rule, other, to, port, protocol)),
  )
  const deciding = opening.length > 0 ? opening : policies
  return {
    allowed: opening.length > 0,
    isolated: true,
    by: deciding.map((policy) => policy.key).sort(compare),
  }
}

/** What the policies of the source’s cluster say about letting the packet out. */
export const policyOut = (
  world: PolicyWorld,
  from: PolicyEnd,
  to: PolicyEnd,
  port: number,
  protocol: Protocol,
): Verdict => decide(world, from, to, port, protocol, 'egress')

/** What the policies of the destination’s cluster say about letting it in. */
export const policyIn = (
  world: PolicyWorld,
  from: PolicyEnd,
  to: PolicyEnd,
  port: number,
  protocol: Protocol,
): Verdict => decide(world, from, to, port, protocol, 'ingress')
