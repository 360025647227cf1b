/** Network policies and pods read from objects. */

import { type Address, parseAddress, parseCidr } from '../addresses'
import {
  type Peer,
  type PodEnd,
  type Policy,
  type PolicyRule,
  type PolicyWorld,
  namespaceOf,
} from './policy'
import {
  type ApiObject,
  isOfKind,
  type Labels,
  type LabelTest,
  type PodObject,
  type PolicyObject,
  selectorTest,
} from '../objects'
import { addressKey, type BadText, isIn } from './spans'

export const nameLabel = 'kubernetes.io/metadata.name'
export function readAddresses(texts: readonly (string | null | undefined)[]): readonly Address[] {
  const results = new Map<string, Address>()
  for (const text of texts) {
    const parsed = text ? parseAddress(text) : null
    if (parsed?.ok) results.set(addressKey(parsed.value), parsed.value)
  }
  return [...results.values()]
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
  const own = readAddresses([
    pod.status?.podIP,
    ...(pod.status?.podIPs ?? []).map((entry) => entry.ip),
  ])
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

export function readPeer(
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
        ? (address) =>
            isIn(cidr.value, address) && !except.some((candidate) => isIn(candidate, address))
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
export function memoised(
  test: LabelTest,
  namespaces: ReadonlyMap<string, Labels>,
): (name: string) => boolean {
  const cache = new Map<string, boolean>()
  return (name) => {
    let exists = cache.get(name)
    if (exists === undefined)
      cache.set(name, (exists = test(namespaces.get(name) ?? { [nameLabel]: name })))
    return exists
  }
}

export type GivenRule = {
  readonly ports?:
    | readonly {
        readonly protocol?: string | null | undefined
        readonly port?: number | string | null | undefined
        readonly endPort?: number | null | undefined
      }[]
    | null
    | undefined
}

export function readRule(
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

export function readPolicy(
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
    if (isOfKind(object, 'Namespace')) {
      const { metadata } = object
      namespaces.set(metadata.name, { ...metadata.labels, [nameLabel]: metadata.name })
    } else if (isOfKind(object, 'Pod')) {
      const pod = readPod(object)
      pods.set(pod.key, pod)
      for (const address of pod.addresses) {
        const end = byAddress.get(addressKey(address))
        // The address of a pod that has ended may be another’s by now.
        if (!end || (end.finished && !pod.finished)) byAddress.set(addressKey(address), pod)
      }
    }
  }
  const policies = located.flatMap(({ object, pointer }) =>
    isOfKind(object, 'NetworkPolicy')
      ? [
          readPolicy(
            object,
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
