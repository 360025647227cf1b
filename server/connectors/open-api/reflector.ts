/**
 * A copy of one list of an API that follows it: listed in chunks, watched from there, listed again when the API no
 * longer knows where it left off. Objects that do not read are left out and counted.
 */
import { setTimeout as pause } from 'node:timers/promises'
import { isRecord, type Json, readObjects, record, records, text } from '~/core/objects'
import { type ApiClient, ApiRefusal } from './client'
import type { Resource } from './resources'
import { Unreached } from './transport'

const chunk = 500
const mostObjects = 200_000
/** Lists that nobody applies to: those who write them are named by what they are. */
const writtenByMachines: ReadonlySet<string> = new Set([
  'nodes',
  'events',
  'endpointslices.discovery.k8s.io',
  'csinodes.storage.k8s.io',
  'volumeattachments.storage.k8s.io',
])
/** A watch that ends is begun again at once, one that keeps ending after ever longer. */
const firstPauseMs = 500
const mostPauseMs = 15_000
/** How long an API is asked to keep a watch open: spread, so that not all end together. */
const watchSeconds = (): number => 240 + Math.floor(Math.random() * 240)

export interface ReflectorEvents {
  changed(): void
  /** It may not be listed, or is not served any more. */
  withheld(resource: Resource, status: number): void
  /** Something is wrong with the way there: whoever minds it looks. */
  failed(error: unknown): void
}

/** The API no longer knows the version that was asked from. */
class TooOld extends Error {}

export class Reflector {
  private readonly kept = new Map<string, Json>()
  private version = ''
  private hasListed = false
  private misread = 0
  private running: AbortController | null = null

  constructor(
    private readonly client: ApiClient,
    readonly resource: Resource,
    private readonly events: ReflectorEvents,
  ) {}

  objects(): IterableIterator<Json> {
    return this.kept.values()
  }

  get isListed(): boolean {
    return this.hasListed
  }

  /** Objects that were left out because they are not as the API has them. */
  get leftOut(): number {
    return this.misread
  }

  /** Whether an object is here as it was at a version or later; with null, whether it is gone or going. */
  holds(namespace: string, name: string, version: string | null): boolean {
    const object = this.kept.get(`${namespace}/${name}`)
    const metadata = record(object?.['metadata'])
    if (version === null) return object === undefined || metadata['deletionTimestamp'] !== undefined
    const own = text(metadata['resourceVersion'])
    return own === version || Number(own) >= Number(version)
  }

  /** Follows the list until it is stopped. */
  start(): void {
    if (this.running) return
    const controller = new AbortController()
    this.running = controller
    void this.follow(controller.signal)
  }

  stop(): void {
    this.running?.abort(new Error('stopped'))
    this.running = null
  }

  private async follow(signal: AbortSignal): Promise<void> {
    let wait = 0
    while (!signal.aborted) {
      const began = Date.now()
      try {
        if (this.version === '') await this.list(signal)
        await this.watch(signal)
        wait = Date.now() - began > 5000 ? 0 : this.longer(wait)
      } catch (error) {
        if (signal.aborted) return
        if (error instanceof TooOld || (error instanceof ApiRefusal && error.status === 410))
          this.version = ''
        else if (error instanceof ApiRefusal && (error.status === 403 || error.status === 404)) {
          this.forget()
          this.events.withheld(this.resource, error.status)
          return
        } else this.events.failed(error)
        wait = this.longer(wait)
      }
      if (wait > 0) await pause(wait, undefined, { signal }).catch(() => undefined)
    }
  }

  private longer(wait: number): number {
    return Math.min(mostPauseMs, Math.max(firstPauseMs, wait * 2))
  }

  private forget(): void {
    this.kept.clear()
    this.version = ''
    this.hasListed = true
    this.events.changed()
  }

  /** The whole list, in chunks of one version; what is not in it any more goes. */
  async list(signal: AbortSignal): Promise<void> {
    const { path } = this.resource
    const fresh = new Map<string, Json>()
    let version = ''
    let next = ''
    this.misread = 0
    do {
      const more = next === '' ? '' : `&continue=${encodeURIComponent(next)}`
      const answer = await this.client.get(`${path}?limit=${chunk}${more}`, signal)
      if (!Array.isArray(answer['items']))
        throw new Unreached(
          'not-the-api',
          `${this.client.transport.address} is not the open API: ${path} is no list.`,
        )
      for (const item of records(answer['items'])) this.put(fresh, item)
      const metadata = record(answer['metadata'])
      version = text(metadata['resourceVersion'])
      const following = text(metadata['continue'])
      // A list that never ends, or goes round, is read no further.
      next = following === next || fresh.size > mostObjects ? '' : following
    } while (next !== '')
    this.kept.clear()
    for (const [key, object] of fresh) this.kept.set(key, object)
    this.version = version
    this.hasListed = true
    this.events.changed()
  }

  private put(into: Map<string, Json>, item: Json): void {
    const { apiGroup, version, kind } = this.resource
    const apiVersion = apiGroup === '' ? version : `${apiGroup}/${version}`
    const object: Json = { apiVersion, kind, ...item, metadata: this.lean(item['metadata']) }
    const metadata = record(object['metadata'])
    const name = text(metadata['name'])
    if (name === '' || readObjects([object]).wrong !== null) {
      this.misread++
      return
    }
    into.set(`${text(metadata['namespace'])}/${name}`, object)
  }

  /**
   * Who wrote which field is of use where somebody else may write: of what controllers make it is let go. It would be
   * most of what a cluster weighs here.
   */
  private lean(given: unknown): Json {
    const metadata = record(given)
    const isMade = records(metadata['ownerReferences']).some(
      ({ controller }) => controller === true,
    )
    if (!isMade && !writtenByMachines.has(this.resource.name)) return metadata
    const { managedFields: _owners, ...rest } = metadata
    return rest
  }

  private async watch(signal: AbortSignal): Promise<void> {
    const query = new URLSearchParams({
      watch: 'true',
      allowWatchBookmarks: 'true',
      resourceVersion: this.version === '' ? '0' : this.version,
      timeoutSeconds: String(watchSeconds()),
    })
    for await (const line of this.client.lines(`${this.resource.path}?${query.toString()}`, signal))
      this.take(text(line['type']), line['object'])
  }

  private take(type: string, given: unknown): void {
    const object = record(given)
    if (type === 'ERROR') {
      if (object['code'] === 410 || object['reason'] === 'Expired') throw new TooOld()
      throw new ApiRefusal(
        Number(object['code']) || 500,
        text(object['reason']),
        text(object['message']),
      )
    }
    if (!isRecord(given)) return
    const metadata = record(object['metadata'])
    const version = text(metadata['resourceVersion'])
    if (version !== '') this.version = version
    if (type === 'BOOKMARK') return
    const key = `${text(metadata['namespace'])}/${text(metadata['name'])}`
    if (type === 'DELETED') this.kept.delete(key)
    else if (type === 'ADDED' || type === 'MODIFIED') this.put(this.kept, object)
    else return
    this.events.changed()
  }
}
