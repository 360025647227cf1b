/**
 * Runs computations in processes of their own, limited in memory and time; where none is built (tests), here. What
 * comes as a file is computed one at a time.
 */
import { readFile, rm } from 'node:fs/promises'
import { largeJson } from '../bodies/limits'
import { type Body, endSpool, spoolFile } from '../bodies/take'
import { Refusal } from '../changes/errors'
import { computeText } from './compute-text'
import { Processes } from './processes'

/** The text of an answer, or the file it is in, which is removed by who reads it. */
export type ComputedText = { readonly text: string } | { readonly file: string }

export class Compute {
  private readonly processes: { readonly ordinary: Processes; readonly large: Processes } | null

  constructor(
    entry: URL | undefined,
    private readonly onError: (error: unknown) => void,
  ) {
    this.processes = entry
      ? {
          ordinary: new Processes({ entry, most: 2, seconds: 30, mostWaiting: 200 }),
          large: new Processes({ entry, most: 1, seconds: 120, mostWaiting: 8 }),
        }
      : null
  }

  /** The answer to a body, which goes with it; or a refusal that names the field. `signal` cancels it. */
  async answer(name: string, body: Body, signal?: AbortSignal): Promise<ComputedText> {
    try {
      return await this.computed(name, body, signal)
    } finally {
      if (body.file !== undefined) await rm(body.file, { force: true })
    }
  }

  /** The same of a value, read again. */
  async run(name: string, value: unknown, signal?: AbortSignal): Promise<unknown> {
    const computed = await this.answer(name, { bytes: Buffer.from(JSON.stringify(value)) }, signal)
    if ('text' in computed) return JSON.parse(computed.text) as unknown
    await rm(computed.file, { force: true })
    throw new Refusal('too-large', 'Its answer is too large to be shown. Ask about a part of it.')
  }

  private async computed(
    name: string,
    body: Body,
    signal: AbortSignal | undefined,
  ): Promise<ComputedText> {
    const answer = this.processes
      ? await this.processes[body.file === undefined ? 'ordinary' : 'large'].run(
          { name, body: body.file ?? body.bytes, limits: largeJson, answerFile: spoolFile() },
          signal,
        )
      : await computeText(name, body.bytes ?? (await readFile(body.file)), largeJson)
    if (answer.ok) return answer
    if (!('error' in answer))
      throw new Refusal(answer.tooLarge ? 'too-large' : 'invalid', answer.says, answer.fields)
    const error = new Error(`computing ${name}: ${answer.error}`)
    if (!answer.isRange) throw error
    // More than the language itself can hold: the caller’s to make smaller, and ours to hear of.
    this.onError(error)
    throw new Refusal('too-large', 'It is too large to be computed. Ask about a part of it.')
  }

  async close(): Promise<void> {
    this.processes?.ordinary.close()
    this.processes?.large.close()
    await endSpool()
  }
}
