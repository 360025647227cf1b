/** What has happened, told to whoever listens: the event stream and nobody else. */
import { EventEmitter } from 'node:events'
import type { Params } from '~/core/contract'

export interface JournalEntry {
  readonly seq: number
  readonly at: string
  readonly wall: string
  readonly kind: string
  readonly change: string | null
  readonly about: string | null
  readonly says: string
  /** What the sentence tells, by name. */
  readonly params: Params
  /** By whom: a person, a policy, or Gyrarch itself. */
  readonly by: string
}

interface HubEvents {
  journal: [JournalEntry]
  /** A change and, where it is about some of its steps, their ids. */
  run: [{ change: number; steps: readonly string[] }]
  state: [readonly string[]]
  clock: []
}

export class Hub extends EventEmitter<HubEvents> {
  private told: number

  /** @param startedAt wall time of this process’ start, in ms: marks grow from it, over restarts too. */
  constructor(startedAt: number) {
    super()
    this.setMaxListeners(200)
    this.told = startedAt
    const count = (): void => void this.told++
    this.on('journal', count).on('state', count)
  }

  /** Grows with all that is told of states and the journal: whoever read at a smaller mark has missed something. */
  get mark(): number {
    return this.told
  }
}
