/**
 * Judges drafts, proves runs and finds remedies apart from the event loop: in a thread that keeps the slices of the fleet and is sent only those that
 * have become others. Without a built thread (tests) it is done here. What was judged is kept by draft and version of
 * the fleet, so that reading a draft again judges nothing.
 */
import { Worker } from 'node:worker_threads'
import type { Finding, Plan, Proof, StepResults } from '~/core/changes'
import { type FleetView, knownObjects } from '~/core/fleet'
import type { Draft, Needs } from '~/core/kinds'
import type { ObjectVerdicts } from '~/core/manifests'
import type { WaveLane } from '~/core/releases/changes'
import type { Expected } from '~/core/wire'
import { Refusal } from '../changes/errors'
import { breath } from '../breath'
import type { Fleet } from '../fleet/fleet'
import type { Judged } from './judge'
import type { FromJudge, ToJudge } from './judge-thread'
import { ListsSent } from './lists'
import type { FailedRun, RunRemedy } from './run-remedies'
import { frameOf, type Slices, slicesOf } from './slices'
import type { KnownTrouble, TroublesAsked } from './troubles'
import { answerTask, type Task, type Tasks } from './tasks'

/** A question may ask for more at most so often: what is offered may itself offer. */
const mostRounds = 4
const mostKept = 400
const mostBoards = 4
/** What the thread may hold beside the server, and how long one question may take it. */
const mostMiB = 1024
const mostMs = 120_000
/** A judgement depends on the time as well: it is made anew after so many milliseconds of clock. */
const keptMs = 600_000

export interface Verdict extends Judged {
  /** The picture that it was judged by. */
  readonly view: FleetView
}

/** A thread that judges, and what it has been sent. */
interface Running {
  readonly worker: Worker
  readonly sent: Map<string, unknown>
  readonly lists: ListsSent
}

interface Waiting {
  readonly resolve: (answer: FromJudge) => void
  readonly reject: (error: Error) => void
}

interface Kept {
  readonly key: string
  readonly timings: FleetView['timings']
  readonly at: number
  readonly verdict: Verdict
}

export class Judges {
  private running: Running | null = null
  private waiting: { readonly id: number; readonly of: Waiting } | null = null
  private next = 0
  private lane: Promise<unknown> = Promise.resolve()
  private readonly kept = new Map<number, Kept>()
  /** Of the clusters looked at last, by the objects that they were placed from. */
  private readonly boards = new Map<
    string,
    { readonly objects: unknown; readonly answer: Promise<string> }
  >()

  constructor(
    private readonly fleet: Fleet,
    private readonly thread: URL | undefined,
  ) {}

  /** Judges a draft by the fleet as it is now; of a run that is amended, without what it has taken. Cancelled, it is refused. */
  async judge(
    kind: string,
    draft: Draft,
    signal?: AbortSignal,
    without: { readonly plan: Plan; readonly change: string } | null = null,
  ): Promise<Verdict> {
    let seen: Needs = {
      objectsOf: draft.objectsOf,
      walksAt: draft.walksAt,
      published: draft.published,
    }
    for (let round = 0; ; round++) {
      const view = await this.fleet.viewFor(seen.objectsOf, seen.walksAt, seen.published)
      const { intent } = draft
      const answer = await this.ask({ task: 'judge', kind, intent, seen, without }, view, signal)
      if ('judged' in answer) return { ...answer.judged, view }
      if (round >= mostRounds) throw new Error(`${kind} asks for more and more`)
      seen = answer.needs
    }
  }

  /** What a draft is called: some are read through for it. */
  async label(kind: string, { intent }: Draft): Promise<string> {
    return this.ask({ task: 'label', kind, intent }, await this.fleet.view())
  }

  /** The proofs of a draft that has run, by a picture. */
  prove(
    kind: string,
    draft: Draft,
    results: StepResults,
    view: FleetView,
  ): Promise<readonly Proof[]> {
    return this.ask({ task: 'prove', kind, intent: draft.intent, results }, view)
  }

  /** What is expected of anybody, walked in a picture (`fleet.withExpected`). */
  expectations(view: FleetView): Promise<readonly Expected[]> {
    return (view.expectations ?? []).length === 0
      ? Promise.resolve([])
      : this.ask({ task: 'expectations' }, view)
  }

  /** What becomes of each object of a drafted text. */
  verdicts(
    intent: unknown,
    findings: readonly Finding[],
    view: FleetView,
    signal?: AbortSignal,
  ): Promise<readonly ObjectVerdicts[]> {
    return this.ask({ task: 'verdicts', intent, findings }, view, signal)
  }

