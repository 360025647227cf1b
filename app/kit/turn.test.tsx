import { PassThrough } from 'node:stream'
import { text } from 'node:stream/consumers'
import type { ReactNode } from 'react'
import { renderToPipeableStream } from 'react-dom/server'
import { describe, expect, it } from 'vitest'
import { TurnContext, useTurn } from './turn'

/** Pieces of so long, as the server gives them: others have their turn after each. */
const pieceMs = 8
function piecesOf(now: () => number): () => Promise<void> | null {
  let began = now()
  return () =>
    now() - began < pieceMs
      ? null
      : new Promise<void>((resolve) => setImmediate(resolve)).then(() => {
          began = now()
        })
}

/** What a part of a page costs, on a clock of the test’s own. */
const partMs = 3

function Part({ cost, children }: { readonly cost: () => void; readonly children: ReactNode }) {
  useTurn()
  cost()
  return <li>{children}</li>
}

const markupOf = (page: ReactNode): Promise<string> =>
  new Promise((resolve, reject) => {
    const { pipe } = renderToPipeableStream(page, {
      onAllReady: () => text(pipe(new PassThrough())).then(resolve, reject),
      onError: reject,
    })
  })

const list = (cost: () => void) => (
  <ul>
    {Array.from({ length: 40 }, (_, i) => (
      <Part key={i} cost={cost}>
        part {i}
      </Part>
    ))}
  </ul>
)

describe('a page in pieces', () => {
  it('is the page it would be in one', async () => {
    let now = 0
    const cost = (): void => void (now += partMs)
    const whole = await markupOf(list(() => undefined))
    const pieces = await markupOf(
      <TurnContext value={piecesOf(() => now)}>{list(cost)}</TurnContext>,
    )
    expect(pieces).toBe(whole)
    expect(whole).toContain('39')
  })

  it('keeps nobody waiting for longer than a piece and the part it ends with', async () => {
    let now = 0
    let longest = 0
    let began = 0
    let isDone = false
    const others = (): void => {
      longest = Math.max(longest, now - began)
      began = now
      if (!isDone) setImmediate(others)
    }
    setImmediate(others)
    const cost = (): void => void (now += partMs)
    await markupOf(<TurnContext value={piecesOf(() => now)}>{list(cost)}</TurnContext>)
    isDone = true
    expect(now).toBe(40 * partMs)
    expect(longest).toBeGreaterThan(0)
    expect(longest).toBeLessThanOrEqual(pieceMs + 2 * partMs)
  })
})
