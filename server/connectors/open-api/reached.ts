/**
 * A cluster that is reached through its API: what it offers is discovered, what Gyrarch shows of that is followed, and
 * every few seconds it is asked whether it still answers. All times are of the wall.
 */
import type { ReachKind, ReachReport, ReachReason, UsageReport } from '~/core/contract'
import { type ApiObject, type Json, records, text } from '~/core/objects'
import { type ApiClient, ApiRefusal } from './client'
import { Reflector } from './reflector'
import { discovered, mayDo, needed, type Resource } from './resources'
import { said } from './says'
import { Unreached } from './transport'
import { podMetricsPath, sampleMs, UsageSamples } from './usage'
import type { Trace } from './writing'

const askMs = 3000
const answerMs = 3000
/** What somebody there has to mend is not asked for so often: each time everything is looked at anew. */
const refusedMs = 8000
/** One question without an answer may be chance: it is put again. */
const againMs = 1000
const changedMs = 400
const seenMs = 5000
/** What is offered, and as which release, is looked at anew this often. */
const lookAgainMs = 120_000

export interface ReachedEvents {
  /** Something of it is not what it was. */
  changed(): void
}

const releaseOf = (version: Json): string =>
  /^v?(\d+\.\d+\.\d+)/.exec(text(version['gitVersion']))?.[1] ?? ''

export class Reached {
  release = ''
  private readonly reflectors = new Map<string, Reflector>()
  private withheld = new Set<string>()
  private heard = false
  private reason: ReachReason | null = null
  private says = said('reach.asking', {}).says
  private lastHeard: number | null
  private readonly controller = new AbortController()
  private timer: NodeJS.Timeout | null = null
  private changing: NodeJS.Timeout | null = null
  private asking: Promise<void> | null = null
  private lookedAt = 0
  private readonly used = new UsageSamples()
  private sampledAt = 0

  constructor(
    readonly name: string,
    readonly kind: ReachKind,
    readonly client: ApiClient,
    private readonly events: ReachedEvents,
    lastHeardWall: string | null = null,
  ) {
    this.lastHeard = lastHeardWall === null ? null : Date.parse(lastHeardWall)
  }

  /** Asks who is there, what it offers and lets Gyrarch read, and lists it all. Rejects with an `Unreached`. */
  async open(signal: AbortSignal, told: (what: ReturnType<typeof said>) => void): Promise<void> {
    const both = AbortSignal.any([signal, this.controller.signal])
    const { client } = this
    const version = await this.orUnreached(client.get('/version', both))
    if (text(version['gitVersion']) === '')
      throw new Unreached(
        'not-the-api',
        said('not-the-api.version', { address: client.transport.address }).says,
      )
    this.release = releaseOf(version)
    told(said('reach.answered', { address: client.transport.address, release: this.release }))
    const resources = await this.orUnreached(discovered(client, both))
    const allowed = await this.orUnreached(this.allowed(resources, both))
    told(said('reach.rights', { lists: allowed.length, of: resources.length }))
    this.follow(allowed)
    await Promise.all(
      [...this.reflectors.values()].map((reflector) =>
        this.orUnreached(reflector.list(both), reflector.resource),
      ),
    )
    this.lookedAt = Date.now()
    this.nowHeard()
    told(said('reach.listed', { objects: this.objects().length }))
  }

  /** Goes on following: from now on, until it is closed. */
  start(): void {
    if (this.heard) for (const reflector of this.reflectors.values()) reflector.start()
    this.soon(this.heard ? askMs : 0)
  }

  close(): void {
    this.closeQuietly()
    this.client.transport.close()
  }

  /** The same, but for what it stands on: that may serve another. */
  closeQuietly(): void {
    this.controller.abort(new Error('closed'))
    if (this.timer) clearTimeout(this.timer)
    if (this.changing) clearTimeout(this.changing)
    this.stopFollowing()
  }

  get isHeard(): boolean {
    return this.heard
  }

  report(): ReachReport {
    return {
      kind: this.kind,
      heard: this.heard,
      reason: this.reason,
      lastHeardWall: this.lastHeard === null ? null : new Date(this.lastHeard).toISOString(),
      says: this.says,
      address: this.client.transport.address,
      watched: [...this.reflectors.keys()].filter((name) => !this.withheld.has(name)).sort(),
      withheld: [...this.withheld].sort(),
    }
  }

