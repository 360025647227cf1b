/** Network policies that keep a pod from what it asks for, or a service from everybody. Source: computations 7 and 12. */
import { type Address, formatAddress, parseAddress } from '../addresses'
import { type Json, list, readObjects, record, records, text } from '../objects'
import {
  asEnd,
  type BadText,
  nameLabel,
  policyIn,
  policyOut,
  type PodEnd,
  type PolicyEnd,
  type PolicyWorld,
  type Protocol,
  readPolicyWorld,
} from '../wire'
import type { Candidate, PolicyOpening } from './causes'
import { type Evidence, type Fact, type Ref, refOf, refOfObject } from './facts'
import { isTimedOut, isUnresolved } from './messages'
import { namespaceOf } from './own'

/** The pods and policies of the evidence; null where there are no policies, or they cannot be read. */
const policyWorld = (evidence: Evidence): PolicyWorld | null =>
  evidence.once('policies', () => {
    if (evidence.ofKind('NetworkPolicy').length === 0) return null
    const kinds = ['Namespace', 'Pod', 'NetworkPolicy']
    const read = readObjects(kinds.flatMap((kind) => evidence.ofKind(kind)))
    if (read.wrong) return null
    const bad: BadText[] = []
    const world = readPolicyWorld(read.located, 'objects', bad)
    return bad.length > 0 ? null : world
  })

interface Aim {
  readonly end: PolicyEnd
  readonly port: number
  readonly protocol: Protocol
}

interface Asked {
  readonly address: Address
  readonly port: number
  readonly protocol: Protocol
}

const askedFor = (host: string, port: string, protocol: Protocol): readonly Asked[] => {
  const address = parseAddress(host.replace(/^\[|\]$/g, ''))
  const number = Number(port)
  return address.ok && number > 0 && number < 65_536
    ? [{ address: address.value, port: number, protocol }]
    : []
}

/** Services by the names that pods call them by: `name`, `name.namespace`, and longer. */
function serviceNamed(evidence: Evidence, host: string, namespace: string): Json | undefined {
  const [name = '', of = namespace, kind = 'svc'] = host.split('.')
  return kind === 'svc' ? evidence.object(refOf('Service', of, name)) : undefined
}

const serviceAt = (evidence: Evidence, address: string): Json | undefined =>
  evidence
    .once(
      'service addresses',
      () =>
        new Map(
          evidence.ofKind('Service').flatMap((service) => {
            const spec = record(service['spec'])
            return [spec['clusterIP'], ...list(spec['clusterIPs'])].map(
              (ip) => [text(ip), service] as const,
            )
          }),
        ),
    )
    .get(address)

const podsBehind = (evidence: Evidence, world: PolicyWorld, service: Json): readonly PodEnd[] => {
  const selector = Object.entries(record(record(service['spec'])['selector']))
  if (selector.length === 0) return []
  return evidence
    .ofKind('Pod')
    .filter(
      (pod) =>
        namespaceOf(pod) === namespaceOf(service) &&
        selector.every(([key, value]) => record(record(pod['metadata'])['labels'])[key] === value),
    )
    .flatMap((pod) => {
      const end = world.pods.get(`${namespaceOf(pod)}/${text(record(pod['metadata'])['name'])}`)
      return end && !end.finished ? [end] : []
    })
}

/** The ports of the pods behind a port of a service. */
function targets(service: Json, pods: readonly PodEnd[], port: number | null): readonly Aim[] {
  return records(record(service['spec'])['ports'])
    .filter((each) => port === null || each['port'] === port)
    .flatMap((each) => {
      const protocol = (text(each['protocol']) || 'TCP') as Protocol
      const target = each['targetPort'] ?? each['port']
      return pods.flatMap((pod): readonly Aim[] => {
        const number =
          typeof target === 'number' ? target : pod.ports.get(`${text(target)}/${protocol}`)
        return number === undefined ? [] : [{ end: { pod }, port: number, protocol }]
      })
    })
}

