/** Why a pod waits, does not run, or is not ready: down to the lowest thing that its facts name. */
import { type Json, record, text } from '../objects'
import { type Candidate, type CauseCode, further, type Looked, nothing, together } from './causes'
import {
  containersOf,
  crashed,
  failedProbe,
  failedStart,
  ofNode,
  statusFact,
  waiting,
} from './containers'
import type { Happening } from './events'
import { conditionsOf, type Evidence, type Fact, type Ref, refOf, refOfObject } from './facts'
import {
  isUnresolved,
  mountCause,
  nodeLineCause,
  pullCause,
  restates,
  startCause,
} from './messages'
import { nodeCauses } from './nodes'
import { looked, own, status } from './own'
import { dropped } from './policies'
import { said } from './says'
import { stuckDeletion } from './stuck'
import { unscheduled } from './unmade'

/** Why volumes or the sandbox of a pod are not there yet. */
function preparing(
  evidence: Evidence,
  pod: Json,
  events: readonly Happening[],
): readonly Candidate[] {
  return events.flatMap(({ reason, message, fact }): readonly Candidate[] => {
    if (
      reason === 'FailedAttachVolume' ||
      reason === 'FailedMount' ||
      reason === 'FailedMapVolume'
    ) {
      const isVague =
        restates(reason, message) &&
        events.some((event) => event.fact !== fact && /Failed(?:Attach|Mount)/.test(event.reason))
      return isVague ? [] : [own(pod, mountCause(message), [fact])]
    }
    return reason === 'FailedCreatePodSandBox' ? sandbox(evidence, pod, message, fact) : []
  })
}

/** Why the sandbox of a pod was not made: its pause image, the runtime, its disk, or the network. */
function sandbox(evidence: Evidence, pod: Json, message: string, fact: Fact): readonly Candidate[] {
  const pull = /sandbox image|failed to pull/i.test(message) ? pullCause(message) : null
  const cause = pull ?? (/no space left/i.test(message) ? 'disk-full' : null)
  if (cause) return [ofNode(pod, cause, [fact])]
  if (nodeLineCause(message) === 'runtime-down') return [ofNode(pod, 'runtime-down', [fact])]
  if (!/network|cni|plugin/i.test(message)) return []
  const node = evidence.object(nodeRef(pod) ?? '')
  const lower = node
    ? nodeCauses(evidence, node).candidates.filter((each) => each.cause !== 'cordoned')
    : []
  return lower.length > 0
    ? further(looked(lower), { about: refOfObject(pod), says: message }).candidates.map((each) => ({
        ...each,
        facts: [...each.facts, fact],
      }))
    : [own(pod, 'sandbox-network', [fact])]
}

const nodeRef = (pod: Json): Ref | null => {
  const name = text(record(pod['spec'])['nodeName'])
  return name === '' ? null : refOf('Node', '', name)
}

