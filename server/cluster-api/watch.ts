/** Watches: changes of a list as they come, each as a line, from a version on. */
import type { ServerResponse } from 'node:http'
import type { Form } from './accept'
import type { ApiObject, Change, Kept, Mirror } from './mirror'
import { testOf } from './selectors'
import { isAsked } from './request'
import { ApiRefusal } from './status'
import { metadataOf, tableOf, type Included } from './tables'
import { asServed, type Target } from './target'

/** Between looks while something stirs, and between bookmarks (ms on the wall). */
const lookMs = 300
const bookmarkMs = 8000
/** The longest watch; one that asks for none ends after this. */
const mostSeconds = 3600

export interface WatchForm {
  readonly form: Form
  readonly included: Included
  readonly now: () => number
}

type Type = 'ADDED' | 'MODIFIED' | 'DELETED'

/** Where a watch begins: after a version, or with what is there. */
function beginning(query: URLSearchParams): number | null {
  const given = query.get('resourceVersion') ?? ''
  if (given === '' || given === '0') return null
  if (!/^\d{1,16}$/.test(given))
    throw new ApiRefusal(400, `resourceVersion: Invalid value: "${given.slice(0, 60)}"`)
  return Number(given)
}

function secondsOf(query: URLSearchParams): number {
  const given = query.get('timeoutSeconds') ?? ''
  if (given === '') return mostSeconds
  if (!/^\d{1,9}$/.test(given))
    throw new ApiRefusal(400, `timeoutSeconds: "${given.slice(0, 60)}" is no whole number`)
  return Math.min(Number(given) || mostSeconds, mostSeconds)
}

const expired = (): ApiRefusal =>
  new ApiRefusal(410, 'too old resource version: it is not kept that far back. List again.')

export class Watch {
  private readonly kind: string
  private readonly test: ((object: ApiObject) => boolean) | null
  private last: number
  private hasHead = false
  private isOver = false
  private looking: Promise<void> = Promise.resolve()
  private timer: NodeJS.Timeout | null = null
  private readonly timers: NodeJS.Timeout[] = []
  private leave: () => void = () => undefined

  constructor(
    private readonly mirror: Mirror,
    private readonly target: Target,
    private readonly query: URLSearchParams,
    private readonly shape: WatchForm,
    private readonly response: ServerResponse,
  ) {
    this.kind = target.served.resource.kind
    this.test = testOf(query, this.kind)
    this.last = beginning(query) ?? mirror.version
  }

  /** Tells what there is to tell, and goes on until its time is over or its reader has gone. */
  async begin(): Promise<void> {
    const from = beginning(this.query)
    const seconds = secondsOf(this.query)
    if (from !== null && this.mirror.since(this.kind, from) === null) throw expired()
    const present = from === null ? this.present() : []
    this.response.writeHead(200, {
      'Content-Type': 'application/json;stream=watch',
      'Cache-Control': 'no-cache, private',
    })
    this.response.flushHeaders()
    this.response.on('close', () => this.stop())
    this.timers.push(setTimeout(() => this.end(), seconds * 1000))
    for (const kept of present) await this.tell('ADDED', kept.object)
    if (from === null && isAsked(this.query, 'sendInitialEvents'))
      await this.bookmark({ 'k8s.io/initial-events-end': 'true' })
    if (this.isOver) return
    this.leave = this.mirror.listen(() => this.soon())
    if (isAsked(this.query, 'allowWatchBookmarks'))
      this.timers.push(setInterval(() => void this.mark(), bookmarkMs))
    this.soon()
  }

  private present(): readonly Kept[] {
    return [...this.mirror.of(this.kind).values()].filter(
      (kept) => this.isHere(kept) && (this.test === null || this.test(kept.object)),
    )
  }

  private isHere(kept: Kept): boolean {
    return this.target.namespace === null || kept.namespace === this.target.namespace
      ? this.target.name === null || kept.name === this.target.name
      : false
  }

  private soon(): void {
    this.timer ??= setTimeout(() => {
      this.timer = null
      void this.look()
    }, lookMs)
  }

  /** One look after another: a reader that takes nothing holds up its own alone. */
  private look(): Promise<void> {
    this.looking = this.looking.then(async () => {
      await this.mirror.refresh().catch(() => false)
      if (this.isOver) return
      const changes = this.mirror.since(this.kind, this.last)
      if (changes === null) {
        await this.write(JSON.stringify({ type: 'ERROR', object: expired().status }))
        this.end()
        return
      }
      const upTo = this.mirror.version
      for (const change of changes) {
        if (this.isOver) return
        this.last = change.version
        const type = this.isHere(change.kept) ? this.typeOf(change) : null
        if (type !== null) await this.tell(type, change.kept.object)
      }
      this.last = Math.max(this.last, upTo)
    })
    return this.looking
  }

  private async mark(): Promise<void> {
    await this.look()
    await this.bookmark()
  }

  /** What a change is to who selects: leaving the selection is being deleted. */
  private typeOf({ type, kept, before }: Change): Type | null {
    if (this.test === null) return type
    const was = before !== null && this.test(before)
    const is = type !== 'DELETED' && this.test(kept.object)
    if (is) return was ? 'MODIFIED' : 'ADDED'
    return was ? 'DELETED' : null
  }

  private tell(type: Type, object: ApiObject): Promise<void> {
    return this.write(
      JSON.stringify({ type, object: this.formed(asServed(this.target.served, object)) }),
    )
  }

  private formed(object: ApiObject): ApiObject {
    const { form, included, now } = this.shape
    if (form === 'metadata') return metadataOf(object)
    if (form === 'object') return object
    const { columnDefinitions, ...table } = tableOf(
      this.kind,
      [object],
      {},
      { now: now(), included },
    )
    // The head is told once.
    const isFirst = !this.hasHead
    this.hasHead = true
    return { ...table, columnDefinitions: isFirst ? columnDefinitions : null }
  }

  private bookmark(annotations?: Readonly<Record<string, string>>): Promise<void> {
    const { kind } = this.target.served.resource
    const metadata = {
      resourceVersion: String(this.last),
      creationTimestamp: null,
      ...(annotations ? { annotations } : {}),
    }
    const object = asServed(this.target.served, { apiVersion: '', kind, metadata })
    return this.write(JSON.stringify({ type: 'BOOKMARK', object }))
  }

  private async write(line: string): Promise<void> {
    if (this.isOver || this.response.write(`${line}\n`)) return
    await new Promise<void>((done) => {
      this.response.once('drain', done)
      this.response.once('close', done)
    })
  }

  private end(): void {
    this.stop()
    this.response.end()
    // Who has taken nothing until now is not waited for.
    if (this.response.writableNeedDrain) this.response.destroy()
  }

  private stop(): void {
    this.isOver = true
    this.leave()
    if (this.timer) clearTimeout(this.timer)
    for (const timer of this.timers) clearTimeout(timer)
  }
}
