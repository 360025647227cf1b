/** Why a container of a pod was not started, or ended. */
import { type Json, record, records, text } from '../objects'
import type { Candidate, CauseCode } from './causes'
import type { Happening } from './events'
import { type Fact, type Evidence, refOf, refOfObject } from './facts'
import { isUnresolved, nodeLineCause, ownLineCause, pullCause, startCause } from './messages'
import { own, status } from './own'

/** What is told of a container: its status, and that it was before. */
export interface ContainerState {
  readonly name: string
  readonly isInit: boolean
  readonly waiting: Json
  readonly last: Json
  readonly terminated: Json
  readonly isReady: boolean
  readonly isRunning: boolean
  readonly restarts: number
}

export const containersOf = (pod: Json): readonly ContainerState[] =>
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

export const statusFact = (pod: Json, at: unknown, says: string): Fact => ({
  type: 'status',
  about: refOfObject(pod),
  at: text(at) === '' ? null : text(at),
  text: says,
})

const hourMs = 3_600_000

/** A container that ended badly: within the hour, or for good. */
function endedBadly(evidence: Evidence, container: ContainerState, isFailed: boolean): Json | null {
  const ended = text(container.terminated['reason']) === '' ? container.last : container.terminated
  const at = Date.parse(text(ended['finishedAt']))
  if (Object.keys(ended).length === 0) return null
  const isLasting = isFailed || text(container.waiting['reason']) === 'CrashLoopBackOff'
  if (!isLasting && !Number.isNaN(at) && evidence.now - at > hourMs) return null
  return text(ended['reason']) === 'Completed' && Number(ended['exitCode'] ?? 0) === 0
    ? null
    : ended
}

/** Which probe failed, by the latest event that names one of these. */
export function failedProbe(
  events: readonly Happening[],
  kinds: readonly string[],
): { readonly cause: CauseCode; readonly fact: Fact } | null {
  for (const { reason, message, fact } of events.toReversed()) {
    if (reason !== 'Unhealthy' && !/probe (?:failed|errored)|failed \w+ probe/i.test(message))
      continue
    const kind = /(startup|liveness|readiness) probe/i.exec(message)?.[1]?.toLowerCase()
    if (kind !== undefined && kinds.includes(kind))
      return { cause: `${kind}-probe` as CauseCode, fact }
  }
  return null
}

/** So far apart two clocks may tell of one thing (ms). */
const togetherMs = 60_000

/** What a node tells of a process that was killed there for want of memory, where it was one of this pod. */
function killedOnNode(
  evidence: Evidence,
  pod: Json,
  container: ContainerState,
  endedAt: number,
): Fact | null {
  const name = text(record(pod['spec'])['nodeName'])
  if (name === '') return null
  const ref = refOf('Node', '', name)
  const uid = text(record(pod['metadata'])['uid'])
  const podName = text(record(pod['metadata'])['name'])
  const isOurs = (line: string): boolean =>
    (uid !== '' && (line.includes(uid) || line.includes(uid.replaceAll('-', '_')))) ||
    line.includes(podName) ||
    new RegExp(`\\(${container.name.replace(/[^a-z0-9-]/gi, '')}\\)`).test(line)
  /** A process that was killed just when this container ended is one of it, whatever its name. */
  const isThen = (at: string | null): boolean =>
    at !== null && Math.abs(Date.parse(at) - endedAt) <= togetherMs
  const isKill = (line: string): boolean => /out of memory|oom-?kill|OOMKill/i.test(line)
  return (
    [...evidence.events(ref).current.map(({ fact }) => fact), ...evidence.linesOf(ref)].find(
      ({ text: line, at }) => isKill(line) && (isOurs(line) || isThen(at)),
    ) ?? null
  )
}

function byExit(code: number): CauseCode {
  if (code === 126) return 'not-executable'
  return code === 127 ? 'command-missing' : 'crash'
}

/** Exit codes of processes that were told to end, or killed. */
const killedCodes = new Set([0, 137, 143])

