/** The clock of the stand-ins as it is kept, and how fast it may run. */

import type { Scenario } from '../../../standin'
import type { EngineLink } from './engine-link'

export const speeds = [0, 1, 60, 600] as const
export type Speed = (typeof speeds)[number]
/** Who minds the clock: the runner, which has to be at rest before it goes on, and whoever draws pictures. */
export interface ClockKeeper {
  /** Resolves when no transaction is open and nothing ready is left to issue. */
  atRest(): Promise<void>
  /** The next clock time (ms) at which somebody wants to act, or null. */
  wakeAt(): number | null
  /** The clock has reached a time asked for. */
  woken(now: number): void
  clock(): void
  /** Something is wrong with the stand-ins themselves; the clock stands still. */
  failed(error: unknown): void
}

export interface OutsideOptions {
  readonly dir: string
  readonly link: EngineLink
  readonly scenario: Scenario
  readonly nodes: number
  readonly seed?: number
  /** The newest clock time that Gyrarch’s records know (ms): the stand-ins never wake up before it. */
  readonly notBefore: number
  /** Whether a world may be made where none is stored; else that is a loss, and refused. */
  readonly mayBegin?: boolean
}
