/** The interfaces through which the server reaches the outside. The stand-ins implement them; a live connector would too. */
import type { Failure } from '~/core/changes'

/** How a command stands, asked by its key. */
export type Outcome =
  | { readonly known: false }
  | { readonly known: true; readonly ended: false; readonly evidence: readonly Evidence[] }
  | {
      readonly known: true
      readonly ended: true
      readonly at: number
      readonly result: Readonly<Record<string, unknown>> | null
      readonly failure: Failure | null
      readonly evidence: readonly Evidence[]
    }

export interface Evidence {
  /** Milliseconds on the outside’s clock. */
  readonly at: number
  readonly says: string
}

/**
 * A port that carries out commands. A repeated key is answered with the first result; `lookup` is asked before any
 * retry or undo whose predecessor’s outcome is unknown. The end of a command is told through the runner’s `ended`.
 */
export interface CommandPort {
  issue(key: string, verb: string, args: Readonly<Record<string, unknown>>): Promise<void>
  lookup(key: string): Promise<Outcome>
}
