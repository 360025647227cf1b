/** Why the API of a cluster does not answer, or not well: what its state store, its members and its own log tell. */
import { type Candidate, type CauseCode, type Looked } from './causes'
import type { Fact, Evidence, Ref } from './facts'
import { clusterCause, namesIn, refusalCause } from './messages'
import { webhookRef } from './unmade'

const controlPlane = /etcd|kube-apiserver|api-?server|control-?plane|state-?store/i

export function clusterCauses(evidence: Evidence): Looked {
  const facts: Fact[] = [
    ...[...new Set(evidence.logs.map(({ from }) => from))]
      .filter((from) => from === 'cluster' || controlPlane.test(from))
      .flatMap((from) => [...evidence.linesOf(from)]),
    ...evidence
      .toldOf()
      .filter((ref) => controlPlane.test(ref))
      .flatMap((ref) =>
        evidence
          .events(ref)
          .current.filter(({ isWarning }) => isWarning)
          .map(({ fact }) => fact),
      ),
  ]
  const byKey = new Map<CauseCode, Fact[]>()
  for (const fact of facts) {
    const cause = clusterCause(fact.text)
    if (cause) byKey.set(cause, [...(byKey.get(cause) ?? []), fact])
  }
  const about: Ref = 'cluster'
  const webhooks = evidence
    .toldOf()
    .flatMap((ref) => evidence.events(ref).current)
    .filter(({ message }) => refusalCause(message) === 'webhook-unreachable')
  const byHook = new Map<Ref, Fact[]>()
  for (const { message, fact } of webhooks) {
    const ref = webhookRef(evidence, namesIn.webhook(message))
    byHook.set(ref, [...(byHook.get(ref) ?? []), fact])
  }
  const candidateOf = (cause: CauseCode, ref: Ref, own: readonly Fact[]): Candidate => ({
    cause,
    about: ref,
    facts: own,
    chain: [
      { about: ref, says: own[0]?.text ?? cause },
      ...(ref === about ? [] : [{ about, says: own[0]?.text ?? cause }]),
    ],
  })
  return {
    candidates: [
      ...[...byKey].map(([cause, own]) => candidateOf(cause, about, own)),
      ...[...byHook].map(([ref, own]) => candidateOf('webhook-unreachable', ref, own)),
    ],
    ruledOut: [],
    restating: [],
  }
}
