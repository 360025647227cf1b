/** Why a node is not well: down to what its conditions, events, logs and agents name. */
import { type Json, record, records, text } from '../objects'
import { type Candidate, type CauseCode, type Looked, nothing } from './causes'
import {
  type Condition,
  conditionsOf,
  type Fact,
  type Evidence,
  type Ref,
  refOfObject,
} from './facts'
import {
  namesIn,
  nodeEventCause,
  nodeLineCause,
  pullCause,
  refusalCause,
  restates,
  wellAgain,
} from './messages'
import { withWay } from './ways'
import { webhookRef } from './webhook'

const pressures: Readonly<Record<string, CauseCode>> = {
  MemoryPressure: 'memory-short',
  DiskPressure: 'disk-full',
  PIDPressure: 'pids-short',
  NetworkUnavailable: 'network-plugin-broken',
}

const candidate = (
  node: Json,
  cause: CauseCode,
  facts: readonly Fact[],
  about?: Ref,
): Candidate => {
  const ref = refOfObject(node)
  return {
    cause,
    about: about ?? ref,
    facts,
    chain: [
      { about: about ?? ref, says: facts[0]?.text ?? cause },
      ...(about === undefined || about === ref
        ? []
        : [{ about: ref, says: facts.at(-1)?.text ?? cause }]),
    ],
  }
}

/** Whether a pod, by its name and spec, is an agent of the pod network: it writes the plug-in’s files onto its node. */
const isNetworkAgent = (name: string, spec: Json): boolean =>
  /cni|network/i.test(name) ||
  records(spec['volumes']).some((volume) =>
    /\/cni(?:\/|$)/.test(text(record(volume['hostPath'])['path'])),
  )

/** Agents of the pod network: those on the node, and the daemon sets that make them. */
function networkAgents(
  evidence: Evidence,
  node: Json,
): { readonly pods: readonly Json[]; readonly owners: readonly Json[] } {
  const nameOf = (object: Json): string => text(record(object['metadata'])['name'])
  return {
    pods: evidence
      .podsOn(nameOf(node))
      .filter((pod) => isNetworkAgent(nameOf(pod), record(pod['spec']))),
    owners: evidence
      .ofKind('DaemonSet')
      .filter((set) =>
        isNetworkAgent(nameOf(set), record(record(record(set['spec'])['template'])['spec'])),
      ),
  }
}

/** What refused the pods of the pod network, where the API told of it. */
function refusedNetwork(evidence: Evidence, node: Json, fact: Fact): Candidate | null {
  for (const owner of networkAgents(evidence, node).owners) {
    const ref = refOfObject(owner)
    const refused = evidence
      .events(ref)
      .current.find(({ message }) =>
        ['webhook-unreachable', 'webhook-refuses'].includes(refusalCause(message) ?? ''),
      )
    if (!refused) continue
    const about = webhookRef(evidence, namesIn.webhook(refused.message))
    return {
      cause: 'webhook-blocks-system-pods',
      about,
      facts: [refused.fact, fact],
      chain: [
        { about, says: refused.message },
        { about: ref, says: refused.message },
        { about: refOfObject(node), says: fact.text },
      ],
    }
  }
  return null
}

/** What an agent of the pod network on the node suffers from. */
function agentCause(evidence: Evidence, node: Json, pod: Json, fact: Fact): Candidate | null {
  const ref = refOfObject(pod)
  const warnings = evidence.events(ref).current.filter(({ isWarning }) => isWarning)
  const containers = records(record(pod['status'])['containerStatuses'])
  const waiting = containers.map((container) => record(record(container['state'])['waiting']))
  const told = [
    ...warnings.map(({ message }) => message),
    ...waiting.map((state) => text(state['message'])),
  ]
  const isPulling = waiting.some(({ reason }) => /ImagePull/.test(text(reason)))
  const pull = told.some((message) => /pull/i.test(message) && pullCause(message) !== null)
  const facts = [...warnings.map((event) => event.fact), fact]
  if (pull || isPulling) return candidate(node, 'registry-unreachable', facts, ref)
  const reach = evidence
    .linesOf(ref)
    .findLast(({ text: line }) => nodeLineCause(line) === 'api-unreachable')
  if (reach) return withWay(candidate(node, 'api-unreachable', [reach, fact]), node, evidence.world)
  const crash = waiting.find(({ reason }) => reason === 'CrashLoopBackOff')
  const ended = containers
    .map((container) => record(record(container['lastState'])['terminated']))
    .find((state) => text(state['reason']) !== '')
  if (!crash && !ended) return null
  const last: Fact = {
    type: 'status',
    about: ref,
    at: text(ended?.['finishedAt']) || null,
    text:
      [text(ended?.['reason']), text(ended?.['message'])]
        .filter((part) => part !== '')
        .join(': ') ||
      text(crash?.['message']) ||
      'CrashLoopBackOff',
  }
  return candidate(node, 'network-plugin-broken', [last, ...facts])
}

/** What keeps the pod network of a node from starting. */
function networkCause(evidence: Evidence, node: Json, fact: Fact): Candidate {
  const refused = refusedNetwork(evidence, node, fact)
  if (refused) return refused
  for (const pod of networkAgents(evidence, node).pods) {
    const cause = agentCause(evidence, node, pod, fact)
    if (cause) return cause
  }
  return { ...candidate(node, 'network-plugin-broken', [fact]), isInferred: true }
}

