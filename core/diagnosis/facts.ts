/**
 * What is known of the objects of a cluster at a time, as facts that can be quoted: conditions, statuses, events, lines of
 * logs. Source: computations 12, “Reading it alike”.
 */
import { type Json, list, record, records, text } from '../objects'
import type { ReadyWorld } from '../wire'
import type { Fact, Ref } from './fact'
import { isoOf, type Happening, newestTime, timeOf, type Told, told } from './events'

export type { Fact, Ref } from './fact'

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
  'CSINode',
  'VolumeAttachment',
  'ClusterRole',
  'ClusterRoleBinding',
  'CustomResourceDefinition',
  'PriorityClass',
  'RuntimeClass',
  'IngressClass',
  'APIService',
  'CertificateSigningRequest',
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

/** Objects of lists singly; items of a typed list may leave out their kind. */
export const opened = (objects: readonly unknown[]): readonly Json[] =>
  objects.flatMap((given) => {
    const object = record(given)
    const kind = text(object['kind'])
    if (!kind.endsWith('List') || !Array.isArray(object['items'])) return [object]
    const of = kind.slice(0, -4)
    return opened(
      list(object['items']).map((item) =>
        of !== '' && record(item)['kind'] === undefined ? { ...record(item), kind: of } : item,
      ),
    )
  })

function put<T>(lists: Map<string, T[]>, key: string, item: T): void {
  const items = lists.get(key)
  if (items) items.push(item)
  else lists.set(key, [item])
}

export class Evidence {
  readonly objects: readonly Json[]
  private readonly told: readonly Json[]
  private readonly byRef = new Map<Ref, Json>()
  private readonly byKind = new Map<string, Json[]>()
  private readonly onNode = new Map<string, Json[]>()
  private readonly byOwner = new Map<Ref, Json[]>()
  private readonly eventsOf = new Map<Ref, Happening[]>()
  private readonly sorted = new Map<Ref, Told>()
  private readonly logsOf = new Map<Ref, Log[]>()
  private readonly lines = new Map<Ref, readonly Fact[]>()
  private readonly remembered = new Map<string, unknown>()

  constructor(
    given: readonly unknown[],
    readonly logs: readonly Log[],
    readonly now: number,
    /** What a packet walks through, where it was given: read once a cause asks for it, which few do. */
    readonly world: () => ReadyWorld | null = () => null,
    /** Events are those of this, where the objects are what they would be. */
    before: Evidence | null = null,
  ) {
    const all = opened(given)
    this.objects = all.filter((object) => text(object['kind']) !== 'Event')
    for (const object of this.objects) {
      const kind = text(object['kind'])
      this.byRef.set(refOfObject(object), object)
      put(this.byKind, kind, object)
      if (kind === 'Pod') put(this.onNode, text(record(object['spec'])['nodeName']), object)
      const metadata = record(object['metadata'])
      const owners = records(metadata['ownerReferences'])
      const owner =
        owners.find(({ controller }) => controller === true) ??
        owners.find(({ controller }) => controller === null || controller === undefined)
      if (owner)
        put(
          this.byOwner,
          refOf(text(owner['kind']), text(metadata['namespace']), text(owner['name'])),
          object,
        )
    }
    for (const event of before?.told ?? all) if (text(event['kind']) === 'Event') this.enter(event)
    this.told = before?.told ?? all.filter((object) => text(object['kind']) === 'Event')
    for (const log of logs) {
      const parts = log.from.split('/')
      for (let count = 1; count <= parts.length; count++)
        put(this.logsOf, parts.slice(0, count).join('/'), log)
    }
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

  /** What an object controls. */
  ownedBy(owner: Ref): readonly Json[] {
    return this.byOwner.get(owner) ?? []
  }

  /** What is asked of the same evidence more than once is found once. */
  once<T>(key: string, find: () => T): T {
    if (!this.remembered.has(key)) this.remembered.set(key, find())
    return this.remembered.get(key) as T
  }

  private enter(event: Json): void {
    const regarded = record(event['involvedObject'] ?? event['regarding'])
    const kind = text(regarded['kind'])
    const name = text(regarded['name'])
    const about = refOf(kind, text(regarded['namespace']), name)
    const at = newestTime(event)
    const metadata = record(this.byRef.get(about)?.['metadata'])
    const [uid, own] = [text(regarded['uid']), text(metadata['uid'])]
    const isAnother = uid !== '' && own !== '' && uid !== own && uid !== name
    const made = timeOf(metadata['creationTimestamp'])
    if (at === null || isAnother || (made !== null && at < made)) return
    if (this.now - at > hourMs || at - this.now > aheadMs) return
    const message = text(event['message'] ?? event['note'])
    put(this.eventsOf, about, {
      reason: text(event['reason']),
      message,
      isWarning: text(event['type']) !== 'Normal',
      part: text(regarded['fieldPath']),
      at,
      fact: { type: 'event', about, at: isoOf(at), text: message },
    })
  }

  /** Everything that was told of an object within the hour: what stands, and what is over. */
  events(ref: Ref): Told {
    const before = this.sorted.get(ref)
    if (before) return before
    const current = told(this.eventsOf.get(ref) ?? [])
    this.sorted.set(ref, current)
    return current
  }

  /** Lines of the logs of something that are of the last hour of that log. */
  linesOf(ref: Ref): readonly Fact[] {
    const before = this.lines.get(ref)
    if (before) return before
    const facts = (this.logsOf.get(ref) ?? []).flatMap((log) => lastHourOf(log, ref, this.now))
    this.lines.set(ref, facts)
    return facts
  }
}

function lastHourOf({ lines }: Log, about: Ref, now: number): readonly Fact[] {
  const times = lines.map((line) => lineTime(line, now))
  const newest = times.reduce<number>((latest, at) => Math.max(latest, at ?? -Infinity), -Infinity)
  return lines.flatMap((line, index): readonly Fact[] => {
    const at = times[index] ?? null
    if (at !== null && newest - at > hourMs) return []
    return [{ type: 'log', about, at: at === null ? null : isoOf(at), text: line }]
  })
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
