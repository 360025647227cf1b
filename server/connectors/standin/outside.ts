/**
 * The stand-ins as the server holds them: a clock that runs, a log of commands, and what can be asked.
 * The clock advances in turns. A turn runs the engine up to the wall’s share of clock time, but stops at every event
 * that a command waits for and at every time the runner has asked to be woken, and goes on only once the runner is at rest.
 */
import { randomUUID } from 'node:crypto'
import { join } from 'node:path'
import type {
  Connector,
  ConnectorListener,
  Observe,
  Outcome,
  RegistryAccess,
} from '~/core/contract'
import type { Fault } from '~/standin'
import type { RunReport } from './engine'
import type { EngineLink } from './engine-link'
import { StandinStore } from './store'
import { Observed } from './observed'
import { StartRefusal, storageCode } from '~/server/records/start-refusal'
import { type ClockKeeper, type OutsideOptions, type Speed, speeds } from './clock-keeper'
import { isSlice, outcomeOf } from './outcome'

const mostEvents = 20_000
const snapshotEvents = 50_000
const snapshotWallMs = 60_000
const turnWallMs = 100
const standMs = 2000
/** However far the clock is sent, what has changed is told at least this often of it: watchers look in time. */
const mostLeapMs = 60_000

export class Outside extends Observed implements Connector, Observe {
  readonly name = 'stand-ins'
  readonly tells = true
  private readonly store: StandinStore
  private keeper: ClockKeeper | null = null
  private listener: ConnectorListener | null = null
  private nowMs = 0
  private processed = 0
  private speedNow: Speed = 1
  private calmNow = true
  /** Whether it was calm, and no person, that made the clock faster. */
  private hurried = false
  private timer: NodeJS.Timeout | null = null
  private base = { clock: 0, wall: 0 }
  private saved = { processed: 0, wall: 0, clock: 0 }
  private closed = false
  /** On the wall: until then the clock stands, for want of a disk that can be written. */
  private standsUntil = 0
  /** What sends the clock ahead: to where, and until when on the wall. */
  private sent: { readonly target: number; until: number } | null = null
  private turning = false
  private slip = false

  private constructor(link: EngineLink, store: StandinStore) {
    super(link)
    this.store = store
  }

  static async open(options: OutsideOptions): Promise<Outside> {
    const store = await StandinStore.open(join(options.dir, 'standin.sqlite'))
    const outside = new Outside(options.link, store)
    const start = Date.parse(options.scenario.start)
    if ((await store.mark('clock')) === null) {
      if (options.mayBegin === false) {
        await store.close()
        throw new StartRefusal(
          `${join(options.dir, 'standin.sqlite')} holds no world although there are records of one. Put the whole set back with \`npm run restore\`, or begin anew in another folder with --data.`,
        )
      }
      const seed = options.seed ?? 20_260_302
      await options.link.ask('build', {
        scenario: options.scenario,
        seed,
        nodes: options.nodes,
        at: start,
      })
      await store.snapshot(await options.link.ask('chunks', { all: true }), start)
      await store.setMarks({ clock: String(start), speed: '1', calm: 'yes' })
      outside.nowMs = start
    } else {
      await options.link.ask('restore', { chunks: await store.chunks() })
      const until = Math.max(Number((await store.mark('clock')) ?? start), options.notBefore)
      const report = await options.link.ask('replay', { commands: await store.unsnapshot(), until })
      outside.nowMs = report.now
      outside.processed = report.processed
    }
    const speed = Number((await store.mark('speed')) ?? 1)
    outside.speedNow = speeds.find((existingSpeed) => existingSpeed === speed) ?? 1
    outside.calmNow = (await store.mark('calm')) !== 'no'
    outside.hurried = (await store.mark('hurried')) === 'yes'
    outside.saved = { processed: outside.processed, wall: Date.now(), clock: outside.nowMs }
    return outside
  }

  /** From here on the clock minds who keeps it. */
  keep(keeper: ClockKeeper): void {
    this.keeper = keeper
  }

  connect(listener: ConnectorListener): void {
    this.listener = listener
  }

  /** Everything simulated lives by one clock. */
  get clock(): { readonly now: number } {
    return this
  }

  /** Starts the clock. */
  start(): void {
    this.rebase()
    this.timer = setInterval(() => void this.turn(), turnWallMs)
  }

  /** Milliseconds on the clock. */
  get now(): number {
    return this.nowMs
  }

  get speed(): Speed {
    return this.speedNow
  }

  get calm(): boolean {
    return this.calmNow
  }

  /** Whether real work cannot keep up and the clock runs slower than set. */
  get slipping(): boolean {
    return this.slip
  }

