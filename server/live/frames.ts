/**
 * What is told to all who listen, put together once for all of them: gathered for a quarter of a second, one event for
 * each thing that changed. The database is asked once a frame, however many listen, and not at all while nobody does.
 */
import { stepRecords } from '../changes/rows'
import type { Gyrarch } from '../gyrarch'
import { ChangeRow } from '../records/models'
import { changeId } from '../runner/journal'
import type { JournalEntry } from './hub'

const frameMs = 250

export interface LiveEvent {
  readonly event: 'journal' | 'run' | 'state' | 'clock' | 'reset'
  readonly data: unknown
  /** The sequence of a journal line. */
  readonly id?: number
}

export type Listener = (events: readonly LiveEvent[]) => void

/** The clock as pages and the stream show it. */
export function clockState(gyrarch: Gyrarch) {
  const { now, speed, calm, slipping, headingFor } = gyrarch.outside
  return {
    now: new Date(now).toISOString(),
    speed,
    calm,
    slipping,
    headingFor: headingFor === null ? null : new Date(headingFor).toISOString(),
  }
}

export const clockEvent = (gyrarch: Gyrarch): LiveEvent => ({
  event: 'clock',
  data: { ...clockState(gyrarch), mark: gyrarch.hub.mark },
})

export const journalEvent = (entry: JournalEntry): LiveEvent => ({
  event: 'journal',
  data: entry,
  id: entry.seq,
})

const texts = new WeakMap<LiveEvent, string>()

/** An event as it is sent: put into words once, however many it is sent to. */
export function frameText(event: LiveEvent): string {
  const existing = texts.get(event)
  if (existing !== undefined) return existing
  const id = event.id === undefined ? '' : `id: ${event.id}\n`
  const text = `${id}event: ${event.event}\ndata: ${JSON.stringify(event.data)}\n\n`
  texts.set(event, text)
  return text
}

class Frames {
  private readonly listeners = new Set<Listener>()
  private readonly lines: JournalEntry[] = []
  private readonly runs = new Map<number, Set<string>>()
  private readonly slices = new Set<string>()
  private clock = false
  private sending = false
  private timer: NodeJS.Timeout | null = null

  constructor(private readonly gyrarch: Gyrarch) {}

  /** From here on a listener is told; what it is given back ends that. */
  join(listener: Listener): () => void {
    this.listeners.add(listener)
    if (this.listeners.size === 1) this.start()
    return () => {
      this.listeners.delete(listener)
      if (this.listeners.size === 0) this.stop()
    }
  }

  private readonly onJournal = (entry: JournalEntry): void => void this.lines.push(entry)
  private readonly onRun = (of: { change: number; steps: readonly string[] }): void => {
    const run = this.runs.get(of.change) ?? new Set<string>()
    for (const step of of.steps) run.add(step)
    this.runs.set(of.change, run)
  }
  private readonly onState = (changed: readonly string[]): void => {
    this.slices.add('fleet')
    for (const slice of changed) this.slices.add(slice)
  }
  private readonly onClock = (): void => {
    this.clock = true
  }

  private start(): void {
    const { hub, onError } = this.gyrarch
    hub
      .on('journal', this.onJournal)
      .on('run', this.onRun)
      .on('state', this.onState)
      .on('clock', this.onClock)
    this.timer = setInterval(() => void this.frame().catch(onError), frameMs)
  }

  private stop(): void {
    this.gyrarch.hub
      .off('journal', this.onJournal)
      .off('run', this.onRun)
      .off('state', this.onState)
      .off('clock', this.onClock)
    if (this.timer) clearInterval(this.timer)
    this.lines.length = 0
    this.runs.clear()
    this.slices.clear()
  }

  private async frame(): Promise<void> {
    if (this.sending) return
    this.sending = true
    try {
      const events: LiveEvent[] = this.lines.splice(0).map(journalEvent)
      const pending = [...this.runs]
      this.runs.clear()
      for (const [number, steps] of pending) events.push(...(await runEvents(number, steps)))
      if (this.slices.size > 0) {
        const { version } = this.gyrarch.fleet.last()
        events.push({ event: 'state', data: { version, slices: [...this.slices] } })
        this.slices.clear()
      }
      if (this.clock) events.push(clockEvent(this.gyrarch))
      this.clock = false
      if (events.length > 0) for (const listener of this.listeners) listener(events)
    } finally {
      this.sending = false
    }
  }
}

async function runEvents(
  number: number,
  steps: ReadonlySet<string>,
): Promise<readonly LiveEvent[]> {
  const row = await ChangeRow.findByPk(number, {
    attributes: ['number', 'label', 'state', 'startedAt', 'endedAt'],
  })
  if (!row) return []
  const { label, state, startedAt, endedAt } = row
  const some = steps.size > 0 ? await stepRecords(number, [...steps]) : []
  return [
    {
      event: 'run',
      data: { id: changeId(number), label, state, startedAt, endedAt, steps: some },
    },
  ]
}

const ofGyrarch = new WeakMap<Gyrarch, Frames>()

/** The frames of a Gyrarch, which all its listeners share. */
export function framesOf(gyrarch: Gyrarch): Frames {
  const frames = ofGyrarch.get(gyrarch) ?? new Frames(gyrarch)
  ofGyrarch.set(gyrarch, frames)
  return frames
}
