/**
 * The event stream to browsers and automation. Events are gathered and sent at most four times a second, one for each
 * thing that changed; the id is the journal’s sequence, from which a stream that broke off goes on.
 */
import type { Request, Response } from 'express'
import { stepRecords } from '../changes/rows'
import type { Gyrarch } from '../gyrarch'
import { ChangeRow } from '../records/models'
import { changeId } from '../runner/journal'
import type { JournalEntry } from './hub'

const frameMs = 250
const commentMs = 15_000
/** More missed lines than this and the reader starts afresh. */
const mostMissed = 500

export function live(gyrarch: Gyrarch, request: Request, response: Response): void {
  response.writeHead(200, {
    'Content-Type': 'text/event-stream; charset=utf-8',
    'Cache-Control': 'no-store',
    Connection: 'keep-alive',
    'X-Accel-Buffering': 'no',
  })
  response.flushHeaders()
  const lines: JournalEntry[] = []
  const runs = new Map<number, Set<string>>()
  const slices = new Set<string>()
  let clock = true
  let sending = false
  let closed = false
  let lastId = 0

  const write = (event: string, data: unknown, id?: number): void => {
    response.write(
      `${id === undefined ? '' : `id: ${id}\n`}event: ${event}\ndata: ${JSON.stringify(data)}\n\n`,
    )
  }
  const onJournal = (entry: JournalEntry): void => void lines.push(entry)
  const onRun = ({ change, steps }: { change: number; steps: readonly string[] }): void => {
    const run = runs.get(change) ?? new Set<string>()
    for (const step of steps) run.add(step)
    runs.set(change, run)
  }
  const onState = (changed: readonly string[]): void => {
    slices.add('fleet')
    for (const slice of changed) slices.add(slice)
  }
  const onClock = (): void => {
    clock = true
  }
  gyrarch.hub.on('journal', onJournal).on('run', onRun).on('state', onState).on('clock', onClock)

  const frame = async (): Promise<void> => {
    if (sending) return
    sending = true
    try {
      for (const entry of lines.splice(0)) {
        if (entry.seq <= lastId) continue
        lastId = entry.seq
        write('journal', entry, entry.seq)
      }
      const pending = [...runs]
      runs.clear()
      for (const [number, steps] of pending) {
        const row = await ChangeRow.findByPk(number)
        if (!row) continue
        const some = steps.size > 0 ? await stepRecords(number, [...steps]) : []
        write('run', {
          id: changeId(number),
          label: row.label,
          state: row.state,
          startedAt: row.startedAt,
          endedAt: row.endedAt,
          steps: some,
        })
      }
      if (slices.size > 0) {
        write('state', { version: gyrarch.fleet.last().version, slices: [...slices] })
        slices.clear()
      }
      if (clock) {
        clock = false
        const { now, speed, calm, slipping } = gyrarch.outside
        write('clock', { now: new Date(now).toISOString(), speed, calm, slipping })
      }
    } finally {
      sending = false
    }
  }

  const begin = async (): Promise<void> => {
    const requested = request.get('last-event-id') ?? ''
    if (!/^\d{1,15}$/.test(requested)) return
    const missed = await gyrarch.journal({ after: Number(requested), limit: mostMissed + 1 })
    if (missed.length > mostMissed) write('reset', { says: 'too much was missed; read again' })
    else lines.unshift(...missed)
  }
  // A fault of ours ends the stream: its reader comes again, and the fault is told.
  const failed = (error: unknown): void => {
    if (closed) return
    gyrarch.onError(error)
    response.end()
  }
  const frames = setInterval(() => void frame().catch(failed), frameMs)
  const comments = setInterval(() => response.write(': still here\n\n'), commentMs)
  void begin().then(frame).catch(failed)
  response.on('close', () => {
    closed = true
    clearInterval(frames)
    clearInterval(comments)
    gyrarch.hub
      .off('journal', onJournal)
      .off('run', onRun)
      .off('state', onState)
      .off('clock', onClock)
  })
}
