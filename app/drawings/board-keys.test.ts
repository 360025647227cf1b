import { expect, it } from 'vitest'
import { layBoard } from './board-layout'
import { blockFrom } from './board-keys'
import { type BoardObject, boardObjects, boardOf } from '~/core/placement'
import { demoFleet } from '~/core/testing/demo-fleet'
import { listedObjects } from '~/core/fleet'

const read = boardOf(
  boardObjects(listedObjects(demoFleet(), 'cedar') as readonly BoardObject[]),
  [],
)
if (!read.ok) throw new Error(read.says)
const { blocks } = layBoard(read.board, 900, 300)

it('leads with left and right to the next column that has blocks, and back again', () => {
  const right = blockFrom(blocks, 0, 'ArrowRight')
  expect(right).not.toBeNull()
  const [a, b] = [blocks[0], blocks[right ?? 0]]
  expect(b?.x).toBeGreaterThan(a?.x ?? 0)
  // No column lies between the two.
  expect(blocks.filter((block) => block.x > (a?.x ?? 0) && block.x < (b?.x ?? 0))).toEqual([])
  const back = blockFrom(blocks, right ?? 0, 'ArrowLeft')
  expect(blocks[back ?? -1]?.x).toBe(a?.x)
})

it('leads with up and down within a column', () => {
  const column = blocks.filter((block) => block.x === blocks[0]?.x)
  expect(column.length).toBeGreaterThan(1)
  const start = blocks.findIndex((block) => block === column[0])
  const steps = ['ArrowUp', 'ArrowDown'].flatMap((key) => blockFrom(blocks, start, key) ?? [])
  expect(steps.length).toBeGreaterThan(0)
  for (const step of steps) expect(blocks[step]?.x).toBe(column[0]?.x)
})

it('reaches every block from the first by arrows alone', () => {
  const seen = new Set([0])
  const open = [0]
  for (let at = open.pop(); at !== undefined; at = open.pop())
    for (const key of ['ArrowUp', 'ArrowDown', 'ArrowLeft', 'ArrowRight']) {
      const next = blockFrom(blocks, at, key)
      if (next === null || seen.has(next)) continue
      seen.add(next)
      open.push(next)
    }
  expect(seen.size).toBe(blocks.length)
})

it('stays where no block is that way, and on other keys', () => {
  const last = blocks.reduce((best, block, i) => (block.x > (blocks[best]?.x ?? 0) ? i : best), 0)
  expect(blockFrom(blocks, last, 'ArrowRight')).toBeNull()
  expect(blockFrom(blocks, 0, 'x')).toBeNull()
  expect(blockFrom([], 0, 'ArrowRight')).toBeNull()
})