  objects(): readonly Json[] {
    return [...this.reflectors.values()].flatMap((reflector) => [...reflector.objects()])
  }

  get address(): string {
    return this.client.transport.address
  }

  of(name: string): readonly Json[] {
    return [...(this.reflectors.get(name)?.objects() ?? [])]
  }

  /** Waits until the lists hold what was written; past a moment whoever reads them does without. */
  async seen(traces: readonly Trace[]): Promise<void> {
    const until = Date.now() + seenMs
    const isMissing = (): boolean =>
      traces.some(({ kind, namespace, name, version }) => {
        const reflector = [...this.reflectors.values()].find(
          ({ resource }) => resource.kind === kind,
        )
        return reflector ? !reflector.holds(namespace, name, version) : false
      })
    while (isMissing() && Date.now() < until && !this.controller.signal.aborted)
      await new Promise((done) => setTimeout(done, 50))
    // At once: whoever wrote it is about to look.
    this.events.changed()
  }

  /** Somebody has reason to doubt that it is heard. */
  doubt(): void {
    if (!this.controller.signal.aborted) this.soon(0)
  }

  private follow(resources: readonly Resource[]): void {
    for (const resource of resources) {
      const before = this.reflectors.get(resource.name)
      if (before?.resource.path === resource.path) continue
      before?.stop()
      this.withheld.delete(resource.name)
      this.reflectors.set(
        resource.name,
        new Reflector(this.client, resource, {
          changed: () => this.changed(),
          withheld: ({ name }, status) => this.lost(name, status),
          failed: () => this.doubt(),
        }),
      )
    }
    for (const [name, reflector] of this.reflectors) {
      if (resources.some((resource) => resource.name === name)) continue
      reflector.stop()
      this.reflectors.delete(name)
    }
  }

  private stopFollowing(): void {
    for (const reflector of this.reflectors.values()) reflector.stop()
  }

  private lost(name: string, status: number): void {
    this.withheld.add(name)
    // Served no more, or elsewhere: what is offered is looked at anew.
    if (status === 404) this.lookedAt = 0
    if (needed.includes(name)) this.unheard('rights-missing', this.rightsSay([name]))
    this.changed()
    this.doubt()
  }

  private rightsSay(names: readonly string[]): string {
    return said('rights-missing', { address: this.client.transport.address, resources: names }).says
  }

  /** The lists that may be read. Rejects where one that is needed may not. */
  private async allowed(
    resources: readonly Resource[],
    signal: AbortSignal,
  ): Promise<readonly Resource[]> {
    const answers = await Promise.all(
      resources.map(async (resource) => {
        const [mayList, mayWatch] = await Promise.all([
          mayDo(this.client, resource, 'list', signal),
          mayDo(this.client, resource, 'watch', signal),
        ])
        return { resource, may: mayList && mayWatch }
      }),
    )
    this.withheld = new Set(answers.flatMap(({ resource, may }) => (may ? [] : [resource.name])))
    const names = new Set(answers.flatMap(({ resource, may }) => (may ? [resource.name] : [])))
    const missing = needed.filter((name) => !names.has(name))
    if (missing.length > 0) throw new Unreached('rights-missing', this.rightsSay(missing))
    return answers.flatMap(({ resource, may }) => (may ? [resource] : []))
  }

  /** A refusal of the API as what it comes down to for who wants to read it. */
  private async orUnreached<T>(work: Promise<T>, resource?: Resource): Promise<T> {
    try {
      return await work
    } catch (error) {
      if (!(error instanceof ApiRefusal)) throw error
      const { address } = this.client.transport
      if (error.status === 403)
        throw new Unreached(
          'rights-missing',
          resource
            ? this.rightsSay([resource.name])
            : said('rights-missing.said', { address, says: error.message }).says,
        )
      if (error.status >= 500 || error.status === 429)
        throw new Unreached('unreachable', said('refused', { address, says: error.message }).says)
      throw new Unreached('not-the-api', said('refused', { address, says: error.message }).says)
    }
  }

  // Whether it is heard.

