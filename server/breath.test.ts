import { describe, expect, it } from 'vitest'
import { breath } from './breath'

/** How often the event loop has turned, told while it turns. */
function turns() {
  let count = 0
  let ends = false
  const turn = (): void => {
    count++
    if (!ends) setImmediate(turn)
  }
  setImmediate(turn)
  return { count: () => count, end: () => (ends = true) }
}

describe('taking turns', () => {
  it('lets each who waits go on in a turn of its own, in the order they asked', async () => {
    const loop = turns()
    const wentOn: { readonly who: number; readonly turn: number }[] = []
    await Promise.all(
      Array.from({ length: 8 }, async (_, who) => {
        await breath()
        wentOn.push({ who, turn: loop.count() })
      }),
    )
    loop.end()
    expect(wentOn.map(({ who }) => who)).toEqual([0, 1, 2, 3, 4, 5, 6, 7])
    expect(new Set(wentOn.map(({ turn }) => turn)).size).toBe(8)
  })

  it('goes on with who asks again behind those who waited before', async () => {
    const order: string[] = []
    const work = async (name: string): Promise<void> => {
      for (let i = 0; i < 3; i++) {
        await breath()
        order.push(`${name}${i}`)
      }
    }
    await Promise.all([work('a'), work('b')])
    expect(order).toEqual(['a0', 'b0', 'a1', 'b1', 'a2', 'b2'])
  })
})
