/** Why pods are not made, or find no node: what the API and the scheduler say. */
import { type Json, record, records } from '../objects'
import { type Candidate, type CauseCode, further, type Looked, nothing, together } from './causes'
import { conditionsOf, type Fact, type Evidence, type Ref, refOf, refOfObject } from './facts'
import { namesIn, refusalCause } from './messages'
import { nodeCauses } from './nodes'
import { looked, namespaceOf, own } from './own'
import { said } from './says'
import { claimIn, schedulingReasons } from './scheduling'

/** The configuration of the webhook with a name; the webhook itself where none is listed. */
export function webhookRef(evidence: Evidence, name: string | null): Ref {
  for (const kind of ['ValidatingWebhookConfiguration', 'MutatingWebhookConfiguration'])
    for (const configuration of evidence.ofKind(kind))
      if (records(configuration['webhooks']).some((webhook) => webhook['name'] === name))
        return refOfObject(configuration)
  return refOf('ValidatingWebhookConfiguration', '', name ?? 'unknown')
}

/** Why the API refused pods of an owner, by what it told of them. */
export function refusedPods(evidence: Evidence, owner: Json): Looked {
  const ref = refOfObject(owner)
  const { current } = evidence.events(ref)
  const conditions = conditionsOf(owner).filter(
    ({ type, status: is }) =>
      (type === 'ReplicaFailure' || type === 'FailedCreate') && is === 'True',
  )
  const told = [
    ...current
      .filter(({ reason }) => reason === 'FailedCreate' || reason === 'FailedCreatePod')
      .map(({ message, fact }) => ({ message, fact })),
    ...conditions.map(({ message, fact }) => ({ message, fact })),
  ]
  const candidates = told.flatMap(({ message, fact }): readonly Candidate[] => {
    const cause = refusalCause(message)
    if (!cause) return []
    const about = refuserOf(evidence, cause, message, namespaceOf(owner)) ?? ref
    return [
      {
        cause,
        about,
        facts: [fact],
        chain: [
          { about, says: message },
          ...(about === ref ? [] : [{ about: ref, says: said('pods.refused').says }]),
        ],
      },
    ]
  })
  return looked(candidates)
}

function refuserOf(
  evidence: Evidence,
  cause: CauseCode,
  message: string,
  namespace: string,
): Ref | null {
  if (cause === 'quota') {
    const name = namesIn.quota(message)
    return name === null ? null : refOf('ResourceQuota', namespace, name)
  }
  return cause.startsWith('webhook') ? webhookRef(evidence, namesIn.webhook(message)) : null
}

/** Why a scheduler found no node. */
export function unscheduled(evidence: Evidence, pod: Json): Looked {
  const condition = conditionsOf(pod).find(
    ({ type, status: is }) => type === 'PodScheduled' && is === 'False',
  )
  const events = evidence
    .events(refOfObject(pod))
    .current.filter(({ reason }) => reason === 'FailedScheduling')
  const gates = records(record(pod['spec'])['schedulingGates'])
  if (condition?.reason === 'SchedulingGated' || (gates.length > 0 && !condition))
    return looked([own(pod, 'gated', condition ? [condition.fact] : [])])
  const facts = [...(condition ? [condition.fact] : []), ...events.map(({ fact }) => fact)]
  const message = events.at(-1)?.message ?? condition?.message ?? ''
  if (facts.length === 0) return nothing
  if (/no nodes available|^0\/0 nodes/i.test(message)) return looked([own(pod, 'no-nodes', facts)])
  const reasons = schedulingReasons(message, pod)
  if (reasons.length === 0 && /persistentvolumeclaim|unbound/i.test(message))
    return looked([claimCandidate(pod, message, facts)])
  const [farthest] = reasons
  return together(
    ...reasons.map((entry): Looked => {
      if (entry.cause === 'node') return unwellNodes(evidence, pod, facts)
      const candidate =
        entry.cause === 'claim-unbound'
          ? claimCandidate(pod, message, facts)
          : own(pod, entry.cause, facts, cordonedRef(evidence, entry.cause) ?? refOfObject(pod))
      return looked([entry === farthest ? candidate : { ...candidate, isLesser: true }])
    }),
  )
}

const claimCandidate = (pod: Json, message: string, facts: readonly Fact[]): Candidate => {
  const claim = claimIn(message, pod)
  const about =
    claim === null ? refOfObject(pod) : refOf('PersistentVolumeClaim', namespaceOf(pod), claim)
  return own(pod, 'claim-unbound', facts, about)
}

/** The node that was closed, where only one is. */
function cordonedRef(evidence: Evidence, cause: string): Ref | null {
  if (cause !== 'cordoned') return null
  const closed = evidence
    .ofKind('Node')
    .filter((node) => record(node['spec'])['unschedulable'] === true)
  const [node] = closed
  return node && closed.length === 1 ? refOfObject(node) : null
}

/** Nodes that a scheduler passes over for how they are: their own causes. */
function unwellNodes(evidence: Evidence, pod: Json, facts: readonly Fact[]): Looked {
  const nodes = evidence.ofKind('Node').map((node) => nodeCauses(evidence, node))
  const all = further(together(...nodes), {
    about: refOfObject(pod),
    says: said('pod.held').says,
  })
  return {
    ...all,
    candidates: all.candidates.map((candidate) => ({
      ...candidate,
      facts: [...candidate.facts, ...facts],
    })),
  }
}