/** Why a container that was started ended. */
export function crashed(
  evidence: Evidence,
  pod: Json,
  container: ContainerState,
  events: readonly Happening[],
): Candidate | null {
  const ended = endedBadly(evidence, container, status(pod)['phase'] === 'Failed')
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
  const hook = events.find(({ reason: of }) => of === 'FailedPostStartHook')
  if (hook) return own(pod, 'hook-failed', [hook.fact, fact])
  const probe = failedProbe(events, ['startup', 'liveness'])
  if (probe && (killedCodes.has(code) || isKilledFor(events)))
    return own(pod, probe.cause, [probe.fact, fact])
  const killed =
    code === 137
      ? killedOnNode(evidence, pod, container, Date.parse(text(ended?.['finishedAt'])))
      : null
  if (killed) return own(pod, 'memory-killed', [killed, fact])
  const lines = evidence.linesOf(refOfObject(pod))
  const line = lines.findLast(({ text: written }) => ownLineCause(written, code) !== null)
  const plain = startCause(message) ?? (line ? ownLineCause(line.text, code) : null) ?? byExit(code)
  const resolving = plain === 'crash' ? lines.findLast(({ text: of }) => isUnresolved(of)) : null
  if (resolving) return own(pod, 'name-not-resolved', [resolving, fact])
  const told = failedStart(pod, events)
  if (plain === 'crash' && told) return { ...told, facts: [...told.facts, fact] }
  if (plain === 'crash' && probe) return own(pod, probe.cause, [probe.fact, fact])
  // Of an init container nothing lower is known then.
  const cause = plain === 'crash' && container.isInit ? 'init-failing' : plain
  return own(pod, cause, [fact, ...(line ? [line] : [])])
}

const isKilledFor = (events: readonly Happening[]): boolean =>
  events.some(
    ({ reason, message }) =>
      reason === 'Killing' && /failed (?:liveness|startup) probe/i.test(message),
  )

/** Why the runtime could not start a container, where events alone say so. */
export function failedStart(pod: Json, events: readonly Happening[]): Candidate | null {
  const event = events.findLast(
    ({ reason, message }) => reason === 'Failed' && startCause(message) !== null,
  )
  const cause = event ? startCause(event.message) : null
  return event && cause ? own(pod, cause, [event.fact]) : null
}

const nodeRefOf = (pod: Json): string => {
  const name = text(record(pod['spec'])['nodeName'])
  return name === '' ? refOfObject(pod) : refOf('Node', '', name)
}

/** A full disk and a dead runtime are the node’s, whatever of a pod tells of them. */
export const ofNode = (pod: Json, cause: CauseCode, facts: readonly Fact[]): Candidate =>
  cause === 'disk-full' || cause === 'runtime-down'
    ? own(pod, cause, facts, nodeRefOf(pod))
    : own(pod, cause, facts)

/** Why a container has not been started. */
export function waiting(
  pod: Json,
  container: ContainerState,
  events: readonly Happening[],
): Candidate | null {
  const reason = text(container.waiting['reason'])
  const message = text(container.waiting['message'])
  const fact = statusFact(pod, null, message === '' ? reason : message)
  if (reason === 'InvalidImageName') return own(pod, 'image-name-invalid', [fact])
  if (reason === 'ErrImageNeverPull') return own(pod, 'image-missing', [fact])
  if (/ImagePull|ImageInspect|RegistryUnavailable|SignatureValidation/.test(reason))
    return unpulled(pod, container, events, fact)
  if (reason === 'PostStartHookError') return own(pod, 'hook-failed', [fact])
  if (/CreateContainer|RunContainer|StartError|ContainerCannotRun/.test(reason)) {
    const cause =
      startCause(message) ?? (nodeLineCause(message) === 'runtime-down' ? 'runtime-down' : null)
    return cause ? ofNode(pod, cause, [fact]) : failedStart(pod, events)
  }
  return null
}

/** Why the image of a container is not there, by the events of that container and what it says itself. */
function unpulled(
  pod: Json,
  container: ContainerState,
  events: readonly Happening[],
  fact: Fact,
): Candidate | null {
  const pulls = events.filter(
    ({ message, part }) =>
      /pull|image/i.test(message) &&
      pullCause(message) !== null &&
      (part === '' || part.includes(`{${container.name}}`)),
  )
  const said = pullCause(fact.text)
  const cause = pulls.map(({ message }) => pullCause(message)).at(-1) ?? said
  const facts = [...pulls.map((event) => event.fact), ...(said === null ? [] : [fact])]
  return cause ? ofNode(pod, cause, facts) : null
}
