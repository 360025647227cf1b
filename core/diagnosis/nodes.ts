/** Why a node is not well: down to what its conditions, events, logs and agents name. */
import { type Json, record, records, text } from '../objects'
import { type Candidate, type CauseCode, type Looked, nothing } from './causes'
import { conditionsOf, type Fact, type Evidence, type Ref, refOfObject } from './facts'
import { nodeLineCause, pullCause, refusalCause, restates } from './messages'

const pressures: Readonly<Record<string, CauseCode>> = {
  MemoryPressure: 'memory-short',
  DiskPressure: 'disk-full',
  PIDPressure: 'pids-short',
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

/** What keeps the pod network of a node from starting. */
function networkCause(evidence: Evidence, node: Json, fact: Fact): readonly Candidate[] {
  const { pods, owners } = networkAgents(evidence, node)
  for (const owner of owners) {
    const refused = evidence
      .events(refOfObject(owner))
      .current.find(({ message }) =>
        ['webhook-unreachable', 'webhook-refuses'].includes(refusalCause(message) ?? ''),
      )
    if (!refused) continue
    const name = /webhook "([^"]+)"/i.exec(refused.message)?.[1]
    const configuration = ['ValidatingWebhookConfiguration', 'MutatingWebhookConfiguration']
      .flatMap((kind) => evidence.ofKind(kind))
      .find((each) => records(each['webhooks']).some((webhook) => webhook['name'] === name))
    const about = configuration ? refOfObject(configuration) : refOfObject(owner)
    return [
      {
        cause: 'webhook-blocks-system-pods',
        about,
        facts: [refused.fact, fact],
        chain: [
          { about, says: refused.message },
          { about: refOfObject(owner), says: refused.message },
          { about: refOfObject(node), says: fact.text },
        ],
      },
    ]
  }
  for (const pod of pods) {
    const { current } = evidence.events(refOfObject(pod))
    const waiting = records(record(pod['status'])['containerStatuses']).map((container) =>
      record(record(container['state'])['waiting']),
    )
    const told = [
      ...current.map(({ message }) => message),
      ...waiting.map((state) => text(state['message'])),
    ]
    const pull = told.find((message) => /pull/i.test(message) && pullCause(message) !== null)
    const facts = [...current.filter(({ isWarning }) => isWarning).map((event) => event.fact), fact]
    if (pull !== undefined)
      return [candidate(node, 'registry-unreachable', facts, refOfObject(pod))]
    const reach = [...evidence.linesOf(refOfObject(pod))].findLast(
      ({ text: line }) => nodeLineCause(line) === 'api-unreachable',
    )
    if (reach) return [candidate(node, 'api-unreachable', [reach, fact])]
  }
  return [candidate(node, 'network-plugin-broken', [fact])]
}

/** Candidates out of the lines and events that tell of a node’s services. */
function serviceCauses(evidence: Evidence, node: Json): readonly Candidate[] {
  const ref = refOfObject(node)
  const { current } = evidence.events(ref)
  const told = [
    ...evidence.linesOf(ref).map((fact) => ({ message: fact.text, fact })),
    ...current.filter(({ isWarning }) => isWarning).map(({ message, fact }) => ({ message, fact })),
  ]
  const byCause = new Map<CauseCode, Fact[]>()
  for (const { message, fact } of told) {
    const cause = nodeLineCause(message)
    if (cause) byCause.set(cause, [...(byCause.get(cause) ?? []), fact])
  }
  const gone = current.find(
    ({ reason, message }) =>
      /DeletingNode|NodeShutdown|Shutdown|PreemptScheduled|TerminatingInstance/.test(reason) ||
      /does not exist in (?:the )?cloud provider|instance .*(?:terminated|stopped)|machine .*(?:is gone|deleted)/i.test(
        message,
      ),
  )
  return [
    ...(gone ? [candidate(node, 'machine-gone', [gone.fact])] : []),
    ...[...byCause].map(([cause, facts]) => candidate(node, cause, facts)),
  ]
}

/** All that the facts about a node speak for. */
export function nodeCauses(evidence: Evidence, node: Json): Looked {
  const conditions = conditionsOf(node)
  const ref = refOfObject(node)
  const ready = conditions.find(({ type }) => type === 'Ready')
  const isReady = ready?.status === 'True'
  const pressed = conditions.flatMap(({ type, status, fact }) => {
    const cause = pressures[type]
    return cause && status === 'True' ? [candidate(node, cause, [fact])] : []
  })
  const isClosed = record(node['spec'])['unschedulable'] === true
  const closed = isClosed
    ? [
        candidate(node, 'cordoned', [
          { type: 'object', about: ref, at: null, text: 'unschedulable: true' },
        ]),
      ]
    : []
  if (isReady || !ready)
    return pressed.length + closed.length === 0
      ? nothing
      : { candidates: [...pressed, ...closed], ruledOut: [], restating: [] }
  const services = serviceCauses(evidence, node)
  const message = ready.message
  const isRuntime =
    /container runtime (?:is down|status check)|PLEG is not healthy|runtime network not ready.*runtime is down|rpc error.*(?:containerd|crio|docker)/i.test(
      message,
    )
  const isNetwork =
    /network ?plugin|cni|NetworkPluginNotReady|network not ready/i.test(message) ||
    ready.reason === 'NetworkNotReady'
  const runtime =
    isRuntime && !services.some(({ cause }) => cause === 'runtime-down')
      ? [candidate(node, 'runtime-down', [ready.fact])]
      : []
  const network =
    isNetwork && !isRuntime && services.length === 0 ? networkCause(evidence, node, ready.fact) : []
  return {
    candidates: [...services, ...runtime, ...network, ...pressed, ...closed],
    ruledOut: [],
    restating: [
      ...conditions.filter(({ type }) => type === 'Ready').map(({ fact }) => fact),
      ...conditions
        .filter(({ type, status }) => type !== 'Ready' && status !== 'True')
        .map(({ fact }) => fact),
      ...evidence
        .events(ref)
        .current.filter(
          ({ reason, message: told, isWarning }) => !isWarning || restates(reason, told),
        )
        .map(({ fact }) => fact),
    ],
  }
}

export const isWellNode = (node: Json): boolean =>
  conditionsOf(node).every(({ type, status }) =>
    type === 'Ready' ? status === 'True' : status !== 'True',
  ) && record(node['spec'])['unschedulable'] !== true
