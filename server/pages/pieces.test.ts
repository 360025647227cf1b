import { describe, expect, it } from 'vitest'
import { piecesOf } from './pieces'

describe('the pieces of a page', () => {
  it('go on while they are short, and wait once one has taken its time', async () => {
    let now = 1000
    const turn = piecesOf(() => now)
    expect(turn()).toBeNull()
    now += 5
    expect(turn()).toBeNull()
    now += 5
    const wait = turn()
    expect(wait).toBeInstanceOf(Promise)
    await wait
    expect(turn()).toBeNull()
    now += 20
    expect(turn()).not.toBeNull()
  })

  it('of two pages are timed apart', () => {
    let now = 0
    const early = piecesOf(() => now)
    now += 50
    const late = piecesOf(() => now)
    expect(early()).not.toBeNull()
    expect(late()).toBeNull()
  })
})