  /** What gets a run past its failures. */
  remedies(run: FailedRun, view: FleetView, signal?: AbortSignal): Promise<readonly RunRemedy[]> {
    return this.ask({ task: 'remedies', ...run }, view, signal)
  }

  /** What is broken in a cluster, by a picture with its objects and ways. */
  troubles(asked: TroublesAsked, view: FleetView): Promise<readonly KnownTrouble[]> {
    return this.ask({ task: 'troubles', ...asked }, view)
  }

  /** Those that do not hold, as troubles (`fleet.withExpected`). */
  brokenExpectations(view: FleetView): Promise<readonly KnownTrouble[]> {
    return (view.expectations ?? []).length === 0
      ? Promise.resolve([])
      : this.ask({ task: 'broken-expectations' }, view)
  }

  /** What applying a manifest would do, object by object. */
  async applied(draft: Draft): Promise<Tasks['applied']['answer']> {
    const view = await this.fleet.viewFor(draft.objectsOf, draft.walksAt, draft.published)
    return this.ask({ task: 'applied', intent: draft.intent }, view)
  }

  /** A zone file against what a site serves, as the JSON of a `ZoneRead`. */
  zone(text: string, site: string, view: FleetView): Promise<Tasks['zone']['answer']> {
    return this.ask({ task: 'zone', text, site }, view)
  }

  /** Ranges of CSV against what is known of addresses, as the JSON of a `LedgerRead`. */
  ledger(text: string, view: FleetView): Promise<Tasks['ledger']['answer']> {
    return this.ask({ task: 'ledger', text }, view)
  }

  /** A layered file as it becomes for an environment; for null its base alone. */
  async layers(text: string, environment: string | null): Promise<Tasks['layers']['answer']> {
    return this.ask({ task: 'layers', text, environment }, await this.fleet.view())
  }

  /** Clusters on their way to a release, wave by wave, by a picture with their objects and what is published. */
  waves(asked: Tasks['waves']['asked'], view: FleetView): Promise<readonly WaveLane[]> {
    return this.ask({ task: 'waves', ...asked }, view)
  }

  /** The pairs of a storage network, each walked, by a picture with the ways of the cluster. */
  pairs(cluster: string, network: string, view: FleetView): Promise<Tasks['pairs']['answer']> {
    return this.ask({ task: 'pairs', cluster, network }, view)
  }

  /** Of those the ones that a page shows, some nodes among them. */
  pairsShown(
    asked: Tasks['pairs-shown']['asked'],
    view: FleetView,
  ): Promise<Tasks['pairs-shown']['answer']> {
    return this.ask({ task: 'pairs-shown', ...asked }, view)
  }

  /** Who holds the volumes of a cluster, by a picture with its objects. */
  holders(cluster: string, view: FleetView): Promise<Tasks['holders']['answer']> {
    return this.ask({ task: 'holders', cluster }, view)
  }

  /** What stands where in a cluster, as the JSON of a `Placed`, by a picture with its objects. */
  board(cluster: string, view: FleetView): Promise<Tasks['board']['answer']> {
    const objects = knownObjects(view, cluster)
    const before = this.boards.get(cluster)
    if (before && before.objects === objects) return before.answer
    const answer = this.ask({ task: 'board', cluster }, view)
    this.boards.delete(cluster)
    this.boards.set(cluster, { objects, answer })
    for (const oldest of this.boards.keys()) {
      if (this.boards.size <= mostBoards) break
      this.boards.delete(oldest)
    }
    answer.catch(() => this.boards.delete(cluster))
    return answer
  }

  /** The objects of a cluster that a browser places itself, as JSON. */
  boardObjects(cluster: string, view: FleetView): Promise<Tasks['board-objects']['answer']> {
    return this.ask({ task: 'board-objects', cluster }, view)
  }

  /** Windows of an iCalendar text. */
  async calendar(text: string): Promise<Tasks['calendar']['answer']> {
    return this.ask({ task: 'calendar', text }, await this.fleet.view())
  }

  /** The same of a draft that is kept under a number: anew only if it or the fleet is another. */
  async judgeKept(
    of: { readonly number: number; readonly version: number; readonly kind: string },
    draft: Draft,
    signal?: AbortSignal,
  ): Promise<Verdict> {
    const view = await this.fleet.view()
    const key = `${of.version} ${view.version}`
    const { timings } = view
    const now = Date.parse(view.now)
    const before = this.kept.get(of.number)
    if (before?.key === key && before.timings === timings && now - before.at < keptMs)
      return before.verdict
    const verdict = await this.judge(of.kind, draft, signal)
    // What it was judged by may be another than what was looked at before.
    if (verdict.view.version === view.version) {
      this.kept.delete(of.number)
      this.kept.set(of.number, { key, timings, at: now, verdict })
      for (const oldest of this.kept.keys()) {
        if (this.kept.size <= mostKept) break
        this.kept.delete(oldest)
      }
    }
    return verdict
  }

