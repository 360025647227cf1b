/**
 * Judges drafts apart from the event loop: in a thread that keeps the slices of the fleet and is sent only those that
 * have become others. Without a built thread (tests) it is done here. What was judged is kept by draft and version of
 * the fleet, so that reading a draft again judges nothing.
 */
import { Worker } from 'node:worker_threads'
import type { FleetView } from '~/core/fleet'
import type { Draft, Needs } from '~/core/kinds'
import { Refusal } from '../changes/errors'
import { breath } from '../breath'
import type { Fleet } from '../fleet/fleet'
import { judge, type Judged, unseenBy } from './judge'
import type { FromJudge, ToJudge } from './judge-thread'
import { frameOf, slicesOf } from './slices'

/** A question may ask for more at most so often: what is offered may itself offer. */
const mostRounds = 4
const mostKept = 400
/** A judgement depends on the time as well: it is made anew after so many milliseconds of clock. */
const keptMs = 600_000

export interface Verdict extends Judged {
  /** The picture that it was judged by. */
  readonly view: FleetView
}

interface Waiting {
  readonly resolve: (answer: FromJudge) => void
  readonly reject: (error: Error) => void
}

interface Kept {
  readonly key: string
  readonly at: number
  readonly verdict: Verdict
}

export class Judges {
  private worker: Worker | null = null
  private sent = new Map<string, unknown>()
  private waiting: { readonly id: number; readonly of: Waiting } | null = null
  private next = 0
  private lane: Promise<unknown> = Promise.resolve()
  private readonly kept = new Map<number, Kept>()

  constructor(
    private readonly fleet: Fleet,
    private readonly thread: URL | undefined,
  ) {}

  /** Judges a draft by the fleet as it is now. Cancelled, it is refused. */
  async judge(kind: string, draft: Draft, signal?: AbortSignal): Promise<Verdict> {
    let seen: Needs = { objectsOf: draft.objectsOf, walksAt: draft.walksAt }
    for (let round = 0; ; round++) {
      const view = await this.fleet.viewFor(seen.objectsOf, seen.walksAt)
      const answer = await this.ask(kind, draft, seen, view, signal)
      if ('judged' in answer) return { ...answer.judged, view }
      if (round >= mostRounds) throw new Error(`${kind} asks for more and more`)
      seen = answer.needs
    }
  }

  /** The same of a draft that is kept under a number: anew only if it or the fleet is another. */
  async judgeKept(
    of: { readonly number: number; readonly version: number; readonly kind: string },
    draft: Draft,
    signal?: AbortSignal,
  ): Promise<Verdict> {
    const view = await this.fleet.view()
    const key = `${of.version} ${view.version} ${Object.keys(view.timings ?? {}).length}`
    const now = Date.parse(view.now)
    const before = this.kept.get(of.number)
    if (before?.key === key && now - before.at < keptMs) return before.verdict
    const verdict = await this.judge(of.kind, draft, signal)
    // What it was judged by may be another than what was looked at before.
    if (verdict.view.version === view.version) {
      this.kept.delete(of.number)
      this.kept.set(of.number, { key, at: now, verdict })
      for (const oldest of this.kept.keys()) {
        if (this.kept.size <= mostKept) break
        this.kept.delete(oldest)
      }
    }
    return verdict
  }

  async close(): Promise<void> {
    await this.worker?.terminate()
    this.worker = null
  }

  private ask(
    kind: string,
    draft: Draft,
    seen: Needs,
    view: FleetView,
    signal: AbortSignal | undefined,
  ): Promise<{ readonly judged: Judged } | { readonly needs: Needs }> {
    const { thread } = this
    if (!thread) {
      const needs = unseenBy(draft, view, seen)
      return Promise.resolve(needs ? { needs } : { judged: judge(draft, view) })
    }
    const turn = this.lane.then(() => this.inThread(thread, kind, draft, seen, view, signal))
    this.lane = turn.catch(() => undefined)
    return turn
  }

  private async inThread(
    thread: URL,
    kind: string,
    draft: Draft,
    seen: Needs,
    view: FleetView,
    signal: AbortSignal | undefined,
  ): Promise<{ readonly judged: Judged } | { readonly needs: Needs }> {
    if (signal?.aborted) throw cancelled()
    const worker = this.started(thread)
    await this.send(worker, view)
    const id = this.next++
    const stop = (): void => {
      this.lost(cancelled())
      void worker.terminate()
    }
    signal?.addEventListener('abort', stop)
    try {
      const answer = await new Promise<FromJudge>((resolve, reject) => {
        this.waiting = { id, of: { resolve, reject } }
        worker.postMessage({
          what: 'judge',
          id,
          kind,
          intent: draft.intent,
          seen,
          frame: frameOf(view),
        } satisfies ToJudge)
      })
      if ('error' in answer) throw new Error(answer.error)
      return answer
    } finally {
      signal?.removeEventListener('abort', stop)
      this.waiting = null
    }
  }

  /** Sends what the thread has not, a slice at a time, so that none of it holds the event loop for long. */
  private async send(worker: Worker, view: FleetView): Promise<void> {
    const slices = slicesOf(view)
    for (const [key, value] of slices) {
      if (this.sent.get(key) === value) continue
      this.sent.set(key, value)
      worker.postMessage({ what: 'slice', key, value } satisfies ToJudge)
      await breath()
    }
    for (const key of [...this.sent.keys()]) {
      // Lists of objects are kept for the next who asks; what is gone from the fleet is dropped.
      if (slices.has(key) || !/^(site|cluster)\//.test(key)) continue
      this.sent.delete(key)
      worker.postMessage({ what: 'slice', key, value: undefined } satisfies ToJudge)
    }
  }

  private started(thread: URL): Worker {
    if (this.worker) return this.worker
    const worker = new Worker(thread)
    worker.on('message', (answer: FromJudge) => {
      if (this.waiting?.id === answer.id) this.waiting.of.resolve(answer)
    })
    worker.on('error', (error: unknown) =>
      this.lost(error instanceof Error ? error : new Error(String(error))),
    )
    worker.unref()
    this.worker = worker
    this.sent = new Map()
    return worker
  }

  /** The thread is no more: who waits is told, and the next question starts another. */
  private lost(error: Error): void {
    this.worker = null
    this.sent = new Map()
    this.waiting?.of.reject(error)
  }
}

const cancelled = (): Refusal => new Refusal('unavailable', 'Judging it was cancelled.')