/** Causes that bring others about: what speaks for those is explained by these. */
const explains: Partial<Record<CauseCode, readonly CauseCode[]>> = {
  'machine-gone': ['agent-stopped', 'api-unreachable', 'runtime-down'],
  'disk-full': ['agent-stopped'],
  'clock-off': ['certificate-expired', 'api-unreachable', 'agent-stopped'],
  'certificate-expired': ['api-unreachable', 'agent-stopped'],
  'runtime-down': ['agent-stopped'],
}

/** Candidates of a node by their facts, each with those of what it brings about; what is brought about comes after. */
function byFacts(node: Json, facts: ReadonlyMap<CauseCode, readonly Fact[]>): readonly Candidate[] {
  return [...facts].map(([cause, own]) => {
    const brought = (explains[cause] ?? []).flatMap((lower) => facts.get(lower) ?? [])
    const isBrought = [...facts.keys()].some((higher) => explains[higher]?.includes(cause))
    return {
      ...candidate(node, cause, [...own, ...brought]),
      ...(isBrought ? { isLesser: true } : {}),
    }
  })
}

/** Facts of a log by what they tell of its node, without those that a later line shows to be over. */
function logFacts(lines: readonly Fact[]): readonly (readonly [CauseCode, Fact])[] {
  const result: (readonly [CauseCode, Fact])[] = []
  const well = new Set<CauseCode>()
  for (const fact of lines.toReversed()) {
    for (const cause of wellAgain(fact.text)) well.add(cause)
    const cause = nodeLineCause(fact.text)
    if (cause && !well.has(cause)) result.push([cause, fact])
  }
  return result.reverse()
}

/** What a node’s taint, conditions, events and services tell. */
function ownFacts(
  evidence: Evidence,
  node: Json,
  conditions: readonly Condition[],
): ReadonlyMap<CauseCode, readonly Fact[]> {
  const ref = refOfObject(node)
  const byCause = new Map<CauseCode, Fact[]>()
  const add = (cause: CauseCode, fact: Fact): void => {
    const facts = byCause.get(cause) ?? []
    if (!facts.some((each) => each.text === fact.text && each.type === fact.type)) facts.push(fact)
    byCause.set(cause, facts)
  }
  for (const { type, status, fact } of conditions) {
    const cause = pressures[type]
    if (cause && status === 'True') add(cause, fact)
  }
  const ready = conditions.find(({ type }) => type === 'Ready')
  const isReady = ready?.status === 'True'
  const isPressed = byCause.size > 0
  for (const taint of records(record(node['spec'])['taints']))
    if (taint['key'] === 'node.cloudprovider.kubernetes.io/shutdown')
      add('machine-gone', {
        type: 'object',
        about: ref,
        at: text(taint['timeAdded']) || null,
        text: text(taint['key']),
      })
  if (isReady && !isPressed) return byCause
  for (const { reason, message, isWarning, fact } of evidence.events(ref).current) {
    const cause = nodeEventCause(reason, message)
    const isPressure = cause !== null && Object.values(pressures).includes(cause)
    if (!cause || (!isWarning && cause !== 'machine-gone' && !isPressure)) continue
    if (isReady ? byCause.has(cause) : !isPressure || byCause.has(cause) || isWarning)
      add(cause, fact)
  }
  if (isReady) return byCause
  for (const [cause, fact] of logFacts(evidence.linesOf(ref))) add(cause, fact)
  const runtime =
    /container runtime (?:is down|status check)|PLEG is not healthy|runtime network not ready.*runtime is down|rpc error.*(?:containerd|crio|docker)/i
  if (ready && runtime.test(ready.message)) add('runtime-down', ready.fact)
  if (ready && /node is shutting down/i.test(ready.message)) add('machine-gone', ready.fact)
  return byCause
}

const isNetworkMissing = ({ message, reason }: Condition): boolean =>
  /network ?plugin|cni|NetworkPluginNotReady|network not ready/i.test(message) ||
  reason === 'NetworkNotReady'

/** All that the facts about a node speak for. */
export const nodeCauses = (evidence: Evidence, node: Json): Looked =>
  evidence.once(`node ${refOfObject(node)}`, () => findNodeCauses(evidence, node))

function findNodeCauses(evidence: Evidence, node: Json): Looked {
  const conditions = conditionsOf(node)
  const ref = refOfObject(node)
  const ready = conditions.find(({ type }) => type === 'Ready')
  const closed = isCordoned(node)
    ? [
        candidate(node, 'cordoned', [
          { type: 'object', about: ref, at: null, text: 'unschedulable: true' },
        ]),
      ]
    : []
  const candidates = byFacts(node, ownFacts(evidence, node, conditions)).map((each) =>
    withWay(each, node, evidence.world),
  )
  if (!ready || ready.status === 'True')
    return candidates.length + closed.length === 0
      ? nothing
      : { candidates: [...candidates, ...closed], ruledOut: [], restating: [] }
  const isExplained = candidates.some(({ cause }) => !Object.values(pressures).includes(cause))
  const network =
    isNetworkMissing(ready) && !isExplained ? [networkCause(evidence, node, ready.fact)] : []
  return {
    candidates: [...candidates, ...network, ...closed],
    ruledOut: [],
    restating: [
      ...conditions
        .filter(({ type, status }) => type === 'Ready' || status !== 'True')
        .map(({ fact }) => fact),
      ...evidence
        .events(ref)
        .current.filter(({ reason, message, isWarning }) => !isWarning || restates(reason, message))
        .map(({ fact }) => fact),
    ],
  }
}

export const isCordoned = (node: Json): boolean => record(node['spec'])['unschedulable'] === true

export const isWellNode = (node: Json): boolean =>
  conditionsOf(node).every(({ type, status }) =>
    type === 'Ready' ? status === 'True' : status !== 'True' || pressures[type] === undefined,
  ) && !isCordoned(node)