  async close(): Promise<void> {
    await this.running?.worker.terminate()
    this.running = null
  }

  private ask<T extends Task>(
    task: T,
    view: FleetView,
    signal?: AbortSignal,
  ): Promise<Tasks[T['task']]['answer']> {
    const { thread } = this
    const turn = thread
      ? this.lane.then(() => this.inThread(thread, task, view, signal))
      : Promise.resolve().then((): unknown => answerTask(task, view))
    if (thread) this.lane = turn.catch(() => undefined)
    return turn as Promise<Tasks[T['task']]['answer']>
  }

  private async inThread(
    thread: URL,
    task: Task,
    view: FleetView,
    signal: AbortSignal | undefined,
  ): Promise<unknown> {
    if (signal?.aborted) throw cancelled()
    const running = this.started(thread)
    const { worker } = running
    await send(running, view)
    if (signal?.aborted) throw cancelled()
    const id = this.next++
    const stop = (): void => {
      this.lost(cancelled())
      void worker.terminate()
    }
    const timer = setTimeout(() => {
      this.lost(tooMuch(`It was not judged within ${mostMs / 1000} s.`))
      void worker.terminate()
    }, mostMs)
    signal?.addEventListener('abort', stop)
    try {
      const told = await new Promise<FromJudge>((resolve, reject) => {
        this.waiting = { id, of: { resolve, reject } }
        worker.postMessage({ what: 'task', id, task, frame: frameOf(view) } satisfies ToJudge)
      })
      if ('error' in told) throw new Error(told.error)
      return told.answer
    } finally {
      clearTimeout(timer)
      signal?.removeEventListener('abort', stop)
      this.waiting = null
    }
  }

  private started(thread: URL): Running {
    if (this.running) return this.running
    const worker = new Worker(thread, { resourceLimits: { maxOldGenerationSizeMb: mostMiB } })
    worker.on('message', (answer: FromJudge) => {
      if (this.waiting?.id === answer.id) this.waiting.of.resolve(answer)
    })
    worker.on('error', (error: unknown) => this.lost(lossOf(error)))
    worker.unref()
    this.running = { worker, sent: new Map(), lists: new ListsSent() }
    return this.running
  }

  /** The thread is no more: who waits is told, and the next question starts another. */
  private lost(error: Error): void {
    this.running = null
    this.waiting?.of.reject(error)
  }
}

const aboutCluster = /^(?:objects|traffic)\/(.*)$/

/** Whether the fleet has that of which a slice tells: others are dropped, lists of its clusters kept for the next who asks. */
function isGone(key: string, slices: Slices): boolean {
  if (slices.has(key)) return false
  const [, cluster] = aboutCluster.exec(key) ?? []
  return cluster === undefined ? /^(?:site|cluster)\//.test(key) : !slices.has(`cluster/${cluster}`)
}

/** Sends what the thread has not, some of it at a time, so that none of it holds the event loop for long. */
async function send({ worker, sent, lists }: Running, view: FleetView): Promise<void> {
  const post = (message: ToJudge): void => worker.postMessage(message)
  const slices = slicesOf(view)
  for (const [key, value] of slices) {
    if (sent.get(key) === value) continue
    if (Array.isArray(value))
      for (const message of lists.messages(key, value as readonly object[])) {
        post(message)
        await breath()
      }
    else post({ what: 'slice', key, value })
    sent.set(key, value)
    await breath()
  }
  for (const key of [...sent.keys()]) {
    if (!isGone(key, slices)) continue
    sent.delete(key)
    lists.drop(key)
    post({ what: 'slice', key, value: undefined })
  }
}

function lossOf(error: unknown): Error {
  if ((error as NodeJS.ErrnoException).code === 'ERR_WORKER_OUT_OF_MEMORY')
    return tooMuch(`Judging it needs more than ${mostMiB / 1024} GiB of memory.`)
  return error instanceof Error ? error : new Error(String(error))
}

const tooMuch = (says: string): Refusal => {
  const whole = `${says} Draft it in parts.`
  return new Refusal('too-large', whole, [{ path: '', says: whole }])
}

const cancelled = (): Refusal => new Refusal('unavailable', 'Judging it was cancelled.')
