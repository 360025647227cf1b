// @vitest-environment jsdom
import { DndContext } from '@dnd-kit/core'
import { fireEvent, render, screen } from '@testing-library/react'
import userEvent from '@testing-library/user-event'
import { describe, expect, it, vi } from 'vitest'
import type { Board, BoardNode, BoardPod } from '~/core/placement'
import { layBoard } from './board-layout'
import { nodeText, PlacementBoard } from './placement-board'
import { withoutLayout } from '~/app/testing/without-layout'

withoutLayout()

const focused = (): string | null => document.activeElement?.getAttribute('aria-label') ?? null

const podOf = (key: string, cpuMilli: number, more: Partial<BoardPod> = {}): BoardPod => ({
  key,
  workload: `Deployment/${key.replace(/-\d+$/, '')}`,
  cpuMilli,
  memoryBytes: 1024 ** 3,
  isDaemon: false,
  ...more,
})
const nodeOf = (name: string, zone: string, pods: readonly BoardPod[]): BoardNode => ({
  name,
  pool: 'general',
  zone,
  size: 'post-4-16',
  cordoned: false,
  taints: [],
  cpuMilli: 4000,
  memoryBytes: 16 * 1024 ** 3,
  podLimit: 110,
  cpuUsed: pods.reduce((sum, pod) => sum + pod.cpuMilli, 0),
  memoryUsed: pods.length * 1024 ** 3,
  pods,
  fate: 'stands',
})
const boardOf = (nodes: readonly BoardNode[]): Board => ({
  nodes,
  waiting: [],
  moves: [],
  blocked: [],
  workloads: [],
  zones: [...new Set(nodes.map(({ zone }) => zone))],
})

const board = boardOf([
  nodeOf('c-1', 'east-1', [podOf('market/desk-1', 2000), podOf('market/logs-1', 500)]),
  nodeOf('c-2', 'east-2', [podOf('market/desk-2', 1000)]),
])

function show() {
  const onNode = vi.fn()
  const onWorkload = vi.fn()
  const view = render(
    <DndContext>
      <PlacementBoard
        board={board}
        height={300}
        node="c-2"
        workload="Deployment/market/logs"
        onNode={onNode}
        onWorkload={onWorkload}
      />
    </DndContext>,
  )
  return { ...view, onNode, onWorkload }
}

describe('the layout of the placement board', () => {
  it('lays pods one on the other, to one scale for all nodes', () => {
    const { stacks, blocks, groups } = layBoard(board, 600, 300)
    const cpu = blocks.filter(({ x }) => stacks.some((it) => it.measure === 'cpu' && it.x === x))
    expect(cpu.map(({ pod, y, height }) => [pod.key, y, height])).toEqual([
      ['market/desk-1', 150, 150],
      ['market/logs-1', 112.5, 37.5],
      ['market/desk-2', 225, 75],
    ])
    expect(groups.map(({ zone }) => zone)).toEqual(['east-1', 'east-2'])
  })

  it('gets wider than its room rather than too narrow, and shows cpu alone then', () => {
    const many = boardOf(Array.from({ length: 200 }, (_, i) => nodeOf(`c-${i}`, 'east-1', [])))
    const layout = layBoard(many, 600, 300)
    expect(layout.width).toBeGreaterThan(600)
    expect(layout.stacks.every(({ measure }) => measure === 'cpu')).toBe(true)
    const lefts = layout.columns.map(({ x }) => x)
    expect(lefts).toEqual([...lefts].sort((a, b) => a - b))
  })

  it('draws a node that gives less than is asked of it as far as it is filled', () => {
    const over = nodeOf('c-1', 'east-1', [podOf('market/desk-1', 8000)])
    const { blocks, stacks } = layBoard(boardOf([over]), 600, 300)
    expect(blocks[0]).toMatchObject({ y: 0, height: 300 })
    expect(stacks[0]?.height).toBe(150)
  })
})

describe('the placement board', () => {
  it('is walked by arrows, and Enter chooses the workload of a pod', async () => {
    const { container, onWorkload } = show()
    const first = container.querySelector<SVGElement>('[data-block="0"]')
    first?.focus()
    expect(focused()).toMatch(/^market\/desk-1: 2 cores, 1 GiB/)
    await userEvent.keyboard('{ArrowUp}')
    expect(focused()).toMatch(/^market\/logs-1/)
    await userEvent.keyboard('{Enter}')
    expect(onWorkload).toHaveBeenCalledWith('Deployment/market/logs')
    await userEvent.keyboard('{Home}{ArrowRight}{ArrowRight}')
    expect(focused()).toMatch(/^market\/desk-2/)
    expect(container.querySelectorAll('[data-block][tabindex="0"]')).toHaveLength(1)
  })

  it('marks the node and the workload that are chosen, and hands on another', () => {
    const { container, onNode } = show()
    const chosen = [...container.querySelectorAll('.head')].map((it) => it.ariaPressed)
    expect(chosen).toEqual(['false', 'true'])
    expect(container.querySelectorAll('.block[data-chosen="true"]')).toHaveLength(2)
    // The pointer drags it; a click alone chooses it.
    fireEvent.click(screen.getByRole('button', { name: /^c-1:/ }))
    expect(onNode).toHaveBeenCalledWith('c-1')
  })

  it('says of a node what is asked of it, and what a trial does to it', () => {
    const [node] = board.nodes
    if (!node) throw new Error('the board has no node')
    expect(nodeText(node)).toBe('c-1: 2.5 cores of 4 cores and 2 GiB of 16 GiB asked for by 2 pods')
    expect(nodeText({ ...node, fate: 'lost' })).toMatch(/^c-1, lost:/)
    expect(nodeText({ ...node, fate: 'new' })).toMatch(/^c-1, would be new:/)
  })
})
