/** Where the placement board puts what: nodes as columns grouped by pool and zone, two stacks each, pods as blocks to scale. */
import type { Board, BoardNode, BoardPod } from '~/core/placement'

export interface Block {
  readonly node: BoardNode
  readonly pod: BoardPod
  readonly x: number
  readonly y: number
  readonly width: number
  readonly height: number
}

export interface Stack {
  readonly node: BoardNode
  readonly measure: 'cpu' | 'memory'
  readonly x: number
  /** Top of what the node can give. */
  readonly y: number
  readonly width: number
  readonly height: number
}

export interface Group {
  readonly pool: string
  readonly zone: string
  readonly x: number
  readonly width: number
}

export interface BoardLayout {
  readonly width: number
  readonly height: number
  readonly stacks: readonly Stack[]
  readonly blocks: readonly Block[]
  readonly groups: readonly Group[]
  readonly columns: readonly {
    readonly node: BoardNode
    readonly x: number
    readonly width: number
  }[]
}

const groupGap = 14
const columnGap = 4
const widest = 74
const narrowest = 9

/** Lays the board out in `width` by `height`; with many nodes it becomes wider than asked for, never taller. */
export function layBoard(board: Board, width: number, height: number): BoardLayout {
  const groupKey = (node: BoardNode): string => `${node.pool}\n${node.zone}`
  const keys = [...new Set(board.nodes.map(groupKey))]
  const room = width - (keys.length - 1) * groupGap - board.nodes.length * columnGap
  const column = Math.max(
    narrowest,
    Math.min(widest, Math.floor(room / Math.max(1, board.nodes.length))),
  )
  const largest = {
    cpu: Math.max(1, ...board.nodes.map((node) => Math.max(node.cpuMilli, node.cpuUsed))),
    memory: Math.max(1, ...board.nodes.map((node) => Math.max(node.memoryBytes, node.memoryUsed))),
  }
  const stacks: Stack[] = []
  const blocks: Block[] = []
  const groups: Group[] = []
  const columns: { node: BoardNode; x: number; width: number }[] = []
  let x = 0
  let last = ''
  const narrow = column < 24
  const each = narrow ? column : Math.floor((column - 3) / 2)
  for (const node of board.nodes) {
    const key = groupKey(node)
    if (key !== last) {
      if (last !== '') x += groupGap - columnGap
      groups.push({ pool: node.pool, zone: node.zone, x, width: 0 })
      last = key
    }
    columns.push({ node, x, width: column })
    // A narrow column shows one stack, of cpu.
    for (const [i, measure] of (narrow
      ? (['cpu'] as const)
      : (['cpu', 'memory'] as const)
    ).entries()) {
      const all = measure === 'cpu' ? node.cpuMilli : node.memoryBytes
      const scale = height / largest[measure]
      const at = x + i * (each + 3)
      stacks.push({
        node,
        measure,
        x: at,
        y: height - all * scale,
        width: each,
        height: all * scale,
      })
      let base = height
      for (const pod of node.pods) {
        const size = (measure === 'cpu' ? pod.cpuMilli : pod.memoryBytes) * scale
        base -= size
        if (size > 0.4) blocks.push({ node, pod, x: at, y: base, width: each, height: size })
      }
    }
    x += column + columnGap
    const group = groups[groups.length - 1]
    if (group) groups[groups.length - 1] = { ...group, width: x - columnGap - group.x }
  }
  return { width: Math.max(width, x), height, stacks, blocks, groups, columns }
}
