/** Why a pod waits, does not run, or is not ready: down to the lowest thing that its facts name. */
import { type Json, record, records, text } from '../objects'
import { type Candidate, type CauseCode, further, type Looked, nothing, together } from './causes'
import {
  conditionsOf,
  type Fact,
  type Happening,
  type Evidence,
  type Ref,
  refOf,
  refOfObject,
} from './facts'
import { mountCause, pullCause, restates, startCause } from './messages'
import { nodeCauses } from './nodes'
import { looked, own, status } from './own'
import { said } from './says'
import { unscheduled } from './unmade'

/** What is told of a container: its status, and that it was before. */
interface ContainerState {
  readonly name: string
  readonly isInit: boolean
  readonly waiting: Json
  readonly last: Json
  readonly terminated: Json
  readonly isReady: boolean
  readonly isRunning: boolean
  readonly restarts: number
}

const containersOf = (pod: Json): readonly ContainerState[] =>
  (['initContainerStatuses', 'containerStatuses'] as const).flatMap((field) =>
    records(status(pod)[field]).map((container) => {
      const state = record(container['state'])
      return {
        name: text(container['name']),
        isInit: field === 'initContainerStatuses',
        waiting: record(state['waiting']),
        terminated: record(state['terminated']),
        last: record(record(container['lastState'])['terminated']),
        isReady: container['ready'] === true,
        isRunning: state['running'] !== undefined,
        restarts: Number(container['restartCount'] ?? 0),
      }
    }),
  )

const statusFact = (pod: Json, at: unknown, says: string): Fact => ({
  type: 'status',
  about: refOfObject(pod),
  at: text(at) === '' ? null : text(at),
  text: says,
})

const hourMs = 3_600_000

/** A container that ended badly, within the hour. */
function endedBadly(evidence: Evidence, container: ContainerState): Json | null {
  const ended = text(container.terminated['reason']) === '' ? container.last : container.terminated
  const at = Date.parse(text(ended['finishedAt']))
  if (Object.keys(ended).length === 0) return null
  if (!Number.isNaN(at) && evidence.now - at > hourMs) return null
  return text(ended['reason']) === 'Completed' && Number(ended['exitCode'] ?? 0) === 0
    ? null
    : ended
}

/** Which probe failed, by the latest event that names one. */
function failedProbe(
  events: readonly Happening[],
): { readonly cause: CauseCode; readonly fact: Fact } | null {
  const event = events.findLast(
    ({ reason, message }) => reason === 'Unhealthy' || /probe failed/i.test(message),
  )
  const kind = /(startup|liveness|readiness) probe/i.exec(event?.message ?? '')?.[1]?.toLowerCase()
  return event && kind !== undefined
    ? { cause: `${kind}-probe` as CauseCode, fact: event.fact }
    : null
}

/** Why a container that was started ended. */
function crashed(
  evidence: Evidence,
  pod: Json,
  container: ContainerState,
  events: readonly Happening[],
): Candidate | null {
  const ended = endedBadly(evidence, container)
  const isLooping = text(container.waiting['reason']) === 'CrashLoopBackOff'
  if (!ended && !isLooping) return null
  const message = text(ended?.['message'])
  const reason = text(ended?.['reason'])
  const code = Number(ended?.['exitCode'] ?? 1)
  const fact = statusFact(
    pod,
    ended?.['finishedAt'],
    [reason, message].filter((part) => part !== '').join(': ') ||
      text(container.waiting['message']),
  )
  if (reason === 'OOMKilled') return own(pod, 'memory-killed', [fact])
  const hook = events.find(({ reason: of }) => /Failed(?:PostStart|PreStop)Hook/.test(of))
  if (hook) return own(pod, 'hook-failed', [hook.fact, fact])
  const probe = failedProbe(events)
  if (probe && probe.cause !== 'readiness-probe') return own(pod, probe.cause, [probe.fact, fact])
  const lines = evidence.linesOf(refOfObject(pod))
  const line = lines.findLast(({ text: said_ }) => startCause(said_) !== null)
  const plain = startCause(message) ?? (line ? startCause(line.text) : null) ?? byExit(code)
  // Of an init container nothing lower is known then.
  const cause = plain === 'crash' && container.isInit ? 'init-failing' : plain
  const resolving = lines.findLast(({ text: line_ }) =>
    /no such host|could not resolve|name resolution|server misbehaving/i.test(line_),
  )
  if (cause === 'crash' && resolving) return own(pod, 'name-not-resolved', [resolving, fact])
  return own(pod, cause, [fact, ...(line ? [line] : [])])
}

function byExit(code: number): CauseCode {
  if (code === 126) return 'not-executable'
  return code === 127 ? 'command-missing' : 'crash'
}

