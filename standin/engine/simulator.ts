/**
 * A deterministic discrete-event simulator of the outside world.
 * State is a World and a queue of timed events. Commands enter with a key and are carried out in stages, each of
 * which takes a seeded time and then has an effect. The same world, seed and stamped commands give the same
 * history to the byte: nothing here reads a clock or draws a number that is not named.
 * Cost: O(log n) an event for n events queued.
 */
import { type Due, dueOf, isWaitedFor, operationsOf, stored } from './due'
import { EventQueue } from './queue'
import { spreadMs } from './random'
import type { Cluster, Operation, OperationFailure, Site, World } from '../world'
import { readCommand } from '../../core/contract'
import { behaviourOf } from '../behaviours'
import { permanent } from '../failures'
import { queueTelling, settleStorage, tellStorage } from '../storage/settle'
import { startFault } from '../fault-tray'
import { queueAutoscalers, scaleDue } from '../cluster/autoscale'
import { cronDue, queueCron } from '../cluster/cron'
import { ailAgain, fillAgain } from '../cluster/fill-again'
import { queueSupport, supportDue } from '../cluster/support'
import { podEnds, podRuns } from '../cluster/controllers'
import { podFails } from '../cluster/pods'
import { meterSite } from '../sites/meter'
import { powerEvent, watchAgents } from '../sites/power'
import { lookAtTraffic } from '../traffic/flows'
import { settleFronts } from '../traffic/fronts'
import type { AnyBehaviour, Later, Sim, Snapshot } from './sim'
import { said } from './says'
import { quoted } from '../../core/contract'

const isFailure = (value: unknown): value is OperationFailure =>
  typeof value === 'object' && value !== null && 'class' in value

const isNamed = <T extends { readonly name: string }>(value: unknown, name: string): value is T =>
  typeof value === 'object' && value !== null && 'name' in value && value.name === name

/** Done commands are kept this long for repeated keys and look-ups: two days of virtual time. */
const keepMs = 2 * 86_400_000

/** The sites of a world by name: found faster than by the key of a record. */
const sitesByName = ({ sites }: World) => ({
  of: sites,
  byName: new Map<string, Site>(Object.entries(sites)),
})

const none: ReadonlySet<Operation> = new Set()

export class Simulator implements Sim {
  readonly world: World
  private readonly queue: EventQueue<Due>
  private readonly operations: Map<string, Operation>
  private clock: number
  private seq: number
  private count: number
  /** Names of what was touched since it was last asked for. */
  private readonly changedSites = new Set<string>()
  private readonly changedClusters = new Set<string>()
  /** Names of what was touched by the event under way. */
  private readonly stirredSites = new Set<string>()
  private readonly stirredClusters = new Set<string>()
  private sites: ReturnType<typeof sitesByName>
  /** What the ways of each site were made of when they were last looked at. */
  private readonly wiring = new WeakMap<
    Site,
    { readonly [K in 'firewall' | 'translations' | 'routes' | 'networks']: Site[K] | undefined }
  >()
  private ended: Operation[] = []
  private moved = new Set<Operation>()

  constructor(world: World, at: number, kept?: Pick<Snapshot, 'seq' | 'processed' | 'queue'>) {
    this.world = world
    this.sites = sitesByName(world)
    this.operations = operationsOf(world)
    this.clock = at
    this.seq = kept?.seq ?? 0
    this.count = kept?.processed ?? 0
    this.queue = new EventQueue(
      (kept?.queue ?? []).flatMap((event) => dueOf(event, this.operations) ?? []),
    )
  }

  get now(): number {
    return this.clock
  }

  /** Sets a world going that was built standing still: what follows the time of day is queued. */
  begin(): void {
    for (const site of Object.values(this.world.sites)) meterSite(site, this.clock)
    for (const cluster of Object.values(this.world.clusters)) {
      settleFronts(this, cluster)
      lookAtTraffic(this, cluster)
      queueTelling(this, cluster)
      queueSupport(this, cluster)
    }
    for (const cluster of Object.values(this.world.clusters)) queueAutoscalers(this, cluster)
    for (const cluster of Object.values(this.world.clusters))
      for (const workload of cluster.workloads)
        if (workload.kind === 'CronJob') queueCron(this, cluster, workload)
  }

  /** Events carried out since the beginning of time. */
  get processed(): number {
    return this.count
  }

  /** When something happens next, without what nobody waits for: that a cluster tells again how full its volumes are, that support ends. */
  get nextEventAt(): number | null {
    const next = this.queue.peek()
    if (!next || isWaitedFor(next)) return next?.at ?? null
    const times = this.queue.all().flatMap((event) => (isWaitedFor(event) ? event.at : []))
    return times.length === 0 ? null : times.reduce((least, at) => Math.min(least, at))
  }

