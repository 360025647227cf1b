/**
 * A page is made in pieces on the server: once a piece has taken its time, the next part that asks waits for a turn of
 * the event loop, so that no page, however long, keeps others waiting. In the browser nothing waits.
 */
import { createContext, use } from 'react'

/** Gives what to wait for before going on, or null while the piece may go on. */
export const TurnContext = createContext<(() => Promise<void> | null) | null>(null)

/** Called by the parts that pages are made of, before they do anything. */
export function useTurn(): void {
  const turn = use(TurnContext)?.() ?? null
  if (turn) use(turn)
}
