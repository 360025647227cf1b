/** Why the API of a cluster does not answer, or not well: what its state store, its members and its own log tell. */
import { type Json, record, text } from '../objects'
import { type Candidate, type CauseCode, type Looked } from './causes'
import { conditionsOf, type Fact, type Evidence, type Ref, refOfObject } from './facts'
import { clusterCause, clusterWellAgain, namesIn, refusalCause } from './messages'
import { webhookRef } from './webhook'

const controlPlane =
  /etcd|api-?server|control-?plane|controller-?manager|kube-scheduler|state-?store/i
/** Lines about the state store, whoever wrote them. */
const ofStore = /etcd|\braft|mvcc|NOSPACE/i

/** Lines of the control plane’s logs that nothing later in the same log shows to be over. */
function lineFacts(evidence: Evidence): readonly Fact[] {
  return [...new Set(evidence.logs.map(({ from }) => from))].flatMap((from) => {
    const isOwn = from === 'cluster' || controlPlane.test(from)
    const lines = evidence.linesOf(from).filter(({ text: line }) => isOwn || ofStore.test(line))
    const over = new Set<CauseCode>()
    const current: Fact[] = []
    for (const fact of lines.toReversed()) {
      for (const cause of clusterWellAgain(fact.text)) over.add(cause)
      const cause = clusterCause(fact.text)
      if (cause && !over.has(cause)) current.push(fact)
    }
    return current.reverse()
  })
}

const eventFacts = (evidence: Evidence): readonly Fact[] =>
  evidence
    .toldOf()
    .filter((ref) => controlPlane.test(ref))
    .flatMap((ref) =>
      evidence
        .events(ref)
        .current.filter(({ isWarning }) => isWarning)
        .map(({ fact }) => fact),
    )

const isStoreMember = (pod: Json): boolean => {
  const metadata = record(pod['metadata'])
  return record(metadata['labels'])['component'] === 'etcd' || /^etcd-/.test(text(metadata['name']))
}

/** Members of the state store that are not ready, by their pods: so many that it has no quorum, or fewer. */
function memberFacts(evidence: Evidence): readonly (readonly [CauseCode, Fact])[] {
  const members = evidence.ofKind('Pod').filter(isStoreMember)
  const silent = members.flatMap((pod): readonly Fact[] => {
    const ready = conditionsOf(pod).find(({ type }) => type === 'Ready')
    return ready && ready.status !== 'True' ? [{ ...ready.fact, about: refOfObject(pod) }] : []
  })
  const quorum = Math.floor(members.length / 2) + 1
  const cause = members.length - silent.length < quorum ? 'quorum-lost' : 'member-down'
  return silent.map((fact) => [cause, fact] as const)
}

/** What brings others about in a state store. */
const explains: Partial<Record<CauseCode, readonly CauseCode[]>> = {
  'quorum-lost': ['member-down', 'store-slow', 'api-overloaded'],
  'store-full': ['store-slow'],
  'store-slow': ['api-overloaded'],
}

/** A request that took long says little by itself: any state store has one now and then. */
const isWeak = (line: string): boolean =>
  /took too long|request timed out/i.test(line) && !/heartbeat|fdatasync|slow disk/i.test(line)
const fewestWeak = 3

export function clusterCauses(evidence: Evidence): Looked {
  const byCause = new Map<CauseCode, Fact[]>()
  const byHook = new Map<Ref, Fact[]>()
  const add = <K>(to: Map<K, Fact[]>, key: K, fact: Fact): void => {
    to.set(key, [...(to.get(key) ?? []), fact])
  }
  for (const fact of [...lineFacts(evidence), ...eventFacts(evidence)]) {
    const cause = clusterCause(fact.text)
    if (cause === 'webhook-unreachable')
      add(byHook, webhookRef(evidence, namesIn.webhook(fact.text)), fact)
    else if (cause) add(byCause, cause, fact)
  }
  const slow = byCause.get('store-slow') ?? []
  if (slow.length < fewestWeak && slow.every(({ text: line }) => isWeak(line)))
    byCause.delete('store-slow')
  for (const [cause, fact] of memberFacts(evidence)) add(byCause, cause, fact)
  for (const ref of evidence.toldOf())
    for (const { message, fact } of evidence.events(ref).current)
      if (!controlPlane.test(ref) && refusalCause(message) === 'webhook-unreachable')
        add(byHook, webhookRef(evidence, namesIn.webhook(message)), fact)
  const about: Ref = 'cluster'
  const candidateOf = (cause: CauseCode, ref: Ref, own: readonly Fact[]): Candidate => {
    const says = own[0]?.text ?? cause
    return {
      cause,
      about: ref,
      facts: own,
      chain: [{ about: ref, says }, ...(ref === about ? [] : [{ about, says }])],
    }
  }
  return {
    candidates: [
      ...[...byCause].map(([cause, own]) => ({
        ...candidateOf(cause, about, [
          ...own,
          ...(explains[cause] ?? []).flatMap((lower) => byCause.get(lower) ?? []),
        ]),
        ...([...byCause.keys()].some((higher) => explains[higher]?.includes(cause))
          ? { isLesser: true }
          : {}),
      })),
      ...[...byHook].map(([ref, own]) => candidateOf('webhook-unreachable', ref, own)),
    ],
    ruledOut: [],
    restating: [],
  }
}
