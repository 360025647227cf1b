/** Why pods are not made, or find no node: what the API and the scheduler say. */
import { type Json, record, records } from '../objects'
import { type Candidate, type CauseCode, further, type Looked, nothing, together } from './causes'
import { conditionsOf, type Fact, type Evidence, type Ref, refOf, refOfObject } from './facts'
import { namesIn, refusalCause } from './messages'
import { nodeCauses } from './nodes'
import { looked, namespaceOf, own } from './own'
import { said } from './says'
import { webhookRef } from './webhook'
import { claimsIn, schedulingReasons } from './scheduling'

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
  if (
    reasons.length === 0 &&
    /persistentvolumeclaim|unbound|binding volumes|VolumeBinding/i.test(message)
  )
    return looked([claimCandidate(evidence, pod, message, facts)])
  const [farthest] = reasons
  return together(
    ...reasons.map((entry): Looked => {
      if (entry.cause === 'node') {
        const unwell = unwellNodes(evidence, pod, message, facts)
        if (entry === farthest) return unwell
        const lesser = unwell.candidates.map((each) => ({ ...each, isLesser: true }))
        return { ...unwell, candidates: lesser }
      }
      const candidate =
        entry.cause === 'claim-unbound'
          ? claimCandidate(evidence, pod, message, facts)
          : own(pod, entry.cause, facts, cordonedRef(evidence, entry.cause) ?? refOfObject(pod))
      return looked([entry === farthest ? candidate : { ...candidate, isLesser: true }])
    }),
  )
}

const claimCandidate = (
  evidence: Evidence,
  pod: Json,
  message: string,
  facts: readonly Fact[],
): Candidate => {
  const refs = claimsIn(message, pod).map((name) =>
    refOf('PersistentVolumeClaim', namespaceOf(pod), name),
  )
  const claim =
    refs.find((ref) => {
      const object = evidence.object(ref)
      return object !== undefined && record(object['status'])['phase'] !== 'Bound'
    }) ??
    refs.find((ref) => evidence.object(ref) === undefined) ??
    refs[0]
  if (claim === undefined) return own(pod, 'claim-unbound', facts)
  return own(pod, 'claim-unbound', [...claimFacts(evidence, claim), ...facts], claim)
}

/** What is told of a claim that is not bound. */
export const claimFacts = (evidence: Evidence, claim: Ref): readonly Fact[] =>
  evidence
    .events(claim)
    .current.filter(({ isWarning, reason }) => isWarning || reason === 'FailedBinding')
    .map(({ fact }) => fact)

/** Why a claim is not bound, where it should be: one that waits for its first pod is well. */
export function claimCauses(evidence: Evidence, claim: Json): Looked {
  const ref = refOfObject(claim)
  const phase = record(claim['status'])['phase']
  if (phase === 'Bound') return nothing
  const facts = claimFacts(evidence, ref)
  const waits = evidence.events(ref).current.some(({ reason }) => reason === 'WaitForFirstConsumer')
  if (facts.length === 0 && waits) return nothing
  return looked([own(claim, 'claim-unbound', facts)])
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

/** Nodes that a scheduler passes over for how they are: their own causes; what it says of them where none is known. */
function unwellNodes(
  evidence: Evidence,
  pod: Json,
  message: string,
  facts: readonly Fact[],
): Looked {
  const lower = evidence.once('nodes', () =>
    together(...evidence.ofKind('Node').map((node) => nodeCauses(evidence, node))),
  )
  const named = lower.candidates.filter(({ cause }) => cause !== 'cordoned')
  if (named.length === 0) return looked([own(pod, pressureIn(message) ?? 'node-lost', facts)])
  const all = further(
    { ...lower, candidates: named },
    { about: refOfObject(pod), says: said('pod.held').says },
  )
  return {
    ...all,
    candidates: all.candidates.map((candidate) => ({
      ...candidate,
      facts: [...candidate.facts, ...facts],
    })),
  }
}

function pressureIn(message: string): CauseCode | null {
  if (/disk-?\s?pressure|out of disk/i.test(message)) return 'disk-full'
  if (/memory-?\s?pressure/i.test(message)) return 'memory-short'
  return /pid-?\s?pressure/i.test(message) ? 'pids-short' : null
}