  site(name: unknown): Site | undefined {
    if (typeof name !== 'string') return undefined
    // The record is replaced, never altered, when a site comes or goes.
    if (this.sites.of !== this.world.sites) this.sites = sitesByName(this.world)
    return this.sites.byName.get(name)
  }

  cluster(name: unknown): Cluster | undefined {
    if (typeof name !== 'string') return undefined
    const cluster: unknown = this.world.clusters[name]
    return isNamed<Cluster>(cluster, name) ? cluster : undefined
  }

  takes(name: string, medianSeconds: number): number {
    return this.world.steady === true
      ? medianSeconds * 1000
      : spreadMs(this.world.seed, name, medianSeconds)
  }

  schedule(delayMs: number, event: Later): void {
    this.queue.push({ at: this.clock + delayMs, seq: this.seq++, ...event })
  }

  touchSite(name: string): void {
    this.changedSites.add(name)
    // Some touch before they change: what follows is looked at when the event is over.
    this.stirredSites.add(name)
  }

  touchCluster(name: string): void {
    this.changedClusters.add(name)
    this.stirredClusters.add(name)
  }

  /** Accepts a command. A key that was seen before changes nothing: its first result stands. */
  command(key: string, verb: string, args: Readonly<Record<string, unknown>>): void {
    if (this.operations.has(key)) return
    const read = readCommand(verb, args)
    const op: Operation = {
      key,
      verb,
      args: read.ok ? read.args : args,
      startedAt: this.clock,
      stage: 0,
      endedAt: null,
      result: null,
      failure: null,
      evidence: [],
    }
    this.operations.set(key, op)
    const behaviour = behaviourOf(verb)
    if (!read.ok) this.end(op, null, permanent(read.reason, quoted(read.reason, read.says)))
    else if (!behaviour)
      this.end(op, null, permanent('unknown-verb', said('unknown-verb', { verb })))
    else this.enterStage(op, behaviour)
  }

  lookup(key: string): Operation | undefined {
    return this.operations.get(key)
  }

  /**
   * Runs up to `until` (milliseconds), or to the first event after which a command has ended, whichever comes first,
   * and no further than `mostEvents`. The clock stands at the event, or at `until`.
   */
  run(until: number, mostEvents = Infinity): void {
    let left = mostEvents
    while (left-- > 0) {
      const next = this.queue.peek()
      if (!next || next.at > until) {
        if (until > this.clock) this.clock = until
        return
      }
      this.queue.pop()
      this.clock = Math.max(this.clock, next.at)
      this.count++
      this.carryOut(next)
      this.settle()
      if (this.ended.length > 0) return
    }
  }

  /** Repeats history: runs until `processed` events are carried out, then sets the clock. */
  replayTo(processed: number, at: number): void {
    for (
      let next = this.queue.peek();
      this.count < processed && next && next.at <= at;
      next = this.queue.peek()
    )
      this.run(at, 1)
    this.ended.length = 0
    this.clock = Math.max(this.clock, at)
  }

  /** Commands that have ended, slices that have changed and commands that have evidence to show, since last asked. */
  drain(): {
    readonly ended: readonly Operation[]
    readonly moved: ReadonlySet<Operation>
    readonly changed: ReadonlySet<string>
  } {
    const { ended, moved } = this
    const changed = new Set<string>()
    for (const name of this.changedSites) changed.add(`site:${name}`)
    for (const name of this.changedClusters) changed.add(`cluster:${name}`)
    this.ended = []
    if (moved.size > 0) this.moved = new Set()
    this.changedSites.clear()
    this.changedClusters.clear()
    return { ended, moved: moved.size > 0 ? moved : none, changed }
  }

  snapshot(): Snapshot {
    for (const [key, op] of this.operations)
      if (op.endedAt !== null && op.endedAt < this.clock - keepMs) this.operations.delete(key)
    return {
      now: this.clock,
      seq: this.seq,
      processed: this.count,
      seed: this.world.seed,
      queue: this.queue.all().map(stored),
      faults: this.world.faults,
      operations: Object.fromEntries(this.operations),
      ...(this.world.images ? { images: this.world.images } : {}),
      ...(this.world.told ? { told: this.world.told } : {}),
      ...(this.world.judged ? { judged: this.world.judged } : {}),
      ...(this.world.peers ? { peers: this.world.peers } : {}),
    }
  }