/** What a line of a log asked for in vain: the pods behind a service, or an address. */
function aimsOf(
  evidence: Evidence,
  world: PolicyWorld,
  line: string,
  namespace: string,
): { readonly service: Json | null; readonly aims: readonly Aim[] } {
  const at = (host: string, port: string, protocol: Protocol) => {
    const service = serviceAt(evidence, host) ?? serviceNamed(evidence, host, namespace)
    if (service)
      return {
        service,
        aims: targets(service, podsBehind(evidence, world, service), Number(port)),
      }
    return {
      service: null,
      aims: askedFor(host, port, protocol).map(({ address, ...rest }) => ({
        end: asEnd(world, address),
        ...rest,
      })),
    }
  }
  const [, server, serverPort] = /lookup \S+ on (\[?[0-9a-f.:]+\]?):(\d+)/i.exec(line) ?? []
  if (server !== undefined && serverPort !== undefined) return at(server, serverPort, 'UDP')
  const [, host, port] =
    /(?:dial (?:tcp|udp)|https?:\/\/|connect(?:ing)? to|to|host|server at|upstream:?) ?"?(\[?[0-9a-z.:-]+?\]?)(?:, port |:| port )(\d+)/i.exec(
      line,
    ) ?? []
  if (host !== undefined && port !== undefined) return at(host, port, 'TCP')
  const [, plain] = /https?:\/\/([0-9a-z.-]+)(?:[/"\s]|$)/i.exec(line) ?? []
  if (plain === undefined) return { service: null, aims: [] }
  return at(plain, /https:/i.test(line) ? '443' : '80', 'TCP')
}

/** A policy that keeps a packet from its aim, and the rule that would let it through. */
interface Block {
  readonly policy: string
  readonly opening: PolicyOpening
}

const peerOf = (end: PolicyEnd, namespace: string): Json => {
  if (!('pod' in end)) {
    const address = formatAddress(end.address)
    return { ipBlock: { cidr: `${address}/${end.address.family === 4 ? 32 : 128}` } }
  }
  return {
    ...(end.pod.namespace === namespace
      ? {}
      : { namespaceSelector: { matchLabels: { [nameLabel]: end.pod.namespace } } }),
    podSelector: { matchLabels: end.pod.labels },
  }
}

/** The policies that keep a packet from its aim; none where it passes. */
function blockedBy(world: PolicyWorld, from: PolicyEnd, aim: Aim): readonly Block[] {
  const ports = [{ port: aim.port, protocol: aim.protocol }]
  const spaceOf = (policy: string): string => policy.split('/')[0] ?? ''
  const out = policyOut(world, from, aim.end, aim.port, aim.protocol)
  if (!out.allowed)
    return out.by.map((policy) => ({
      policy,
      opening: { side: 'egress', rule: { to: [peerOf(aim.end, spaceOf(policy))], ports } },
    }))
  const into = policyIn(world, from, aim.end, aim.port, aim.protocol)
  return into.allowed
    ? []
    : into.by.map((policy) => ({
        policy,
        opening: { side: 'ingress', rule: { from: [peerOf(from, spaceOf(policy))], ports } },
      }))
}

const policyRef = (key: string): Ref => {
  const [namespace = '', name = ''] = key.split('/')
  return refOf('NetworkPolicy', namespace, name)
}

const candidate = (
  policy: string,
  facts: readonly Fact[],
  about: Ref,
  opening?: PolicyOpening,
): Candidate => {
  const ref = policyRef(policy)
  const name = policy.split('/')[1] ?? policy
  return {
    cause: 'policy-blocks',
    about: ref,
    facts: [{ type: 'object', about: ref, at: null, text: name }, ...facts],
    chain: [
      { about: ref, says: facts[0]?.text ?? name },
      { about, says: facts.at(-1)?.text ?? name },
    ],
    ...(opening ? { opening } : {}),
  }
}

/** One candidate for each policy, with the lines it explains. */
function byPolicy(
  blocks: readonly (Block & { readonly fact: Fact })[],
  about: Ref,
): readonly Candidate[] {
  const blocking = new Map<string, { readonly opening: PolicyOpening; readonly facts: Fact[] }>()
  for (const { policy, opening, fact } of blocks) {
    const entry = blocking.get(policy) ?? { opening, facts: [] }
    if (!entry.facts.includes(fact)) entry.facts.push(fact)
    blocking.set(policy, entry)
  }
  return [...blocking].map(([policy, { opening, facts }]) =>
    candidate(policy, facts, about, opening),
  )
}

/** Policies that drop what the log of a pod waits for in vain. */
export function dropped(evidence: Evidence, pod: Json): readonly Candidate[] {
  const lines = evidence
    .linesOf(refOfObject(pod))
    .filter(({ text: line }) => isTimedOut(line) || isUnresolved(line))
  if (lines.length === 0) return []
  const world = policyWorld(evidence)
  const namespace = namespaceOf(pod)
  const end = world?.pods.get(`${namespace}/${text(record(pod['metadata'])['name'])}`)
  if (!world || !end) return []
  return byPolicy(
    lines.flatMap((fact) =>
      aimsOf(evidence, world, fact.text, namespace)
        .aims.flatMap((aim) => blockedBy(world, { pod: end }, aim))
        .map((block) => ({ ...block, fact })),
    ),
    refOfObject(pod),
  )
}

/** Policies that keep those from a service whose logs say so; or, where none says anything, everybody. */
export function kept(evidence: Evidence, service: Json): readonly Candidate[] {
  const world = policyWorld(evidence)
  if (!world) return []
  const ref = refOfObject(service)
  const asked = [...new Set(evidence.logs.map(({ from }) => from))].flatMap((from) => {
    const [kind, namespace = '', name = ''] = from.split('/')
    const end = kind === 'pod' ? world.pods.get(`${namespace}/${name}`) : undefined
    if (!end) return []
    return evidence
      .linesOf(from)
      .filter(({ text: line }) => isTimedOut(line))
      .flatMap((fact) => {
        const { service: of, aims } = aimsOf(evidence, world, fact.text, namespace)
        const isThis = of !== null && refOfObject(of) === ref
        return isThis
          ? aims
              .flatMap((aim) => blockedBy(world, { pod: end }, aim))
              .map((block) => ({ ...block, fact }))
          : []
      })
  })
  if (asked.length > 0) return byPolicy(asked, ref)
  const aims = targets(service, podsBehind(evidence, world, service), null)
  const closing = aims.map((aim) => closedBy(world, aim))
  return aims.length > 0 && closing.every((by) => by.length > 0)
    ? [...new Set(closing.flat())].map((policy) => candidate(policy, [], ref))
    : []
}

/** The policies that let nobody in at all. */
function closedBy(world: PolicyWorld, { end, port, protocol }: Aim): readonly string[] {
  if (!('pod' in end)) return []
  const outside = parseAddress('203.0.113.1')
  const callers: PolicyEnd[] = [...world.pods.values()]
    .filter((pod) => pod !== end.pod && !pod.finished)
    .map((pod) => ({ pod }))
  if (outside.ok) callers.push({ address: outside.value })
  const by = new Set<string>()
  for (const caller of callers) {
    const verdict = policyIn(world, caller, end, port, protocol)
    if (verdict.allowed) return []
    for (const policy of verdict.by) by.add(policy)
  }
  const opensBlocks = world.policies.some(
    (policy) =>
      policy.selects(end.pod) &&
      (policy.ingress ?? []).some((rule) => rule.peers?.some(({ block }) => block !== null)),
  )
  return opensBlocks ? [] : [...by]
}
