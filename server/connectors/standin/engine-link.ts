/** Ways to talk to the engine: across a worker thread, or in this thread (tests, benches). */
import { Worker } from 'node:worker_threads'
import { type Asks, Engine } from './engine'

export interface EngineLink {
  ask<K extends keyof Asks>(what: K, about: Asks[K]['ask']): Promise<Asks[K]['answer']>
  close(): Promise<void>
}

export function inThisThread(): EngineLink {
  const engine = new Engine()
  return {
    // Answers cross a thread border as copies; a copy here keeps both links alike.
    ask: async (what, about) =>
      structuredClone(
        engine.answer({ what, ...about } as Parameters<Engine['answer']>[0]),
      ) as Asks[typeof what]['answer'],
    close: async () => undefined,
  }
}

/** Room for what an event makes and drops again, in MiB. */
const youngMb = 96

/** Starts the engine in a worker thread from the built file at `url`. */
export function inOwnThread(url: URL): EngineLink {
  // Every event leaves short-lived objects behind: with this room few of them are copied before they are gone.
  const worker = new Worker(url, { resourceLimits: { maxYoungGenerationSizeMb: youngMb } })
  const waiting = new Map<
    number,
    { resolve: (value: unknown) => void; reject: (error: Error) => void }
  >()
  let next = 0
  worker.on('message', (message: { id: number; answer?: unknown; error?: string }) => {
    const request = waiting.get(message.id)
    waiting.delete(message.id)
    if (message.error === undefined) request?.resolve(message.answer)
    else request?.reject(new Error(message.error))
  })
  worker.on('error', (error: unknown) => {
    for (const request of waiting.values())
      request.reject(error instanceof Error ? error : new Error(String(error)))
    waiting.clear()
  })
  return {
    ask: (what, about) =>
      new Promise((resolve, reject) => {
        const id = next++
        waiting.set(id, {
          resolve: (value) => resolve(value as Asks[typeof what]['answer']),
          reject,
        })
        worker.postMessage({ id, question: { what, ...about } })
      }),
    close: async () => {
      await worker.terminate()
    },
  }
}
