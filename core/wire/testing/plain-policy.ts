/** Network policy written once more, plainly and from the API’s text alone: every rule of every policy is looked at for every question. */

interface Selector {
  readonly matchLabels?: Readonly<Record<string, string>>
  readonly matchExpressions?: readonly {
    readonly key: string
    readonly operator: string
    readonly values: readonly string[]
  }[]
}
interface Peer {
  readonly ipBlock?: { readonly cidr: string; readonly except?: readonly string[] }
  readonly namespaceSelector?: Selector
  readonly podSelector?: Selector
}
interface Rule {
  readonly from?: readonly Peer[]
  readonly to?: readonly Peer[]
  readonly ports?: readonly {
    readonly protocol?: string
    readonly port?: number | string
    readonly endPort?: number
  }[]
}
interface Container {
  readonly ports?: readonly {
    readonly name: string
    readonly containerPort: number
    readonly protocol?: string
  }[]
}
/** A Namespace, a Pod or a NetworkPolicy: what is read of any of them. */
interface Obj {
  readonly kind: string
  readonly metadata: {
    readonly name: string
    readonly namespace?: string
    readonly labels?: Record<string, string>
  }
  readonly spec?: {
    readonly hostNetwork?: boolean
    readonly containers?: readonly Container[]
    readonly podSelector?: Selector
    readonly policyTypes?: readonly string[]
    readonly ingress?: readonly Rule[]
    readonly egress?: readonly Rule[]
  }
  readonly status?: { readonly podIP?: string; readonly hostIP?: string }
}

const bits = (ip: string): number =>
  ip.split('.').reduce((sum, octet) => sum * 256 + Number(octet), 0)
const inCidr = (ip: string, cidr: string): boolean => {
  const [base = '', length = '32'] = cidr.split('/')
  const size = 2 ** (32 - Number(length))
  return Math.floor(bits(ip) / size) === Math.floor(bits(base) / size)
}

function selected(selector: Selector, labels: Record<string, string>): boolean {
  for (const [key, value] of Object.entries(selector.matchLabels ?? {}))
    if (labels[key] !== value) return false
  for (const matchExpression of selector.matchExpressions ?? []) {
    const value = labels[matchExpression.key]
    if (
      matchExpression.operator === 'In' &&
      (value === undefined || !matchExpression.values.includes(value))
    )
      return false
    if (
      matchExpression.operator === 'NotIn' &&
      value !== undefined &&
      matchExpression.values.includes(value)
    )
      return false
    if (matchExpression.operator === 'Exists' && value === undefined) return false
    if (matchExpression.operator === 'DoesNotExist' && value !== undefined) return false
  }
  return true
}

export interface PlainVerdict {
  readonly allowed: boolean
  readonly egress: { readonly isolated: boolean; readonly by: readonly string[] }
  readonly ingress: { readonly isolated: boolean; readonly by: readonly string[] }
}

export function plainPolicy(
  objects: readonly Obj[],
  from: { pod?: string; address?: string },
  to: { pod?: string; address?: string },
  port: number,
  protocol: string,
): PlainVerdict {
  const space = (object: Obj): string => object.metadata.namespace ?? 'default'
  const spaceLabels = (name: string): Record<string, string> => ({
    ...objects.find((object) => object.kind === 'Namespace' && object.metadata.name === name)
      ?.metadata.labels,
    'kubernetes.io/metadata.name': name,
  })
  const pods = objects.filter((object) => object.kind === 'Pod')
  const find = (end: {
    pod?: string
    address?: string
  }): { pod: Obj | undefined; ip: string | undefined } => {
    const pod =
      end.pod === undefined
        ? pods.find((pod) => pod.spec?.hostNetwork !== true && pod.status?.podIP === end.address)
        : pods.find((pod) => `${space(pod)}/${pod.metadata.name}` === end.pod)
    // On the host’s network it is the host.
    if (pod?.spec?.hostNetwork === true) return { pod: undefined, ip: pod.status?.hostIP }
    return { pod, ip: pod ? pod.status?.podIP : end.address }
  }
  const source = find(from)
  const goal = find(to)
  const side = (direction: 'egress' | 'ingress') => {
    const me = direction === 'egress' ? source : goal
    const candidate = direction === 'egress' ? goal : source
    if (!me.pod) return { allowed: true, isolated: false, by: [] }
    const object = me.pod
    const isolating = objects.filter((entry) => {
      if (
        entry.kind !== 'NetworkPolicy' ||
        space(entry) !== space(object) ||
        !selected(entry.spec?.podSelector ?? {}, object.metadata.labels ?? {})
      )
        return false
      let types = entry.spec?.policyTypes ?? []
      if (types.length === 0)
        types = (entry.spec?.egress ?? []).length > 0 ? ['Ingress', 'Egress'] : ['Ingress']
      return types.includes(direction === 'egress' ? 'Egress' : 'Ingress')
    })
    if (isolating.length === 0) return { allowed: true, isolated: false, by: [] }
    const itself = source.pod !== undefined && source.pod === goal.pod
    const itsNode =
      !candidate.pod && candidate.ip !== undefined && candidate.ip === object.status?.hostIP
    if (itself || itsNode) return { allowed: true, isolated: true, by: [] }
    const opens = isolating.filter((entry) =>
      (entry.spec?.[direction] ?? []).some((rule) => {
        const ports = rule.ports ?? []
        const portFits =
          ports.length === 0 ||
          ports.some((wanted) => {
            if ((wanted.protocol ?? 'TCP') !== protocol) return false
            if (wanted.port === undefined) return true
            if (typeof wanted.port === 'string')
              return (
                goal.pod !== undefined &&
                (goal.pod.spec?.containers ?? []).some(
                  (container) =>
                    (container.ports ?? []).find(
                      (named) =>
                        named.name === wanted.port && (named.protocol ?? 'TCP') === protocol,
                    )?.containerPort === port,
                )
              )
            return port >= wanted.port && port <= (wanted.endPort ?? wanted.port)
          })
        const peers = rule[direction === 'egress' ? 'to' : 'from'] ?? []
        const peerFits =
          peers.length === 0 ||
          peers.some((peer) => {
            if (peer.ipBlock)
              return (
                candidate.ip !== undefined &&
                inCidr(candidate.ip, peer.ipBlock.cidr) &&
                !(peer.ipBlock.except ?? []).some((no) => inCidr(candidate.ip ?? '', no))
              )
            if (!candidate.pod) return false
            const there = space(candidate.pod)
            const spaceFits = peer.namespaceSelector
              ? selected(peer.namespaceSelector, spaceLabels(there))
              : there === space(entry)
            return (
              spaceFits &&
              (!peer.podSelector || selected(peer.podSelector, candidate.pod.metadata.labels ?? {}))
            )
          })
        return portFits && peerFits
      }),
    )
    return {
      allowed: opens.length > 0,
      isolated: true,
      by: (opens.length > 0 ? opens : isolating)
        .map((open) => `${space(open)}/${open.metadata.name}`)
        .sort(),
    }
  }
  const egress = side('egress')
  const ingress = side('ingress')
  return {
    allowed: egress.allowed && ingress.allowed,
    egress: { isolated: egress.isolated, by: egress.by },
    ingress: { isolated: ingress.isolated, by: ingress.by },
  }
}
