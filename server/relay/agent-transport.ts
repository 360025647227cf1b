/** Requests to an API by way of the agent beside it: many at once over its one connection, each as fast as it is read. */
import type { RawData, WebSocket } from 'ws'
import { z } from 'zod'
import { type Asked, windowBytes } from '~/agent/protocol'
import { unreachedBy } from '../connectors/open-api/dial'
import {
  type ApiAnswer,
  type ApiRequest,
  type Transport,
  Unreached,
} from '../connectors/open-api/transport'

const told = z.discriminatedUnion('type', [
  z.object({ type: z.literal('kept') }),
  z.object({
    type: z.literal('head'),
    id: z.number(),
    status: z.number(),
    headers: z.record(z.string(), z.string()),
  }),
  z.object({ type: z.literal('end'), id: z.number() }),
  z.object({ type: z.literal('failed'), id: z.number(), code: z.string(), message: z.string() }),
])

const headMs = 15_000

/** The body of one answer as it comes. */
class Arriving {
  private readonly pieces: Buffer[] = []
  private isOver = false
  private error: Error | null = null
  private wake: () => void = () => undefined
  private held = 0

  constructor(private readonly taken: (bytes: number) => void) {}

  /** False where more has come than may be under way. */
  add(piece: Buffer): boolean {
    this.held += piece.length
    this.pieces.push(piece)
    this.wake()
    return this.held <= 2 * windowBytes
  }

  end(error: Error | null): void {
    this.isOver = true
    this.error = error
    this.wake()
  }

  async *read(stopped: () => void): AsyncIterable<Buffer> {
    try {
      for (;;) {
        const piece = this.pieces.shift()
        if (piece) {
          this.held -= piece.length
          this.taken(piece.length)
          yield piece
        } else if (this.isOver) {
          if (this.error) throw this.error
          return
        } else await new Promise<void>((wake) => (this.wake = wake))
      }
    } finally {
      if (!this.isOver) stopped()
    }
  }
}

interface Waiting {
  readonly arriving: Arriving
  readonly answered: (answer: ApiAnswer) => void
  readonly failed: (error: Error) => void
  readonly over: () => void
}

export class AgentTransport implements Transport {
  readonly address: string
  private next = 1
  private readonly waiting = new Map<number, Waiting>()
  private isLost = false

  constructor(
    cluster: string,
    private readonly socket: WebSocket,
    private readonly kept: () => void,
  ) {
    this.address = `the agent of ${cluster}`
    socket.on('message', (data: RawData, isBinary: boolean) => {
      if (isBinary) this.piece(data as Buffer)
      else this.take((data as Buffer).toString('utf8'))
    })
  }

  send(request: ApiRequest, signal: AbortSignal): Promise<ApiAnswer> {
    if (this.isLost) return Promise.reject(this.lostSays())
    const id = this.next++
    const { method, path, headers, body } = request
    return new Promise((resolve, reject) => {
      const stopped = (): void => {
        if (!this.waiting.delete(id)) return
        this.ask({ type: 'cancel', id })
        over()
      }
      const onAbort = (): void => {
        stopped()
        const reason = signal.reason as Error
        arriving.end(reason)
        reject(reason)
      }
      const timer = setTimeout(() => {
        stopped()
        reject(new Unreached('unreachable', `${this.address} takes too long to answer.`))
      }, headMs)
      const over = (): void => {
        clearTimeout(timer)
        signal.removeEventListener('abort', onAbort)
      }
      const arriving = new Arriving((bytes) => {
        if (this.waiting.has(id)) this.ask({ type: 'taken', id, bytes })
      })
      this.waiting.set(id, {
        arriving,
        answered: (answer) => {
          clearTimeout(timer)
          resolve({ ...answer, body: arriving.read(stopped) })
        },
        failed: (error) => {
          arriving.end(error)
          reject(error)
        },
        over,
      })
      if (signal.aborted) {
        onAbort()
        return
      }
      signal.addEventListener('abort', onAbort, { once: true })
      this.ask({
        type: 'send',
        id,
        method,
        path,
        headers,
        ...(body === undefined ? {} : { body: body.toString('base64') }),
      })
    })
  }

  /** The connection is what it stands on: it goes when that goes. */
  close(): void {
    for (const id of this.waiting.keys()) this.ask({ type: 'cancel', id })
  }

  /** Ends the connection, saying why. */
  end(code: number): void {
    this.socket.close(code)
    setTimeout(() => this.socket.terminate(), 2000).unref()
  }

  /** The connection has gone, and every answer with it. */
  lost(): void {
    this.isLost = true
    for (const { failed, over } of this.waiting.values()) {
      over()
      failed(this.lostSays())
    }
    this.waiting.clear()
  }

  private lostSays(): Unreached {
    return new Unreached('unreachable', `${this.address} is not connected.`)
  }

  private ask(asked: Asked): void {
    if (this.socket.readyState === this.socket.OPEN) this.socket.send(JSON.stringify(asked))
  }

  private piece(data: Buffer): void {
    if (data.length < 4) return
    const waiting = this.waiting.get(data.readUInt32BE(0))
    // An agent that does not keep to its window is none of ours.
    if (waiting && !waiting.arriving.add(data.subarray(4))) this.socket.terminate()
  }

  private take(text: string): void {
    const read = told.safeParse(jsonOf(text))
    if (!read.success) {
      this.socket.terminate()
      return
    }
    const message = read.data
    if (message.type === 'kept') {
      this.kept()
      return
    }
    const waiting = this.waiting.get(message.id)
    if (!waiting) return
    if (message.type === 'head') {
      const { status, headers } = message
      waiting.answered({ status, headers, body: waiting.arriving.read(() => undefined) })
      return
    }
    this.waiting.delete(message.id)
    waiting.over()
    if (message.type === 'end') waiting.arriving.end(null)
    else {
      const error = Object.assign(new Error(message.message), { code: message.code })
      waiting.failed(unreachedBy(error, 'the API behind its agent'))
    }
  }
}

function jsonOf(text: string): unknown {
  try {
    return JSON.parse(text)
  } catch {
    return null
  }
}
