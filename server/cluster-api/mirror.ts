/**
 * A copy of what a cluster serves, with a resource version for every change: it is brought up to date when somebody asks,
 * and, while somebody watches, soon after something has stirred.
 */
import { isAlike, isRecord, record, text } from '~/core/objects'
import { breath } from '../breath'

export type ApiObject = Readonly<Record<string, unknown>>

export interface Kept {
  readonly namespace: string
  readonly name: string
  readonly uid: string
  readonly version: number
  readonly object: ApiObject
}

export interface Change {
  readonly version: number
  readonly type: 'ADDED' | 'MODIFIED' | 'DELETED'
  readonly kind: string
  readonly kept: Kept
  /** As it was before, of one that was changed or deleted. */
  readonly before: ApiObject | null
  /** When it was noticed, on the wall. */
  readonly at: number
}

export interface Source {
  /** Null while the API does not answer. */
  served(since: number): Promise<{
    readonly version: number
    readonly changed: readonly (readonly [string, string])[]
    readonly gone: readonly string[]
  } | null>
}

/** How long changes can be watched from, at least, and how many are kept beyond that. */
const keptMs = 11 * 60_000
const mostChanges = 200_000
/** At the first look every so many objects others get a turn. */
const stride = 500

/** What a generation is counted of: everything but who it is and how it stands. */
const specOf = (object: ApiObject): ApiObject =>
  Object.fromEntries(
    Object.entries(object).filter(
      ([field]) => field !== 'metadata' && field !== 'status' && field !== 'apiVersion',
    ),
  )

/** Kinds whose controllers say which generation they have seen. */
const workloads = new Set([
  'Deployment',
  'ReplicaSet',
  'StatefulSet',
  'DaemonSet',
  'PodDisruptionBudget',
])

/** A workload’s controller has seen what was written last. */
const withGeneration = (object: ApiObject, generation: number): ApiObject =>
  workloads.has(text(object['kind']))
    ? { ...object, status: { ...record(object['status']), observedGeneration: generation } }
    : object

const hasSpec = (object: ApiObject): boolean => isRecord(object['spec'])

export class Mirror {
  private readonly byKind = new Map<string, Map<string, Kept>>()
  private readonly changes: Change[] = []
  private readonly newest = new Map<string, number>()
  private readonly listeners = new Set<() => void>()
  private copied = 0
  private running: Promise<boolean> | null = null
  private isStale = true
  /** Every change of a cluster has a number of its own; a later life of the server begins higher. */
  private last = Date.now()
  private begun = this.last

  constructor(private readonly source: Source) {}

  /** The version of the newest change. */
  get version(): number {
    return this.last
  }

  /** Something about the cluster may differ from now on. */
  stirred(): void {
    this.isStale = true
    for (const listener of this.listeners) listener()
  }

  get isWatched(): boolean {
    return this.listeners.size > 0
  }

  /** Told whenever there is something to read, until the function that is given back is called. */
  listen(listener: () => void): () => void {
    this.listeners.add(listener)
    return () => void this.listeners.delete(listener)
  }

  /** Objects of a kind as they are now, by namespace and name. */
  of(kind: string): ReadonlyMap<string, Kept> {
    return this.byKind.get(kind) ?? new Map()
  }

  all(): readonly Kept[] {
    return [...this.byKind.values()].flatMap((kinds) => [...kinds.values()])
  }

  /** The version of the newest change of a kind; 0 for one that has none. */
  changedAt(kind: string): number {
    return this.newest.get(kind) ?? 0
  }

  find(kind: string, namespace: string, name: string): Kept | undefined {
    return this.byKind.get(kind)?.get(`${namespace}/${name}`)
  }

  /** Changes of a kind after a version, or null where they are not kept that far back. */
  since(kind: string, version: number): readonly Change[] | null {
    if (version < this.begun) return null
    let low = 0
    let high = this.changes.length
    while (low < high) {
      const middle = (low + high) >> 1
      if ((this.changes[middle]?.version ?? 0) <= version) low = middle + 1
      else high = middle
    }
    return this.changes.slice(low).filter((change) => change.kind === kind)
  }

  /** Brings the copy up to date; false while the API does not answer. */
  async refresh(): Promise<boolean> {
    // Whoever asks while a look is under way wants one that begins later.
    if (this.running) await this.running.catch(() => false)
    if (!this.isStale) return true
    this.running ??= this.look().finally(() => {
      this.running = null
    })
    return this.running
  }

  private async look(): Promise<boolean> {
    this.isStale = false
    const answer = await this.source.served(this.copied)
    if (answer === null) {
      this.isStale = true
      return false
    }
    const at = Date.now()
    for (const key of answer.gone) this.drop(key, at)
    let nth = 0
    for (const [key, body] of answer.changed) {
      this.take(key, JSON.parse(body) as ApiObject, at)
      if (++nth % stride === 0) await breath()
    }
    this.copied = answer.version
    this.forget(at)
    return true
  }

  private take(key: string, given: ApiObject, at: number): void {
    const kind = key.slice(0, key.indexOf('/'))
    const place = key.slice(kind.length + 1)
    const kinds = this.byKind.get(kind) ?? new Map<string, Kept>()
    this.byKind.set(kind, kinds)
    const metadata = record(given['metadata'])
    const uid = text(metadata['uid'])
    let before = kinds.get(place)
    // Under the same name another object: the one before is gone.
    if (before && before.uid !== uid) {
      this.drop(key, at)
      before = undefined
    }
    const version = ++this.last
    const earlier = Number(record(before?.object['metadata'])['generation'] ?? 0)
    const generation =
      before && isAlike(specOf(before.object), specOf(given)) ? earlier : earlier + 1
    const object: ApiObject = {
      ...withGeneration(given, generation),
      metadata: {
        ...metadata,
        resourceVersion: String(version),
        ...(hasSpec(given) ? { generation } : {}),
      },
    }
    const kept = {
      namespace: text(metadata['namespace']),
      name: text(metadata['name']),
      uid,
      version,
      object,
    }
    kinds.set(place, kept)
    this.note({
      version,
      type: before ? 'MODIFIED' : 'ADDED',
      kind,
      kept,
      before: before?.object ?? null,
      at,
    })
  }

  private drop(key: string, at: number): void {
    const kind = key.slice(0, key.indexOf('/'))
    const place = key.slice(kind.length + 1)
    const before = this.byKind.get(kind)?.get(place)
    if (!before) return
    this.byKind.get(kind)?.delete(place)
    const version = ++this.last
    const object = {
      ...before.object,
      metadata: { ...record(before.object['metadata']), resourceVersion: String(version) },
    }
    this.note({
      version,
      type: 'DELETED',
      kind,
      kept: { ...before, version, object },
      before: before.object,
      at,
    })
  }

  private note(change: Change): void {
    this.newest.set(change.kind, change.version)
    // The first copy is no change: it is where watching can begin.
    if (this.copied === 0) this.begun = change.version
    else this.changes.push(change)
  }

  private forget(now: number): void {
    const old = this.changes.findIndex(({ at }) => at > now - keptMs)
    const many = this.changes.length - mostChanges
    const gone = Math.max(old === -1 ? this.changes.length : old, many, 0)
    const last = gone > 0 ? this.changes[gone - 1] : undefined
    if (last === undefined) return
    this.begun = last.version
    this.changes.splice(0, gone)
  }
}
