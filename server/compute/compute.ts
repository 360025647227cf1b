/** Runs computations: light ones here, heavy ones in worker threads where a built worker file is given. */
import { fileURLToPath } from 'node:url'
import { Piscina } from 'piscina'
import { Refusal, refuseIssues } from '../changes/errors'
import { computationNamed, computations, type Computed } from './computations'
import { computeText, type TextAnswer } from './large'
import type { ThreadTask } from './thread'

/** Bodies up to this many bytes are computed at once. */
const inlineBytes = 64 * 1024

export class Compute {
  private pool: Piscina | null = null
  private readonly worker: URL | undefined

  constructor(worker: URL | undefined) {
    this.worker = worker
  }

  /** The answer, or a refusal that names the field. `signal` cancels a heavy one. */
  async run(name: string, body: unknown, signal?: AbortSignal): Promise<unknown> {
    const computation = computationNamed(name)
    if (!computation)
      throw new Refusal(
        'not-found',
        `There is no computation ${name.slice(0, 80)}. Known: ${computations.map((existingComputation) => existingComputation.name).join(', ')}.`,
      )
    const read = computation.input.safeParse(body)
    if (!read.success) throw refuseIssues(read.error.issues)
    const computed =
      this.worker && computation.heavy(read.data)
        ? await this.inThread(this.worker, name, read.data, signal)
        : computation.compute(read.data)
    if (computed.ok) return computed.value
    throw new Refusal(
      computed.tooLarge ? 'too-large' : 'invalid',
      `${computed.path === '' ? '' : `${computed.path}: `}${computed.says}`,
      [{ path: computed.path, says: computed.says }],
    )
  }

  /** A computation with a large input: from the bytes of its body to the text of its answer. */
  async runText(name: string, body: Uint8Array, signal?: AbortSignal): Promise<string> {
    const textAnswer =
      this.worker && body.byteLength > inlineBytes
        ? ((await this.threads(this.worker).run(
            { name, body } satisfies ThreadTask,
            signal ? { signal } : {},
          )) as TextAnswer)
        : computeText(name, body)
    if (textAnswer.ok) return textAnswer.text
    throw new Refusal(
      textAnswer.tooLarge ? 'too-large' : 'invalid',
      textAnswer.says,
      textAnswer.fields,
    )
  }

  private threads(worker: URL): Piscina {
    this.pool ??= new Piscina({
      filename: fileURLToPath(worker),
      maxThreads: 2,
      idleTimeout: 30_000,
      resourceLimits: { maxOldGenerationSizeMb: 6144 },
    })
    return this.pool
  }

  private inThread(
    worker: URL,
    name: string,
    input: unknown,
    signal: AbortSignal | undefined,
  ): Promise<Computed> {
    return this.threads(worker).run(
      { name, input } satisfies ThreadTask,
      signal ? { signal } : {},
    ) as Promise<Computed>
  }

  async close(): Promise<void> {
    await this.pool?.destroy()
  }
}