  /** Called at the end of whatever can have changed something, at the same time of the clock: what follows from it by itself. */
  settle(): void {
    if (this.stirredSites.size === 0 && this.stirredClusters.size === 0) return
    // What waits for an address looks again where its site is not what it was.
    for (const name in this.world.clusters) {
      const cluster = this.cluster(name)
      if (
        cluster &&
        Object.keys(cluster.frontsWaiting ?? {}).length > 0 &&
        this.stirredSites.has(cluster.site)
      )
        settleFronts(this, cluster)
    }
    for (const name of this.stirredSites) {
      const site = this.site(name)
      if (!site) continue
      meterSite(site, this.clock)
      if (this.isRewired(site)) watchAgents(this, site)
    }
    for (const name in this.world.clusters) {
      const cluster = this.cluster(name)
      if (!cluster?.flows) continue
      if (this.stirredClusters.has(name) || this.stirredSites.has(cluster.site))
        lookAtTraffic(this, cluster)
    }
    this.stirredSites.clear()
    this.stirredClusters.clear()
  }

  /** Whether what decides a site’s ways is another than when it was last looked at. */
  private isRewired(site: Site): boolean {
    const before = this.wiring.get(site)
    if (
      before &&
      before.firewall === site.firewall &&
      before.translations === site.translations &&
      before.routes === site.routes &&
      before.networks === site.networks
    )
      return false
    const { firewall, translations, routes, networks } = site
    this.wiring.set(site, { firewall, translations, routes, networks })
    return true
  }

  private carryOut(event: Due): void {
    switch (event.kind) {
      case 'stage':
        this.finishStage(event.op, event.behaviour)
        return
      case 'pod-runs':
        podRuns(this, event.cluster, event.pod)
        return
      case 'pod-fails':
        podFails(this, event.cluster, event.pod)
        return
      case 'pod-ends':
        podEnds(this, event.cluster, event.pod)
        return
      case 'scale':
        scaleDue(this, event.cluster, event.autoscaler)
        return
      case 'cron':
        cronDue(this, event.cluster, event.workload)
        return
      case 'storage':
      case 'tell': {
        const cluster = this.cluster(event.cluster)
        if (cluster) (event.kind === 'tell' ? tellStorage : settleStorage)(this, cluster)
        return
      }
      case 'support':
        supportDue(this, event.cluster)
        return
      case 'fill':
        fillAgain(this, event.cluster, event.workload)
        return
      case 'ail':
        ailAgain(this, event.cluster, event.workload)
        return
      case 'fault':
        startFault(this, event.fault)
        return
      case 'power':
        powerEvent(this, event.site, event.machine, event.what)
        return
    }
  }

  private enterStage(op: Operation, behaviour: AnyBehaviour): void {
    const stage = behaviour.stages[op.stage]
    if (!stage) {
      this.end(op, behaviour.result?.(this, op) ?? {}, null)
      return
    }
    const usual = typeof stage.seconds === 'number' ? stage.seconds : stage.seconds(this, op)
    const median = usual * this.slowness(op)
    this.queue.push({
      at: this.clock + (median <= 0 ? 0 : this.takes(`${op.key}/${op.stage}`, median)),
      seq: this.seq++,
      kind: 'stage',
      op,
      behaviour,
    })
  }

  /** How many times as long a command takes at its site as it usually does. */
  private slowness(op: Operation): number {
    if (this.world.faults.length === 0) return 1
    const { site, cluster } = op.args
    const own = typeof cluster === 'string' ? this.cluster(cluster)?.site : undefined
    const name = typeof site === 'string' ? site : own
    return this.world.faults.some(
      ({ kind, about }) => kind === 'site-slow' && about === `site/${name ?? ''}`,
    )
      ? 1.5
      : 1
  }

  private finishStage(op: Operation, behaviour: AnyBehaviour): void {
    const seen = behaviour.stages[op.stage]?.then(this, op)
    if (isFailure(seen)) {
      this.end(op, null, seen)
      return
    }
    if (seen && 'again' in seen) {
      this.queue.push({
        at: this.clock + seen.again * 1000,
        seq: this.seq++,
        kind: 'stage',
        op,
        behaviour,
      })
      return
    }
    if (seen) {
      const { code, params, says } = seen
      op.evidence.push({ at: this.clock, code, params, says })
      this.moved.add(op)
    }
    op.stage++
    this.enterStage(op, behaviour)
  }

  private end(
    op: Operation,
    result: Record<string, unknown> | null,
    failure: OperationFailure | null,
  ): void {
    op.endedAt = this.clock
    op.result = result
    op.failure = failure
    this.ended.push(op)
  }
}
