/** Pages are rendered in pieces of some milliseconds, and others have their turn between them. */
import { breath } from '~/server/breath'

const pieceMs = 10

/** For one page: what to wait for once the piece under way has taken its time, else null. */
export function piecesOf(now: () => number = () => performance.now()): () => Promise<void> | null {
  let began = now()
  const begin = (): void => void (began = now())
  return () => (now() - began < pieceMs ? null : breath().then(begin))
}