  /** A person’s choice: calm leaves it as it is. */
  setSpeed(speed: Speed): Promise<void> {
    return this.takeSpeed(speed, false)
  }

  private async takeSpeed(speed: Speed, hurried: boolean): Promise<void> {
    this.speedNow = speed
    this.hurried = hurried
    this.rebase()
    await this.store.setMarks({ speed: String(speed), hurried: hurried ? 'yes' : 'no' })
    this.keeper?.clock()
  }

  async setCalm(calm: boolean): Promise<void> {
    this.calmNow = calm
    await this.store.setMarks({ calm: calm ? 'yes' : 'no' })
    this.keeper?.clock()
  }

  /** A change has begun or all have ended: while calm, the clock hurries only in between. What a person chose meanwhile stays. */
  async busy(isBusy: boolean): Promise<void> {
    if (!this.calmNow || this.speedNow === 0) return
    if (isBusy && this.speedNow < 60) await this.takeSpeed(60, true)
    if (!isBusy && this.hurried) await this.takeSpeed(1, false)
  }

  /** Where the clock is being sent, in ms of the clock; null while it goes at its own speed. */
  get headingFor(): number | null {
    return this.sent?.target ?? null
  }

  /**
   * Runs the clock ahead by `seconds`, whatever its speed; resolves when it has got there, or has been stopped, or
   * `mostWallMs` have passed.
   */
  async advance(seconds: number, mostWallMs = Infinity): Promise<void> {
    const sent = { target: this.nowMs + Math.round(seconds * 1000), until: Date.now() + mostWallMs }
    this.sent = sent
    try {
      await this.runTo(sent.target, sent)
    } finally {
      if (this.sent === sent) this.sent = null
      this.rebase()
      this.keeper?.clock()
    }
  }

  /** Ends what sends the clock ahead; it stays where it has got to. */
  stopAdvancing(): void {
    if (this.sent) this.sent.until = 0
  }

  /** Writes down how far the clock has got: whoever is told so finds it there, even after a kill. */
  async keepTime(): Promise<void> {
    await this.inLane(() => this.markClock())
  }

  /** Runs the clock to the next thing that happens: an event of the stand-ins or something the runner waits for. */
  async toNextEvent(): Promise<void> {
    await this.keeper?.atRest()
    const report = await this.inLane(() =>
      this.link.ask('run', { until: this.nowMs, mostEvents: 0 }),
    )
    const times = [report.nextEventAt, this.keeper?.wakeAt() ?? null].filter(
      (at): at is number => at !== null,
    )
    if (times.length === 0) return
    await this.runTo(Math.max(this.nowMs, Math.min(...times)))
    this.rebase()
  }

  async issue(key: string, verb: string, args: Readonly<Record<string, unknown>>): Promise<void> {
    await this.inLane(async () => {
      // Committed before it takes effect: after a crash the log repeats it.
      const fresh = await this.store.append({
        key,
        verb,
        args,
        clock: this.nowMs,
        processed: this.processed,
      })
      if (fresh) await this.link.ask('command', { key, verb, args })
      return fresh
    }).then(async (fresh) => {
      if (fresh) return
      // A repeated key: its first result stands, and is told again.
      const outcome = await this.lookup(key)
      if (outcome.known && outcome.ended) this.listener?.ended(key, outcome)
    })
  }

  async lookup(key: string): Promise<Outcome> {
    const op = await this.inLane(() => this.link.ask('lookup', { key }))
    if (op) return outcomeOf(op)
    const stored = await this.store.find(key)
    return stored
      ? {
          known: true,
          ended: true,
          at: stored.endedAt,
          result: stored.result,
          failure: stored.failure,
          evidence: stored.evidence,
        }
      : { known: false }
  }

  async enterCredential(site: string, fingerprint: string, until: number): Promise<void> {
    await this.issue(`credential/${site}/${fingerprint}`, 'credential.enter', {
      site,
      fingerprint,
      until,
    })
    await this.tell()
  }

  /** A registry tells those who pull from it what it holds. */
  async tellRegistry(told: {
    readonly host: string
    readonly repositories: Readonly<Record<string, Readonly<Record<string, string>>>>
    readonly judged: Readonly<Record<string, unknown>>
    readonly access: RegistryAccess
  }): Promise<void> {
    await this.issue(`registry/${told.host}/${randomUUID()}`, 'registry.tell', { ...told })
    await this.tell()
  }

  /** Puts a fault into the world, now or after some seconds. `kind` is one that `faultObjection` has nothing against. */
  async putFault(
    fault: Omit<Fault, 'since' | 'kind'> & { readonly kind: string },
    afterSeconds: number,
  ): Promise<void> {
    await this.issue(`fault/${fault.id}`, 'fault.put', {
      fault: { ...fault, since: this.nowMs + afterSeconds * 1000 },
      afterSeconds,
    })
    await this.tell()
  }

