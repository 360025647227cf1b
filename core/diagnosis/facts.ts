/**
 * What is known of the objects of a cluster at a time, as facts that can be quoted: conditions, statuses, events, lines of
 * logs. Source: computations 12, “Reading it alike”.
 */
import { type Json, list, record, records, text } from '../objects'

/** `pod/namespace/name`, `node/name`, `cluster`. */
export type Ref = string

export interface Fact {
  readonly type: 'condition' | 'status' | 'event' | 'log' | 'object'
  readonly about: Ref
  /** ISO; null where nothing says when. */
  readonly at: string | null
  /** Quoted from the input. */
  readonly text: string
}

export interface Log {
  readonly from: Ref
  readonly lines: readonly string[]
}

const hourMs = 3_600_000
/** Clocks of those who write events are not quite alike. */
const aheadMs = 300_000

const kindsWithoutNamespace = new Set([
  'Node',
  'Namespace',
  'PersistentVolume',
  'StorageClass',
  'ValidatingWebhookConfiguration',
  'MutatingWebhookConfiguration',
])

export function refOf(kind: string, namespace: string, name: string): Ref {
  const of = kind.toLowerCase()
  return kindsWithoutNamespace.has(kind)
    ? `${of}/${name}`
    : `${of}/${namespace === '' ? 'default' : namespace}/${name}`
}

export const refOfObject = (object: Json): Ref => {
  const metadata = record(object['metadata'])
  return refOf(text(object['kind']), text(metadata['namespace']), text(metadata['name']))
}

/** Objects of lists singly. */
export const opened = (objects: readonly unknown[]): readonly Json[] =>
  objects.flatMap((given) => {
    const object = record(given)
    const isList = text(object['kind']).endsWith('List') && Array.isArray(object['items'])
    return isList ? opened(list(object['items'])) : [object]
  })

export interface Happening {
  readonly reason: string
  readonly message: string
  readonly isWarning: boolean
  /** Its newest time (ms). */
  readonly at: number
  readonly fact: Fact
}

const timeOf = (value: unknown): number | null => {
  const at = Date.parse(text(value))
  return Number.isNaN(at) ? null : at
}

const newestTime = (event: Json): number | null => {
  const times = [
    record(event['series'])['lastObservedTime'],
    event['lastTimestamp'],
    event['deprecatedLastTimestamp'],
    event['eventTime'],
    event['firstTimestamp'],
    record(event['metadata'])['creationTimestamp'],
  ].flatMap((value) => timeOf(value) ?? [])
  return times.length === 0 ? null : Math.max(...times)
}

/** How far a pod has come when an event tells of it: attach, mount, sandbox, pull, start. */
const stages: Readonly<Record<string, number>> = {
  FailedScheduling: 1,
  Scheduled: 1,
  FailedAttachVolume: 2,
  SuccessfulAttachVolume: 2,
  FailedMount: 3,
  FailedMapVolume: 3,
  SuccessfulMountVolume: 3,
  FailedCreatePodSandBox: 4,
  FailedPodSandBoxStatus: 4,
  SandboxChanged: 4,
  Pulling: 5,
  Pulled: 5,
  InspectFailed: 5,
  ErrImageNeverPull: 5,
  Created: 6,
  Started: 6,
}

const stageOf = ({ reason, message }: Happening): number =>
  stages[reason] ?? (reason === 'Failed' || reason === 'BackOff' ? failedStage(message) : 0)

const failedStage = (message: string): number => (/pull/i.test(message) ? 5 : 6)

/** Whether something that came later shows that what an event tells of is over. */
function isSpent(event: Happening, all: readonly Happening[]): boolean {
  const stage = stageOf(event)
  if (!event.isWarning || stage === 0) return false
  return all.some((later) => {
    if (later.at < event.at || later === event) return false
    const reached = stageOf(later)
    return reached > stage || (reached === stage && !later.isWarning && later.reason !== 'Pulling')
  })
}

/** What was told of an object: what stands, and what is over. */
export interface Told {
  readonly current: readonly Happening[]
  readonly spent: readonly Happening[]
}

function put<T>(lists: Map<string, T[]>, key: string, item: T): void {
  const items = lists.get(key)
  if (items) items.push(item)
  else lists.set(key, [item])
}

export class Evidence {
  readonly objects: readonly Json[]
  private readonly byRef = new Map<Ref, Json>()
  private readonly byKind = new Map<string, Json[]>()
  private readonly onNode = new Map<string, Json[]>()
  private readonly eventsOf = new Map<Ref, Happening[]>()
  private readonly sorted = new Map<Ref, Told>()