/** Why a container has not been started. */
function waiting(
  pod: Json,
  container: ContainerState,
  events: readonly Happening[],
): Candidate | null {
  const reason = text(container.waiting['reason'])
  const message = text(container.waiting['message'])
  const fact = statusFact(pod, null, message === '' ? reason : message)
  if (reason === 'InvalidImageName') return own(pod, 'image-name-invalid', [fact])
  if (reason === 'ErrImageNeverPull') return own(pod, 'image-missing', [fact])
  if (/ImagePull|ImageInspect|RegistryUnavailable|SignatureValidation/.test(reason)) {
    const pulls = events.filter(
      ({ message: told }) => pullCause(told) !== null && /pull|image/i.test(told),
    )
    const cause = pulls.map(({ message: told }) => pullCause(told)).at(-1) ?? pullCause(message)
    const facts = [
      ...pulls.map((event) => event.fact),
      ...(pullCause(message) === null ? [] : [fact]),
    ]
    return cause ? own(pod, cause, facts.length === 0 ? [fact] : facts) : null
  }
  if (/CreateContainer|RunContainer|StartError|ContainerCannotRun/.test(reason)) {
    const cause = startCause(message)
    return cause ? own(pod, cause, [fact]) : null
  }
  return null
}

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
    if (reason !== 'FailedCreatePodSandBox') return []
    if (/no space left/i.test(message))
      return [own(pod, 'disk-full', [fact], nodeRef(pod) ?? refOfObject(pod))]
    if (!/network|cni|plugin/i.test(message)) return []
    const node = evidence.object(nodeRef(pod) ?? '')
    const lower = node ? nodeCauses(evidence, node).candidates : []
    return lower.length > 0
      ? further(looked(lower), { about: refOfObject(pod), says: message }).candidates.map(
          (candidate) => ({
            ...candidate,
            facts: [...candidate.facts, fact],
          }),
        )
      : [own(pod, 'sandbox-network', [fact])]
  })
}

const nodeRef = (pod: Json): Ref | null => {
  const name = text(record(pod['spec'])['nodeName'])
  return name === '' ? null : refOf('Node', '', name)
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

function stuckDeletion(evidence: Evidence, pod: Json): Looked {
  const metadata = record(pod['metadata'])
  const deleted = Date.parse(text(metadata['deletionTimestamp']))
  const grace = Number(metadata['deletionGracePeriodSeconds'] ?? 30) * 1000
  const finalizers = metadata['finalizers']
  if (
    Number.isNaN(deleted) ||
    evidence.now < deleted + grace ||
    !Array.isArray(finalizers) ||
    finalizers.length === 0
  )
    return nothing
  return looked([
    own(pod, 'finalizer-stuck', [
      {
        type: 'object',
        about: refOfObject(pod),
        at: text(metadata['deletionTimestamp']),
        text: finalizers.map(String).join(', '),
      },
    ]),
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

/** A pod that runs, and why it was started again within the hour. */
function restarted(evidence: Evidence, pod: Json): Looked {
  const { current } = evidence.events(refOfObject(pod))
  const candidates = containersOf(pod).flatMap((container) => {
    const isTimed = !Number.isNaN(Date.parse(text(container.last['finishedAt'])))
    const candidate =
      container.restarts > 0 && isTimed ? crashed(evidence, pod, container, current) : null
    return candidate ? [candidate] : []
  })
  return looked(merged(candidates))
}

/** All that the facts about a pod speak for. */
export function podCauses(evidence: Evidence, pod: Json): Looked {
  const ref = refOfObject(pod)
  const { current, spent } = evidence.events(ref)
  const containers = containersOf(pod)
  if (isWellPod(pod)) return restarted(evidence, pod)
  const stuck = stuckDeletion(evidence, pod)
  if (stuck.candidates.length > 0) return stuck
  const gone = ended(evidence, pod)
  if (gone.candidates.length > 0) return gone
  const isPlaced = nodeRef(pod) !== null
  const held = isPlaced ? nothing : unscheduled(evidence, pod)
  const troubled = containers.flatMap((container) => {
    const candidate = waiting(pod, container, current) ?? crashed(evidence, pod, container, current)
    return candidate ? [candidate] : []
  })
  const prepared = isPlaced ? preparing(evidence, pod, current) : []
  const probe = failedProbe(current)
  const unready = containers.some(({ isReady, isRunning }) => isRunning && !isReady)
  const probing =
    probe && unready && troubled.length === 0 ? [own(pod, probe.cause, [probe.fact])] : []
  const all = [...troubled, ...prepared, ...probing]
  const failing = containers.find((container) => container.isInit && !container.isReady)
  const initial =
    all.length === 0 && failing && isPlaced && text(failing.waiting['reason']) !== 'PodInitializing'
      ? initFailing(pod, current)
      : []
  return together(held, {
    candidates: merged([...all, ...initial]),
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
