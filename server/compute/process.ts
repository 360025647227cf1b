/** Entry of the processes that compute: a task in, its answer out; it ends with the server, however that ends. */
import { readFileSync, writeFileSync } from 'node:fs'
import { Worker } from 'node:worker_threads'
import type { JsonLimits } from '../bodies/limits'
import { computeText, type TextAnswer } from './compute-text'

export interface ProcessTask {
  readonly name: string
  /** The body, or the file that holds it. */
  readonly body: Uint8Array | string
  readonly limits: JsonLimits
  /** Where an answer is put that is too long to be handed over. */
  readonly answerFile: string
}

export type ProcessAnswer =
  | TextAnswer
  | { readonly ok: true; readonly file: string }
  /** An error of the program, with its stack. */
  | { readonly ok: false; readonly error: string; readonly isRange: boolean }

const mostHandedOver = 1024 ** 2

async function answerTo({ name, body, limits, answerFile }: ProcessTask): Promise<ProcessAnswer> {
  try {
    const bytes = typeof body === 'string' ? readFileSync(body) : body
    const answer = await computeText(name, bytes, limits)
    if (!answer.ok || answer.text.length <= mostHandedOver) return answer
    writeFileSync(answerFile, answer.text, { mode: 0o600 })
    return { ok: true, file: answerFile }
  } catch (error) {
    return {
      ok: false,
      error: error instanceof Error ? (error.stack ?? error.message) : String(error),
      isRange: error instanceof RangeError,
    }
  }
}

process.on('message', (task: ProcessTask) => {
  void answerTo(task).then((answer) => process.send?.(answer))
})
process.on('disconnect', () => process.exit(0))

// A long task hears nothing: beside it a thread looks whether the server is still there.
const watch = `
const parent = process.ppid
setInterval(() => process.ppid === parent || process.kill(process.pid, 'SIGKILL'), 1000)`
new Worker(watch, { eval: true }).unref()