  constructor(
    given: readonly unknown[],
    readonly logs: readonly Log[],
    readonly now: number,
  ) {
    const all = opened(given)
    this.objects = all.filter((object) => text(object['kind']) !== 'Event')
    for (const object of this.objects) {
      const kind = text(object['kind'])
      this.byRef.set(refOfObject(object), object)
      put(this.byKind, kind, object)
      if (kind === 'Pod') put(this.onNode, text(record(object['spec'])['nodeName']), object)
    }
    for (const event of all) if (text(event['kind']) === 'Event') this.enter(event)
  }

  object(ref: Ref): Json | undefined {
    return this.byRef.get(ref)
  }

  ofKind(kind: string): readonly Json[] {
    return this.byKind.get(kind) ?? []
  }

  /** Everything that something was told of. */
  toldOf(): readonly Ref[] {
    return [...this.eventsOf.keys()]
  }

  podsOn(node: string): readonly Json[] {
    return this.onNode.get(node) ?? []
  }

  private enter(event: Json): void {
    const told = record(event['involvedObject'] ?? event['regarding'])
    const kind = text(told['kind'])
    const about = refOf(kind, text(told['namespace']), text(told['name']))
    const at = newestTime(event)
    const object = this.byRef.get(about)
    const metadata = record(object?.['metadata'])
    const [uid, own] = [text(told['uid']), text(metadata['uid'])]
    const isOther = uid !== '' && own !== '' && uid !== own && uid !== text(told['name'])
    const made = timeOf(metadata['creationTimestamp'])
    if (at === null || isOther || (made !== null && at < made)) return
    if (this.now - at > hourMs || at - this.now > aheadMs) return
    const message = text(event['message'] ?? event['note'])
    const happening: Happening = {
      reason: text(event['reason']),
      message,
      isWarning: text(event['type']) !== 'Normal',
      at,
      fact: { type: 'event', about, at: new Date(at).toISOString(), text: message },
    }
    put(this.eventsOf, about, happening)
  }

  /** Everything that was told of an object within the hour: what stands, and what is over. Of one reason the latest. */
  events(ref: Ref): Told {
    const before = this.sorted.get(ref)
    if (before) return before
    const all = [...(this.eventsOf.get(ref) ?? [])].sort((a, b) => a.at - b.at)
    const latest = all.filter(
      (event, index) =>
        !all
          .slice(index + 1)
          .some((later) => later.reason === event.reason && stageOf(later) === stageOf(event)),
    )
    const told = {
      current: latest.filter((event) => !isSpent(event, all)),
      spent: latest.filter((event) => isSpent(event, all)),
    }
    this.sorted.set(ref, told)
    return told
  }

  /** Lines of the logs of something that are of the last hour of that log. */
  linesOf(ref: Ref): readonly Fact[] {
    return this.logs
      .filter(({ from }) => from === ref || from.startsWith(`${ref}/`))
      .flatMap(({ lines }) => {
        const timed = lines.map((line) => ({ line, at: lineTime(line, this.now) }))
        const newest = Math.max(...timed.map(({ at }) => at ?? -Infinity))
        return timed
          .filter(({ at }) => at === null || newest - at <= hourMs)
          .map(({ line, at }) => ({
            type: 'log' as const,
            about: ref,
            at: at === null ? null : new Date(at).toISOString(),
            text: line,
          }))
      })
  }
}

/** When a line was written (ms): ISO 8601 at its beginning or as `time=`, or the month and day of klog; null where it does not say. */
function lineTime(line: string, now: number): number | null {
  const iso = /\d{4}-\d{2}-\d{2}[T ]\d{2}:\d{2}:\d{2}(?:\.\d+)?(?:Z|[+-]\d{2}:?\d{2})?/.exec(
    line.slice(0, 80),
  )?.[0]
  if (iso !== undefined) {
    const at = Date.parse(/(?:Z|[+-]\d{2}:?\d{2})$/.test(iso) ? iso : `${iso.replace(' ', 'T')}Z`)
    return Number.isNaN(at) ? null : at
  }
  const klog = /^[IWEF](\d{2})(\d{2}) (\d{2}:\d{2}:\d{2}(?:\.\d+)?)/.exec(line)
  if (!klog) return null
  const at = Date.parse(`${new Date(now).getUTCFullYear()}-${klog[1]}-${klog[2]}T${klog[3]}Z`)
  return Number.isNaN(at) ? null : at
}

export interface Condition {
  readonly type: string
  readonly status: string
  readonly reason: string
  readonly message: string
  readonly fact: Fact
}

/** Conditions of an object, each with its message as the fact; its reason where it has no message. */
export const conditionsOf = (object: Json): readonly Condition[] =>
  records(record(object['status'])['conditions']).map((condition) => {
    const message = text(condition['message'])
    const reason = text(condition['reason'])
    const type = text(condition['type'])
    const since = text(condition['lastTransitionTime'])
    return {
      type,
      status: text(condition['status']),
      reason,
      message,
      fact: {
        type: 'condition',
        about: refOfObject(object),
        at: since === '' ? null : since,
        text: message || reason || type,
      },
    }
  })