  async endFault(id: string): Promise<void> {
    await this.issue(`fault/${id}/end`, 'fault.end', { id })
    await this.tell()
  }

  /** Has the engine say what the last command changed, without letting time pass. */
  private async tell(mostNow = 0): Promise<void> {
    const report = await this.inLane(async () => {
      const answer = await this.link.ask('run', { until: this.nowMs, mostEvents: mostNow })
      this.processed = answer.processed
      return answer
    })
    this.spread(report)
  }

  /** Carries out a command that takes no time: it has ended when this resolves, and so has what follows in the same moment. */
  async atOnce(
    key: string,
    verb: string,
    args: Readonly<Record<string, unknown>>,
  ): Promise<Outcome> {
    await this.issue(key, verb, args)
    await this.tell(mostEvents)
    return this.lookup(key)
  }

  /** Stops the clock for good; what is under way can still be asked about. */
  halt(): void {
    this.closed = true
    if (this.timer) clearInterval(this.timer)
  }

  async close(): Promise<void> {
    this.halt()
    await this.inLane(async () => {
      await this.save()
      await this.link.close()
    })
    await this.store.close()
  }

  private rebase(): void {
    this.base = { clock: this.nowMs, wall: Date.now() }
  }

  private async turn(): Promise<void> {
    if (this.turning || this.closed || this.speedNow === 0 || Date.now() < this.standsUntil) return
    this.turning = true
    try {
      const target = this.base.clock + (Date.now() - this.base.wall) * this.speedNow
      await this.runTo(target)
      const behind = this.base.clock + (Date.now() - this.base.wall) * this.speedNow - this.nowMs
      this.slip = behind > 2000 * this.speedNow
      if (this.slip) this.rebase()
      await this.inLane(() => this.saveIfDue())
    } catch (error) {
      // A disk that is full may have room later: until then the clock stands, and looks again.
      if (storageCode(error) === null) this.speedNow = 0
      else this.standsUntil = Date.now() + standMs
      this.rebase()
      this.keeper?.failed(error)
    } finally {
      this.turning = false
    }
  }

  /** Advances to `target`, with a stop at everything somebody waits for; no further once it is let go. */
  private async runTo(target: number, sent?: { readonly until: number }): Promise<void> {
    while (!this.closed && (sent === undefined || Date.now() < sent.until)) {
      await this.keeper?.atRest()
      const wake = this.keeper?.wakeAt() ?? null
      const until = Math.max(this.nowMs, Math.min(target, wake ?? target, this.nowMs + mostLeapMs))
      const report = await this.inLane(async () => {
        const answer = await this.link.ask('run', { until, mostEvents })
        this.nowMs = answer.now
        this.processed = answer.processed
        return answer
      })
      this.spread(report)
      if (wake !== null && this.nowMs >= wake) this.keeper?.woken(this.nowMs)
      await this.keeper?.atRest()
      if (this.nowMs >= target && report.ended.length === 0) return
    }
  }

  private spread(report: RunReport): void {
    for (const op of report.moved) this.listener?.evidence(op.key, op.evidence)
    if (report.changed.length > 0) this.listener?.changed(report.changed.filter(isSlice))
    for (const op of report.ended) {
      const outcome = outcomeOf(op)
      if (!outcome.known || !outcome.ended) continue
      // Kept for look-ups long after; should it fail, the log still repeats the command to the same end.
      this.store
        .ended(op.key, {
          endedAt: outcome.at,
          result: op.result,
          failure: outcome.failure,
          evidence: [...op.evidence],
        })
        .catch((error: unknown) => this.keeper?.failed(error))
      this.listener?.ended(op.key, outcome)
    }
    this.keeper?.clock()
  }

  private async saveIfDue(): Promise<void> {
    const since = Date.now() - this.saved.wall
    const events = this.processed - this.saved.processed
    if (events >= snapshotEvents || (since >= snapshotWallMs && events > 0)) await this.save()
    else if (since >= 2000 && this.nowMs !== this.saved.clock) {
      await this.markClock()
    }
  }

  private async markClock(): Promise<void> {
    this.saved.clock = this.nowMs
    await this.store.setMarks({ clock: String(Math.floor(this.nowMs)) })
  }

  private async save(): Promise<void> {
    const chunks = await this.link.ask('chunks', { all: false })
    await this.store.snapshot(chunks, this.nowMs)
    await this.store.setMarks({ clock: String(Math.floor(this.nowMs)) })
    this.saved = { processed: this.processed, wall: Date.now(), clock: this.nowMs }
  }
}
