/** The requests of one connection: each sent to the API, its answer passed on as fast as it is taken. */
import type { WebSocket } from 'ws'
import { type Api, send } from './api'
import { type Asked, type Told, windowBytes } from './protocol'

interface Pending {
  readonly controller: AbortController
  room: number
  /** Wakes who waits for room. */
  more: () => void
}

const pieceBytes = 64 * 1024

export class Answering {
  private readonly pending = new Map<number, Pending>()

  constructor(
    private readonly socket: WebSocket,
    private readonly api: Api,
  ) {}

  take(asked: Exclude<Asked, { readonly type: 'credential' }>): void {
    if (asked.type === 'send') {
      void this.answer(asked)
      return
    }
    const pending = this.pending.get(asked.id)
    if (!pending) return
    if (asked.type === 'cancel') pending.controller.abort()
    else {
      pending.room += asked.bytes
      pending.more()
    }
  }

  /** Nobody is there any more who would take an answer. */
  end(): void {
    for (const { controller, more } of this.pending.values()) {
      controller.abort()
      more()
    }
    this.pending.clear()
  }

  private tell(told: Told): void {
    if (this.socket.readyState === this.socket.OPEN) this.socket.send(JSON.stringify(told))
  }

  private async answer(asked: Extract<Asked, { readonly type: 'send' }>): Promise<void> {
    const { id, method, path, headers } = asked
    const pending: Pending = {
      controller: new AbortController(),
      room: windowBytes,
      more: () => undefined,
    }
    this.pending.set(id, pending)
    const { signal } = pending.controller
    try {
      const response = await send(this.api, {
        method,
        path,
        headers,
        signal,
        ...(asked.body === undefined ? {} : { body: Buffer.from(asked.body, 'base64') }),
      })
      this.tell({
        type: 'head',
        id,
        status: response.statusCode ?? 0,
        headers: Object.fromEntries(
          Object.entries(response.headers).map(([name, value]) => [name, String(value)]),
        ),
      })
      for await (const chunk of response as AsyncIterable<Buffer>) {
        for (let at = 0; at < chunk.length; at += pieceBytes) {
          const piece = chunk.subarray(at, at + pieceBytes)
          while (pending.room < piece.length && !signal.aborted)
            await new Promise<void>((more) => (pending.more = more))
          if (signal.aborted) return
          pending.room -= piece.length
          const head = Buffer.alloc(4)
          head.writeUInt32BE(id)
          this.socket.send(Buffer.concat([head, piece]))
        }
      }
      this.tell({ type: 'end', id })
    } catch (error) {
      const { code = '', message } = error as NodeJS.ErrnoException
      if (!signal.aborted) this.tell({ type: 'failed', id, code, message: message.slice(0, 300) })
    } finally {
      this.pending.delete(id)
    }
  }
}
