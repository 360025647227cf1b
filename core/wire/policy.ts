/**
 * Network policy: whether an end lets a packet out or in, and which policies decided.
 * Source: the Kubernetes API reference, NetworkPolicy networking.k8s.io/v1.
 */
import { compareText } from '../units'
import { type Address } from '../addresses'
import { type Labels } from '../objects'
import { addressKey } from './spans'

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

export interface Peer {
  readonly pod: ((pod: PodEnd) => boolean) | null
  readonly block: ((address: Address) => boolean) | null
}

export interface PolicyRule {
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

export const namespaceOf = (metadata: { readonly namespace?: string | null | undefined }): string =>
  metadata.namespace ?? 'default'

const onlyPolicies = (policies: readonly Policy[], pod: PodEnd) => ({
  egress: policies.filter((policy) => policy.egress !== null && policy.selects(pod)),
  ingress: policies.filter((policy) => policy.ingress !== null && policy.selects(pod)),
})

/** The policies that isolate a pod, for each direction. */
export function selecting(
  world: PolicyWorld,
  pod: PodEnd,
): { readonly egress: readonly Policy[]; readonly ingress: readonly Policy[] } {
  const existing = world.selecting.get(pod)
  if (existing) return existing
  const result = onlyPolicies(world.policies, pod)
  world.selecting.set(pod, result)
  return result
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
  end: PolicyEnd,
  destination: PolicyEnd,
  port: number,
  protocol: Protocol,
): boolean {
  if (
    rule.ports &&
    !rule.ports.some(
      (candidate) =>
        candidate.protocol === protocol && portMeets(candidate, destination, port, protocol),
    )
  )
    return false
  return rule.peers === null || rule.peers.some((peer) => meets(peer, end))
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
  const end = direction === 'egress' ? to : from
  const opening = policies.filter((policy) =>
    (policy[direction] ?? []).some((rule) => opens(rule, end, to, port, protocol)),
  )
  const deciding = opening.length > 0 ? opening : policies
  return {
    allowed: opening.length > 0,
    isolated: true,
    by: deciding.map((policy) => policy.key).sort(compareText),
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
