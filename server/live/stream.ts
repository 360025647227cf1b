/**
 * The event stream to browsers and automation. Events are gathered and sent at most four times a second, one for each
 * thing that changed; the id is the journal’s sequence, from which a stream that broke off goes on.
 */
import type { Request, Response } from 'express'
import { Refusal } from '../changes/errors'
import type { Gyrarch } from '../gyrarch'
import { clockEvent, frameText, framesOf, journalEvent, type LiveEvent } from './frames'

const commentMs = 15_000
/** More missed lines than this and the reader starts afresh. */
const mostMissed = 500

/** Listeners beyond this are asked to come again: a browser has one, whatever its tabs. */
const mostListeners = 256
let listeners = 0

/** What may wait for one reader (bytes): a reader that takes nothing is let go, and goes on later from its last id. */
const mostWaiting = 4 * 1024 * 1024

export function live(gyrarch: Gyrarch, request: Request, response: Response): void {
  if (listeners >= mostListeners)
    throw new Refusal(
      'unavailable',
      `${mostListeners} streams of events are open, and no more are served. Close some, or ask the journal instead.`,
    )
  listeners++
  response.writeHead(200, {
    'Content-Type': 'text/event-stream; charset=utf-8',
    'Cache-Control': 'no-store',
    Connection: 'keep-alive',
    'X-Accel-Buffering': 'no',
  })
  response.flushHeaders()
  let lastId = 0
  let closed = false
  /** What came while it was still being told what it has missed. */
  let held: LiveEvent[] | null = []

  const tell = (events: readonly LiveEvent[]): void => {
    for (const event of events) {
      const { id } = event
      if (id !== undefined && id <= lastId) continue
      if (id !== undefined) lastId = id
      response.write(frameText(event))
    }
    if (response.writableLength > mostWaiting) response.destroy()
  }
  const leave = framesOf(gyrarch).join((events) => {
    if (held) held.push(...events)
    else tell(events)
  })

  const begin = async (): Promise<void> => {
    const requested = request.get('last-event-id') ?? ''
    if (/^\d{1,15}$/.test(requested)) {
      const missed = await gyrarch.journal({ after: Number(requested), limit: mostMissed + 1 })
      if (missed.length > mostMissed)
        tell([{ event: 'reset', data: { says: 'too much was missed; read again' } }])
      else tell(missed.map(journalEvent))
    }
    tell([clockEvent(gyrarch), ...(held ?? [])])
    held = null
  }
  // A fault of ours ends the stream: its reader comes again, and the fault is told.
  const failed = (error: unknown): void => {
    if (closed) return
    gyrarch.onError(error)
    response.end()
  }
  const comments = setInterval(() => response.write(': still here\n\n'), commentMs)
  void begin().catch(failed)
  response.on('close', () => {
    closed = true
    listeners--
    clearInterval(comments)
    leave()
  })
}
