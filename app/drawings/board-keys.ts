/** Which block of the placement board a key leads to. */
import type { Block } from './board-layout'

const middleOf = (block: Block): number => block.y + block.height / 2

/** The block of another column that is closest in height. */
function beside(
  blocks: readonly Block[],
  from: Block,
  isOnThatSide: (x: number) => boolean,
  isNearer: (x: number, than: number) => boolean,
): number | null {
  let column: number | null = null
  for (const { x } of blocks)
    if (isOnThatSide(x) && (column === null || isNearer(x, column))) column = x
  if (column === null) return null
  let best: number | null = null
  let distance = Infinity
  blocks.forEach((block, i) => {
    const apart = Math.abs(middleOf(block) - middleOf(from))
    if (block.x !== column || apart >= distance) return
    best = i
    distance = apart
  })
  return best
}

/** The next block of the same column, upwards or downwards on the page. */
function along(blocks: readonly Block[], from: Block, sign: 1 | -1): number | null {
  let best: number | null = null
  let distance = Infinity
  blocks.forEach((block, i) => {
    const apart = sign * (block.y - from.y)
    if (block.x !== from.x || apart <= 0 || apart >= distance) return
    best = i
    distance = apart
  })
  return best
}

/** The index of the block that an arrow leads to from another; null where there is none that way, or for other keys. */
export function blockFrom(blocks: readonly Block[], index: number, key: string): number | null {
  const from = blocks[index]
  if (!from) return null
  switch (key) {
    case 'ArrowUp':
      return along(blocks, from, -1)
    case 'ArrowDown':
      return along(blocks, from, 1)
    case 'ArrowRight':
      return beside(
        blocks,
        from,
        (x) => x > from.x,
        (x, than) => x < than,
      )
    case 'ArrowLeft':
      return beside(
        blocks,
        from,
        (x) => x < from.x,
        (x, than) => x > than,
      )
    case 'Home':
      return 0
    case 'End':
      return blocks.length - 1
    default:
      return null
  }
}
