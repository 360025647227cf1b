/**
 * Processes that compute for the server: one task each at a time, what waits in order, ended when a task takes too long,
 * is no longer wanted, or needs more memory than the system lets the process have. The server itself never grows by it.
 */
import { type ChildProcess, spawn } from 'node:child_process'
import { constants, setPriority } from 'node:os'
import { fileURLToPath } from 'node:url'
import { Refusal } from '../changes/errors'
import { processBytes } from '../bodies/limits'
import type { ProcessAnswer, ProcessTask } from './process'

export interface ProcessesOptions {
  readonly entry: URL
  /** How many there are at most. */
  readonly most: number
  /** How long a task may take, in seconds of the wall. */
  readonly seconds: number
  readonly mostWaiting: number
  /** What a process may hold. */
  readonly bytes?: number
}

interface Job {
  readonly task: ProcessTask
  readonly signal: AbortSignal | undefined
  readonly done: (answer: ProcessAnswer) => void
  readonly failed: (error: unknown) => void
}

const idleMs = 60_000
const KiB = 1024

export class Processes {
  private readonly idle: ComputeProcess[] = []
  private readonly busy = new Set<ComputeProcess>()
  private readonly waiting: Job[] = []
  private isClosed = false

  constructor(private readonly options: ProcessesOptions) {}

  run(task: ProcessTask, signal?: AbortSignal): Promise<ProcessAnswer> {
    if (this.waiting.length >= this.options.mostWaiting)
      return Promise.reject(
        new Refusal('unavailable', 'Too much is being computed at once. Ask again in a minute.'),
      )
    return new Promise((done, failed) => {
      this.waiting.push({ task, signal, done, failed })
      this.next()
    })
  }

  private next(): void {
    if (this.isClosed || this.busy.size >= this.options.most) return
    const job = this.waiting.shift()
    if (!job) return
    if (job.signal?.aborted === true) {
      job.failed(cancelled())
      this.next()
      return
    }
    const worker = this.idle.pop() ?? new ComputeProcess(this.options)
    this.busy.add(worker)
    void worker
      .run(job.task, job.signal)
      .then(job.done, job.failed)
      .finally(() => {
        this.busy.delete(worker)
        if (worker.isAlive && !this.isClosed) this.rest(worker)
        else worker.end()
        this.next()
      })
  }

  /** What has nothing to do ends after a while. */
  private rest(worker: ComputeProcess): void {
    this.idle.push(worker)
    worker.endIn(idleMs, () => {
      const at = this.idle.indexOf(worker)
      if (at >= 0) this.idle.splice(at, 1)
    })
  }

  close(): void {
    this.isClosed = true
    for (const { failed } of this.waiting.splice(0)) failed(cancelled())
    for (const worker of [...this.idle.splice(0), ...this.busy]) worker.end()
  }
}

const cancelled = (): Refusal => new Refusal('conflict', 'It was cancelled before it was computed.')

const { PRIORITY_BELOW_NORMAL } = constants.priority

class ComputeProcess {
  private readonly child: ChildProcess
  private ending: NodeJS.Timeout | null = null
  isAlive = true

  constructor(private readonly options: ProcessesOptions) {
    const bytes = options.bytes ?? processBytes
    // The system refuses the process memory past its limit, for certain; the heap ends before that.
    this.child = spawn(
      '/bin/sh',
      [
        '-c',
        'ulimit -d "$0" 2>/dev/null; exec "$@"',
        String(Math.floor(bytes / KiB)),
        process.execPath,
        `--max-old-space-size=${Math.floor((bytes * 0.85) / KiB ** 2)}`,
        fileURLToPath(options.entry),
      ],
      { stdio: ['ignore', 'ignore', 'ignore', 'ipc'], serialization: 'advanced' },
    )
    // What is computed may take long: the server and its pages come first.
    if (this.child.pid !== undefined) setPriority(this.child.pid, PRIORITY_BELOW_NORMAL)
    // Also while nobody waits for it.
    const gone = (): void => {
      this.isAlive = false
    }
    this.child.on('exit', gone).on('error', gone)
    this.child.unref()
    this.child.channel?.unref()
  }

  /** Its answer; one that ends without, because of the task, is a refusal. */
  run(task: ProcessTask, signal: AbortSignal | undefined): Promise<ProcessAnswer> {
    if (this.ending) clearTimeout(this.ending)
    this.ending = null
    const { child, options } = this
    return new Promise((done, failed) => {
      const settle = (how: () => void): void => {
        clearTimeout(timer)
        signal?.removeEventListener('abort', onAbort)
        child.off('message', onMessage).off('exit', onExit).off('error', onError)
        child.channel?.unref()
        how()
      }
      const refuse = (refusal: unknown): void => {
        this.end()
        settle(() => failed(refusal))
      }
      const onMessage = (answer: ProcessAnswer): void => settle(() => done(answer))
      const onAbort = (): void => refuse(cancelled())
      const onError = (error: Error): void => refuse(error)
      const onExit = (): void => refuse(tooMuchMemory(options.bytes ?? processBytes))
      const timer = setTimeout(() => refuse(tooLong(options.seconds)), options.seconds * 1000)
      child.on('message', onMessage).on('exit', onExit).on('error', onError)
      child.channel?.ref()
      if (signal?.aborted === true) onAbort()
      else {
        signal?.addEventListener('abort', onAbort)
        child.send(task, (error) => {
          if (error) onError(error)
        })
      }
    })
  }

  endIn(ms: number, ended: () => void): void {
    this.ending = setTimeout(() => {
      ended()
      this.end()
    }, ms)
    this.ending.unref()
  }

  end(): void {
    this.isAlive = false
    if (this.ending) clearTimeout(this.ending)
    this.child.kill('SIGKILL')
  }
}

const tooLarge = (says: string): Refusal => new Refusal('too-large', says, [{ path: '', says }])

const tooLong = (seconds: number): Refusal =>
  tooLarge(
    `It was not computed within ${seconds} s. Ask about a part of it, or leave out what the question does not need.`,
  )

const tooMuchMemory = (bytes: number): Refusal =>
  tooLarge(
    `It needs more than ${bytes / KiB ** 3} GiB of memory. Ask about a part of it, or leave out what the question does not need.`,
  )
