/**
 * What events tell of an object: what stands, and what something later shows to be over. Source: computations 12, “Reading
 * it alike”.
 */
import { type Json, record, text } from '../objects'
import type { Fact } from './fact'
import { restates } from './messages'

export interface Happening {
  readonly reason: string
  readonly message: string
  readonly isWarning: boolean
  /** Which container it is about; empty where it does not say. */
  readonly part: string
  /** Its newest time (ms). */
  readonly at: number
  readonly fact: Fact
}

/** What is computed of a text or number that comes again and again: many events tell of one second. */
function remembering<Key, Value>(compute: (key: Key) => Value): (key: Key) => Value {
  const limit = 20_000
  const results = new Map<Key, Value>()
  return (key) => {
    const stored = results.get(key)
    if (stored !== undefined) return stored
    const result = compute(key)
    if (results.size >= limit) results.clear()
    results.set(key, result)
    return result
  }
}

const parsed = remembering((time: string) => Date.parse(time))

/** A time as it is written (ms). */
export const isoOf = remembering((at: number) => new Date(at).toISOString())

/** What a text says as a time (ms), or null. */
export const timeOf = (value: unknown): number | null => {
  const at = parsed(text(value))
  return Number.isNaN(at) ? null : at
}

export function newestTime(event: Json): number | null {
  let newest: number | null = null
  for (const value of [
    record(event['series'])['lastObservedTime'],
    event['lastTimestamp'],
    event['deprecatedLastTimestamp'],
    event['eventTime'],
    event['firstTimestamp'],
    record(event['metadata'])['creationTimestamp'],
  ]) {
    const at = timeOf(value)
    if (at !== null && (newest === null || at > newest)) newest = at
  }
  return newest
}

/** How far a pod, or the making of pods, has come when an event tells of it: attach, mount, sandbox, pull, start. */
const stages: Readonly<Record<string, number>> = {
  FailedCreate: 1,
  SuccessfulCreate: 1,
  FailedScheduling: 1,
  Scheduled: 1,
  FailedAttachVolume: 2,
  SuccessfulAttachVolume: 2,
  FailedMount: 3,
  FailedMapVolume: 3,
  SuccessfulMountVolume: 3,
  FailedCreatePodSandBox: 4,
  FailedPodSandBoxStatus: 4,
  Pulling: 5,
  Pulled: 5,
  InspectFailed: 5,
  ErrImageNeverPull: 5,
  Created: 6,
  Started: 6,
}

const failedStage = (message: string): number => (/pull/i.test(message) ? 5 : 6)

const stageOf = ({ reason, message }: Happening): number =>
  stages[reason] ?? (reason === 'Failed' || reason === 'BackOff' ? failedStage(message) : 0)

const probeIn = (message: string): string =>
  /(startup|liveness|readiness) probe/i.exec(message)?.[1]?.toLowerCase() ?? ''

/** What of several events only the latest says: one reason, part and stage; what merely says again does not stand for what says why. */
const kindOf = (event: Happening): string =>
  [
    event.reason,
    event.part,
    stageOf(event),
    restates(event.reason, event.message),
    probeIn(event.message),
  ].join(' ')

/** What was told of an object: what stands, and what is over. */
export interface Told {
  readonly current: readonly Happening[]
  readonly spent: readonly Happening[]
}

/** What stands: of one kind the latest, and not once a later stage was reached or its own succeeded. In time order. */
export function told(happenings: readonly Happening[]): Told {
  const current: Happening[] = []
  const spent: Happening[] = []
  const seen = new Set<string>()
  const newestFirst = happenings.toSorted((a, b) => b.at - a.at)
  /** The farthest stage that anything from then on tells of, and the farthest that succeeded after it. */
  let [reached, succeeded] = [0, 0]
  for (let from = 0; from < newestFirst.length;) {
    const at = newestFirst[from]?.at
    let until = from
    while (newestFirst[until]?.at === at) until++
    const together = newestFirst.slice(from, until)
    reached = Math.max(reached, ...together.map(stageOf))
    for (const event of together) {
      const stage = stageOf(event)
      const key = kindOf(event)
      const isOver = event.isWarning && stage > 0 && (reached > stage || succeeded >= stage)
      if (!seen.has(key)) (isOver ? spent : current).push(event)
      seen.add(key)
    }
    for (const event of together)
      if (!event.isWarning && event.reason !== 'Pulling')
        succeeded = Math.max(succeeded, stageOf(event))
    from = until
  }
  return { current: current.reverse(), spent: spent.reverse() }
}