  private soon(ms: number): void {
    if (this.controller.signal.aborted) return
    if (this.timer) clearTimeout(this.timer)
    this.timer = setTimeout(() => {
      this.asking ??= this.ask().finally(() => {
        this.asking = null
        this.soon(this.pause())
      })
    }, ms)
  }

  private pause(): number {
    if (this.heard) return askMs
    return this.reason === 'unreachable' || this.reason === null ? askMs / 2 : refusedMs
  }

  private async ask(): Promise<void> {
    try {
      await this.question().catch(async (error: unknown) => {
        if (!(error instanceof Unreached) || error.reason !== 'unreachable' || !this.heard)
          throw error
        await new Promise((done) => setTimeout(done, againMs))
        await this.question()
      })
      if (!this.heard) await this.begin()
      this.nowHeard()
      if (Date.now() - this.lookedAt > lookAgainMs) await this.lookAgain()
      if (Date.now() - this.sampledAt >= sampleMs) await this.sample()
    } catch (error) {
      if (this.controller.signal.aborted) return
      const { reason, message } =
        error instanceof Unreached
          ? error
          : new Unreached('unreachable', (error as Error).message.slice(0, 300))
      this.unheard(reason, message)
    }
  }

  private async question(): Promise<void> {
    const signal = AbortSignal.any([this.controller.signal, AbortSignal.timeout(answerMs)])
    const { address } = this.client.transport
    try {
      await this.orUnreached(this.client.get('/api/v1/namespaces?limit=1', signal))
    } catch (error) {
      if (error instanceof Unreached || this.controller.signal.aborted) throw error
      throw new Unreached('unreachable', said('too-slow', { address }).says)
    }
  }

  /** It answers again, or for the first time since this server started. */
  private async begin(): Promise<void> {
    if (this.reflectors.size === 0 || this.withheld.size > 0) {
      await this.open(AbortSignal.timeout(60_000), () => undefined)
    }
    for (const reflector of this.reflectors.values()) reflector.start()
  }

  /** Asks the metrics API what pods use now. Where there is none, or it may not be read, nothing is known of that. */
  private async sample(): Promise<void> {
    this.sampledAt = Date.now()
    const signal = AbortSignal.any([this.controller.signal, AbortSignal.timeout(30_000)])
    try {
      const answer = await this.client.get(podMetricsPath, signal)
      this.used.take(records(answer['items']), this.owners())
    } catch (error) {
      const isTheirs = error instanceof ApiRefusal || error instanceof Unreached
      if (!isTheirs && !signal.aborted) throw error
    }
  }

  /** Pods, and what stands between them and the workloads that they belong to. */
  private owners(): readonly ApiObject[] {
    const names = ['pods', 'replicasets.apps', 'jobs.batch']
    return names.flatMap((name) => this.of(name)) as readonly Json[] as readonly ApiObject[]
  }

  /** What pods used; null where nothing tells. */
  usage(): readonly UsageReport[] | null {
    return this.used.report(this.owners())
  }

  private async lookAgain(): Promise<void> {
    const signal = AbortSignal.any([this.controller.signal, AbortSignal.timeout(30_000)])
    this.lookedAt = Date.now()
    const release = releaseOf(await this.orUnreached(this.client.get('/version', signal)))
    const hadGone = [...this.reflectors.values()].some((reflector) =>
      this.withheld.has(reflector.resource.name),
    )
    if (release === this.release && !hadGone) return
    this.release = release
    this.follow(await this.orUnreached(this.allowed(await discovered(this.client, signal), signal)))
    for (const reflector of this.reflectors.values()) reflector.start()
    this.changed()
  }

  private nowHeard(): void {
    this.lastHeard = Date.now()
    if (this.heard) return
    this.heard = true
    this.reason = null
    this.says = said('reach.heard', { address: this.client.transport.address }).says
    this.changed()
  }

  private unheard(reason: ReachReason, says: string): void {
    const isNews = this.heard || this.reason !== reason
    this.heard = false
    this.reason = reason
    this.says = says
    // What is open may lead nowhere any more, and nothing would say so.
    this.stopFollowing()
    if (isNews) this.changed()
  }

  /** Told at most so often: a roll-out changes hundreds of objects in a second. */
  private changed(): void {
    this.changing ??= setTimeout(() => {
      this.changing = null
      this.events.changed()
    }, changedMs)
  }
}