/** Why a node agent did not take a pod that it was given. */
function rejection(reason: string, message: string): CauseCode | null {
  if (/^OutOf/.test(reason) || /didn't have enough resource/i.test(message)) return 'no-room'
  if (reason === 'NodeAffinity') return 'selector'
  return /imminent node shutdown|node is shutting down/i.test(message) ? 'machine-gone' : null
}

/** A pod that was ended, or whose node is not heard. */
function ended(evidence: Evidence, pod: Json): Looked {
  const reason = text(status(pod)['reason'])
  const message = text(status(pod)['message'])
  const fact = statusFact(pod, null, message === '' ? reason : message)
  if (reason === 'Evicted') {
    if (
      /exceeds? (?:the )?(?:total )?(?:limit|local)|local ephemeral storage (?:usage|limit)|emptydir/i.test(
        message,
      )
    )
      return looked([own(pod, 'own-storage-limit', [fact])])
    const node = evidence.object(nodeRef(pod) ?? '')
    const lower = node ? nodeCauses(evidence, node) : nothing
    const named = lower.candidates.filter(({ cause }) =>
      ['disk-full', 'memory-short', 'pids-short'].includes(cause),
    )
    return named.length > 0
      ? further(
          {
            ...lower,
            candidates: named.map((candidate) => ({
              ...candidate,
              facts: [...candidate.facts, fact],
            })),
          },
          { about: refOfObject(pod), says: fact.text },
        )
      : looked([own(pod, 'evicted-pressure', [fact])])
  }
  const rejected = rejection(reason, message)
  if (rejected) return looked([own(pod, rejected, [fact])])
  const node = evidence.object(nodeRef(pod) ?? '')
  const ready = node && conditionsOf(node).find(({ type }) => type === 'Ready')
  const isLost = reason === 'NodeLost' || ready?.status === 'Unknown'
  if (!isLost || !node)
    return reason === 'NodeLost' ? looked([own(pod, 'node-lost', [fact])]) : nothing
  const lower = nodeCauses(evidence, node)
  if (lower.candidates.length > 0)
    return further(lower, { about: refOfObject(pod), says: said('node.lost').says })
  return looked([
    own(pod, 'node-lost', [...(ready ? [ready.fact] : []), ...(reason === '' ? [] : [fact])]),
  ])
}

export const isWellPod = (pod: Json): boolean => {
  const { phase } = status(pod)
  if (phase === 'Succeeded') return true
  const isReady = conditionsOf(pod).some(
    ({ type, status: is }) => type === 'Ready' && is === 'True',
  )
  return (
    phase === 'Running' && isReady && record(pod['metadata'])['deletionTimestamp'] === undefined
  )
}

/** A pod that runs, and why it was started again within the hour; and what its log waits for behind a policy. */
function restarted(evidence: Evidence, pod: Json): Looked {
  const { current } = evidence.events(refOfObject(pod))
  const candidates = containersOf(pod).flatMap((container) => {
    const isTimed = !Number.isNaN(Date.parse(text(container.last['finishedAt'])))
    const candidate =
      container.restarts > 0 && isTimed ? crashed(evidence, pod, container, current) : null
    return candidate ? [candidate] : []
  })
  return looked(belowPolicies(evidence, pod, merged(candidates)))
}

/** What a pod does for want of an answer that a policy keeps from it. */
const forWant = new Set<CauseCode>([
  'crash',
  'init-failing',
  'name-not-resolved',
  'startup-probe',
  'liveness-probe',
  'readiness-probe',
])

/** Candidates behind the policies that bring them about, where there are such. */
function belowPolicies(
  evidence: Evidence,
  pod: Json,
  candidates: readonly Candidate[],
): readonly Candidate[] {
  const policies = dropped(evidence, pod)
  if (policies.length === 0) return candidates
  const brought = candidates.filter(({ cause }) => forWant.has(cause))
  return [
    ...policies.map((policy) => ({
      ...policy,
      facts: [...policy.facts, ...brought.flatMap(({ facts }) => facts)],
    })),
    ...candidates.map((each) => (brought.includes(each) ? { ...each, isLesser: true } : each)),
  ]
}

/** A probe that fails while its container runs; the name that is not resolved behind it, where the log says so. */
function probed(evidence: Evidence, pod: Json, events: readonly Happening[]): readonly Candidate[] {
  const probe = failedProbe(events, ['startup', 'liveness', 'readiness'])
  if (!probe) return []
  const line = evidence.linesOf(refOfObject(pod)).findLast(({ text: of }) => isUnresolved(of))
  const own_ = own(pod, probe.cause, [probe.fact])
  return line
    ? [own(pod, 'name-not-resolved', [line, probe.fact]), { ...own_, isLesser: true }]
    : [own_]
}

/** What a node that is not ready does to a pod of which nothing else is known. */
function ofItsNode(evidence: Evidence, pod: Json): Looked {
  const node = evidence.object(nodeRef(pod) ?? '')
  const ready = node && conditionsOf(node).find(({ type }) => type === 'Ready')
  if (!node || !ready || ready.status === 'True') return nothing
  const lower = nodeCauses(evidence, node)
  const candidates = lower.candidates.filter((each) => each.cause !== 'cordoned')
  return candidates.length > 0
    ? further({ ...lower, candidates }, { about: refOfObject(pod), says: said('node.lost').says })
    : looked([own(pod, 'node-lost', [ready.fact])])
}

/** All that the facts about a pod speak for. */
export function podCauses(evidence: Evidence, pod: Json): Looked {
  return evidence.once(`pod ${refOfObject(pod)}`, () => findPodCauses(evidence, pod))
}

function findPodCauses(evidence: Evidence, pod: Json): Looked {
  const { current, spent } = evidence.events(refOfObject(pod))
  const containers = containersOf(pod)
  if (isWellPod(pod)) return restarted(evidence, pod)
  const stuck = stuckDeletion(evidence, pod)
  const gone = ended(evidence, pod)
  if (gone.candidates.length > 0)
    return together(gone, {
      ...stuck,
      candidates: stuck.candidates.map((each) => ({ ...each, isLesser: true })),
    })
  if (stuck.candidates.length > 0) return stuck
  const isPlaced = nodeRef(pod) !== null
  const held = isPlaced ? nothing : unscheduled(evidence, pod)
  const troubled = containers.flatMap((container) => {
    const candidate = waiting(pod, container, current) ?? crashed(evidence, pod, container, current)
    return candidate ? [candidate] : []
  })
  const prepared = isPlaced ? preparing(evidence, pod, current) : []
  const unready = containers.some(({ isReady, isRunning }) => isRunning && !isReady)
  const probing = unready && troubled.length === 0 ? probed(evidence, pod, current) : []
  const told = troubled.length + prepared.length === 0 ? failedStart(pod, current) : null
  const all = [...troubled, ...prepared, ...probing, ...(told ? [told] : [])]
  const failing = containers.find((container) => container.isInit && !container.isReady)
  const initial =
    all.length === 0 && failing && isPlaced && text(failing.waiting['reason']) !== 'PodInitializing'
      ? initFailing(pod, current)
      : []
  const candidates = belowPolicies(evidence, pod, merged([...all, ...initial]))
  const ofNodes = candidates.length === 0 && isPlaced ? ofItsNode(evidence, pod) : nothing
  return together(held, ofNodes, {
    candidates,
    ruledOut: spent.flatMap((event) => overNow(event)),
    restating: [
      ...conditionsOf(pod).map(({ fact }) => fact),
      ...current
        .filter(({ reason, message, isWarning }) => !isWarning || restates(reason, message))
        .map(({ fact }) => fact),
    ],
  })
}

const initFailing = (pod: Json, events: readonly Happening[]): readonly Candidate[] => {
  const facts = events.filter(({ isWarning }) => isWarning).map(({ fact }) => fact)
  return facts.length === 0 ? [] : [own(pod, 'init-failing', facts)]
}

/** An event that is over, as a cause that is ruled out. */
function overNow({ reason, message }: Happening): Looked['ruledOut'] {
  const cause =
    (reason === 'FailedScheduling' ? 'no-room' : null) ??
    (/Failed(?:Mount|AttachVolume)/.test(reason) ? mountCause(message) : null) ??
    (reason === 'FailedCreatePodSandBox' ? 'sandbox-network' : null) ??
    pullCause(message) ??
    startCause(message)
  return cause ? [{ cause, says: said('fact.over', { text: message }).says }] : []
}

/** One candidate for each cause and object, with all facts that speak for it. */
function merged(candidates: readonly Candidate[]): readonly Candidate[] {
  const byKey = new Map<string, Candidate>()
  for (const candidate of candidates) {
    const key = `${candidate.cause} ${candidate.about}`
    const before = byKey.get(key)
    const texts = new Set(before?.facts.map(({ text: of }) => of))
    byKey.set(
      key,
      before
        ? {
            ...before,
            facts: [...before.facts, ...candidate.facts.filter(({ text: of }) => !texts.has(of))],
          }
        : candidate,
    )
  }
  return [...byKey.values()]
}
