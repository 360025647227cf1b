import fc from 'fast-check'
import { describe, expect, it } from 'vitest'
import {
  alignedBlocks,
  blockWithin,
  carve,
  contains,
  formatRange,
  intersection,
  parseCidr,
  parseRange,
} from '.'

const cidr = (text: string) => {
  const read = parseCidr(text)
  if (!read.ok) throw new Error(read.says)
  return read.value
}
const named = (text: string) => {
  const read = parseRange(text)
  if (!read.ok) throw new Error(read.says)
  return { text, range: read.value }
}
const blocksOf = (within: string, taken: readonly string[], prefixes: readonly number[]) =>
  carve(cidr(within), taken.map(named), prefixes)

describe('aligned blocks', () => {
  it.each([
    ['10.0.0.0-10.0.0.255', ['10.0.0.0/24']],
    ['10.0.0.1-10.0.0.6', ['10.0.0.1/32', '10.0.0.2/31', '10.0.0.4/31', '10.0.0.6/32']],
    ['0.0.0.0-255.255.255.255', ['0.0.0.0/0']],
  ])('of %s', (range, blocks) =>
    expect(alignedBlocks(named(range).range).map(formatRange)).toEqual(blocks),
  )
})

describe('carving', () => {
  it('serves the largest first, and answers in the order asked', () => {
    expect(blocksOf('10.44.0.0/20', ['10.44.0.0/22'], [24, 22, 24]).blocks).toEqual([
      { prefix: 24, block: '10.44.8.0/24' },
      { prefix: 22, block: '10.44.4.0/22' },
      { prefix: 24, block: '10.44.9.0/24' },
    ])
  })

  it('takes the smallest free block that holds it, so that large ones stay whole', () => {
    expect(blocksOf('10.0.0.0/16', ['10.0.128.0/17', '10.0.0.0/26'], [26]).blocks).toEqual([
      { prefix: 26, block: '10.0.0.64/26' },
    ])
  })

  it('places later, smaller ones though a larger did not fit, and says what would have to move', () => {
    const carved = blocksOf('10.0.0.0/24', ['10.0.0.16', '10.0.0.200-10.0.0.210'], [24, 25, 26])
    expect(carved.blocks).toEqual([{ prefix: 26, block: '10.0.0.64/26' }])
    expect(carved.unfit).toEqual([
      { prefix: 24, largestFree: '10.0.0.64/26', move: ['10.0.0.16', '10.0.0.200-10.0.0.210'] },
      { prefix: 25, largestFree: '10.0.0.64/26', move: ['10.0.0.16'] },
    ])
  })

  it('of something larger than the parent has nothing that could move', () => {
    expect(blocksOf('10.0.0.0/24', [], [23]).unfit).toEqual([
      { prefix: 23, largestFree: '10.0.0.0/24', move: [] },
    ])
    expect(blocksOf('10.0.0.0/24', ['10.0.0.0/8'], [28]).unfit).toEqual([
      { prefix: 28, largestFree: null, move: ['10.0.0.0/8'] },
    ])
  })

  it('works in IPv6 and ignores what is taken in the other family', () => {
    expect(blocksOf('fd00::/48', ['10.0.0.0/8', 'fd00::/64'], [64]).blocks).toEqual([
      { prefix: 64, block: 'fd00:0:0:1::/64' },
    ])
  })

  it('never gives what is taken, nothing twice, and nothing outside', () => {
    const taken = fc.array(
      fc
        .tuple(fc.integer({ min: 0, max: 255 }), fc.integer({ min: 0, max: 40 }))
        .map(([first, more]) => `10.0.0.${first}-10.0.0.${Math.min(255, first + more)}`),
      { maxLength: 6 },
    )
    fc.assert(
      fc.property(
        taken,
        fc.array(fc.integer({ min: 24, max: 32 }), { maxLength: 8 }),
        (ranges, prefixes) => {
          const { blocks, unfit } = blocksOf('10.0.0.0/24', ranges, prefixes)
          expect(blocks.length + unfit.length).toBe(prefixes.length)
          const given = blocks.map(({ block }) => cidr(block))
          given.forEach((block, i) => {
            expect(contains(cidr('10.0.0.0/24'), block)).toBe(true)
            expect(ranges.some((text) => intersection(named(text).range, block))).toBe(false)
            expect(given.some((otherCidr, j) => j !== i && intersection(otherCidr, block))).toBe(
              false,
            )
          })
          // With the named ranges gone there is room for each that did not fit.
          for (const { prefix, move } of unfit) {
            if (move.length === 0) continue
            const rest = ranges.filter((text) => !move.includes(text))
            const larger = blocks
              .filter((block) => block.prefix <= prefix)
              .map(({ block }) => block)
            expect(blocksOf('10.0.0.0/24', [...rest, ...larger], [prefix]).unfit).toEqual([])
          }
        },
      ),
    )
  })
})

describe('a span dragged over a strip', () => {
  const within = cidr('10.44.0.0/20')
  it('stands for the largest aligned free block that lies in it', () => {
    const span = { family: 4 as const, first: within.first + 100n, last: within.first + 2200n }
    const block = blockWithin(within, span, [cidr('10.44.4.0/23')], 30)
    expect(block && formatRange(block)).toBe('10.44.2.0/23')
  })
  it('stands for nothing where all of it is taken, or what is free is too small', () => {
    expect(blockWithin(within, { ...within }, [within], 30)).toBeNull()
    expect(
      blockWithin(within, { family: 4, first: within.first + 1n, last: within.first + 1n }, [], 30),
    ).toBeNull()
  })
})

describe('a block that does not fit', () => {
  it('names the fewest ranges that would have to move, the lowest place on a tie, as every place tried one by one does', () => {
    const within = cidr('10.0.0.0/26')
    const range = fc
      .tuple(fc.integer({ min: 0, max: 63 }), fc.integer({ min: 0, max: 9 }))
      .map(([first, more]) => ({
        family: 4 as const,
        first: within.first + BigInt(first),
        last: within.first + BigInt(Math.min(63, first + more)),
      }))
    fc.assert(
      fc.property(
        fc.array(range, { minLength: 1, maxLength: 14 }),
        fc.integer({ min: 26, max: 30 }),
        (ranges, prefix) => {
          const taken = ranges.map((eachRange, i) => ({ text: `r${i}`, range: eachRange }))
          const [unfit] = carve(within, taken, [prefix]).unfit
          const size = 1n << BigInt(32 - prefix)
          const places = Array.from(
            { length: Number(64n / size) },
            (_, i) => within.first + BigInt(i) * size,
          ).map((start) =>
            taken
              .filter(({ range: one }) => one.first <= start + size - 1n && one.last >= start)
              .map(({ text }) => text),
          )
          const fewest = Math.min(...places.map((move) => move.length))
          if (fewest === 0) expect(unfit).toBeUndefined()
          else expect(unfit?.move).toEqual(places.find((move) => move.length === fewest))
        },
      ),
    )
  })

  it('answers all of a length that does not fit alike, and what is smaller after them', () => {
    const parent = parseCidr('10.0.0.0/26')
    if (!parent.ok) throw new Error(parent.says)
    const within = parent.value
    const taken = [
      { text: 'held', range: { family: 4 as const, first: within.first, last: within.first } },
    ]
    const { blocks, unfit } = carve(within, taken, [26, 30, 26, 26])
    expect(unfit.map(({ prefix, move }) => [prefix, move])).toEqual([
      [26, ['held']],
      [26, ['held']],
      [26, ['held']],
    ])
    expect(blocks.map(({ prefix }) => prefix)).toEqual([30])
  })
})
