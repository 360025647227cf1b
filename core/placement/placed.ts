/** A board, or why there is none: what is asked of whoever places, a browser's worker or the server. */
import { type Board, boardOf } from './board'
import type { BoardObject, WhatIf } from './what-if'

export interface Placed {
  readonly board: Board | null
  /** Why there is no board, or null. */
  readonly says: string | null
  /** How long placing took. */
  readonly milliseconds: number
}

export const notPlaced = (says: string): Placed => ({ board: null, says, milliseconds: 0 })

export function placed(
  objects: readonly BoardObject[],
  whatIfs: readonly WhatIf[],
  now: () => number,
): Placed {
  const from = now()
  const read = boardOf(objects, whatIfs)
  const milliseconds = now() - from
  return read.ok
    ? { board: read.board, says: null, milliseconds }
    : { ...notPlaced(`${read.path}: ${read.says}`), milliseconds }
}
