/** What the verbs of the register are carried out with, and what they answer. */
import type { Origin, Said } from '~/core/contract'

/** What a verb did, or nothing while it waits for a call. */
export type Done = (Said & { readonly result: Readonly<Record<string, unknown>> }) | null

export interface Place extends Origin {
  /** Milliseconds on the clock. */
  readonly now: number
  /** Milliseconds of real time: whoever stands in front of a machine has no other. */
  readonly wall: number
}
