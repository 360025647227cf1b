// @vitest-environment jsdom
import { DndContext } from '@dnd-kit/core'
import { cleanup, fireEvent, render, screen } from '@testing-library/react'
import userEvent from '@testing-library/user-event'
import { afterEach, beforeEach, describe, expect, it, vi } from 'vitest'
import type { StorageReport } from '~/core/contract'
import type { Board, BoardNode, BoardPod } from '~/core/placement'
import { demoFleet } from '~/core/testing/demo-fleet'
import { layBoard } from './board-layout'
import { DiskWall } from './disk-wall'
import { Gyre } from './gyre'
import type { Arc, GyreLayout } from './gyre-layout'
import { nodeText, PlacementBoard } from './placement-board'
import { Timeline } from './timeline'
import type { Bar } from './timeline-layout'

beforeEach(() => {
  vi.stubGlobal(
    'ResizeObserver',
    class {
      observe(): void {}
      disconnect(): void {}
    },
  )
})
afterEach(() => {
  cleanup()
  vi.unstubAllGlobals()
})

const focused = (): string | null => document.activeElement?.getAttribute('aria-label') ?? null

describe('the gyre', () => {
  const turn = 2 * Math.PI
  const arc = (name: string, more: Partial<Arc> = {}): Arc => ({
    ref: `cluster/${name}`,
    kind: 'cluster',
    name,
    depth: 1,
    start: 0,
    end: turn,
    state: 'well',
    says: '',
    value: 1,
    reading: null,
    readingText: '',
    band: null,
    ...more,
  })
  const node = (name: string, start: number, end: number, state: Arc['state'] = 'well'): Arc =>
    arc(name, { ref: `node/c/${name}`, kind: 'node', depth: 2, start, end, state })
  const layout: GyreLayout = {
    arcs: [
      arc('cedar', { end: turn / 2 }),
      arc('dill', { start: turn / 2, state: 'broken' }),
      node('c-1', 0, turn / 4),
      node('c-2', turn / 4, turn / 2, 'strained'),
      arc('d-pool', {
        ref: 'pool/dill/d-pool',
        kind: 'pool',
        depth: 2,
        start: turn / 2,
        band: { well: 3, broken: 1 },
        readingText: '4 nodes',
      }),
    ],
    rings: 2,
    centre: { ref: 'fleet', kind: 'fleet', name: 'fleet', value: 1, asked: null, nodes: 6 },
    trail: [{ ref: 'fleet', name: 'fleet' }],
  }

  function show(more: Partial<Parameters<typeof Gyre>[0]> = {}) {
    const onSelect = vi.fn()
    const onZoom = vi.fn()
    const view = render(
      <Gyre
        layout={layout}
        reading="state"
        selected={null}
        onSelect={onSelect}
        onZoom={onZoom}
        total="6 nodes"
        line="24 of 40 cores"
        {...more}
      />,
    )
    return { ...view, onSelect, onZoom }
  }

  it('says of every arc what it is, how it is called and how it is', () => {
    show()
    const labels = screen.getAllByRole('button').map((it) => it.getAttribute('aria-label'))
    expect(labels).toEqual([
      'cluster cedar, well',
      'cluster dill, broken',
      'node c-1, well',
      'node c-2, strained',
      '4 nodes of pool d-pool',
      'The whole fleet',
    ])
  })

  it('is walked round and between its rings by arrows, and never leads beyond them', async () => {
    show()
    screen.getByRole('button', { name: 'cluster cedar, well' }).focus()
    await userEvent.keyboard('{ArrowUp}')
    expect(focused()).toBe('node c-1, well')
    await userEvent.keyboard('{ArrowRight}')
    expect(focused()).toBe('node c-2, strained')
    await userEvent.keyboard('{ArrowUp}')
    expect(focused()).toBe('node c-2, strained')
    await userEvent.keyboard('{ArrowDown}{ArrowLeft}')
    expect(focused()).toBe('cluster dill, broken')
    await userEvent.keyboard('{ArrowRight}')
    expect(focused()).toBe('cluster cedar, well')
  })

  it('selects by Space and zooms by Enter; a node has nothing inside to zoom to', async () => {
    const { onSelect, onZoom } = show()
    screen.getByRole('button', { name: 'cluster dill, broken' }).focus()
    await userEvent.keyboard(' {Enter}')
    expect(onSelect.mock.calls).toEqual([['cluster/dill']])
    expect(onZoom.mock.calls).toEqual([['cluster/dill']])
    screen.getByRole('button', { name: 'node c-1, well' }).focus()
    await userEvent.keyboard('{Enter}')
    expect(onSelect).toHaveBeenLastCalledWith('node/c/c-1')
    expect(onZoom).toHaveBeenCalledTimes(1)
  })

  it('zooms into what is pressed once it is selected already', async () => {
    const { onSelect, onZoom } = show({ selected: 'cluster/cedar' })
    fireEvent.click(screen.getByRole('button', { name: 'cluster cedar, well' }))
    expect(onZoom).toHaveBeenCalledWith('cluster/cedar')
    expect(onSelect).not.toHaveBeenCalled()
  })

  it('names what is pointed at, which may have no room for its name', () => {
    const { container } = show()
    fireEvent.pointerEnter(screen.getByRole('button', { name: 'node c-2, strained' }))
    expect(container.querySelector('.pointed')?.textContent).toBe('c-2node, strained')
    fireEvent.pointerLeave(screen.getByRole('button', { name: 'node c-2, strained' }))
    expect(container.querySelector('.pointed')?.textContent).toBe('')
  })

  it('fills a band by the share of states in it', () => {
    show()
    const band = screen.getByRole('button', { name: '4 nodes of pool d-pool' })
    expect([...band.querySelectorAll('path')].map((path) => path.getAttribute('fill'))).toEqual([
      'var(--broken)',
      'var(--arc-4)',
    ])
  })

  it('leads back by its centre', () => {
    const { onZoom } = show({
      layout: {
        ...layout,
        trail: [
          { ref: 'fleet', name: 'fleet' },
          { ref: 'cluster/cedar', name: 'cedar' },
        ],
      },
    })
    fireEvent.click(screen.getByRole('button', { name: 'Back to fleet' }))
    expect(onZoom).toHaveBeenCalledWith('fleet')
  })
})

describe('the timeline of a run', () => {
  const bar = (id: string, more: Partial<Bar> = {}): Bar => ({
    id,
    group: 'network',
    says: `do ${id}`,
    state: 'done',
    undoing: false,
    start: 0,
    end: 60,
    expectedEnd: 60,
    worstEnd: 90,
    after: [],
    critical: false,
    ...more,
  })
  const rows = [
    { group: 'network', bars: [bar('a'), bar('b', { start: 60, state: 'running', end: 90 })] },
    {
      group: 'a-very-long-name-of-a-node-17',
      bars: [bar('c', { group: 'node', start: 120, state: 'waiting', end: 180, critical: true })],
    },
  ]

  function show() {
    const onSelect = vi.fn()
    const view = render(
      <Timeline
        layout={{ rows, seconds: 180, now: 90 }}
        selected="a"
        onSelect={onSelect}
        unfold={(bars) => (bars.some(({ id }) => id === 'c') ? <p>unfolded</p> : null)}
        nowText="now"
      />,
    )
    return { ...view, onSelect }
  }

  it('says of each step how it is, and hands on the one that is chosen by mouse or keyboard', async () => {
    const { onSelect } = show()
    expect(screen.getAllByRole('button').map((it) => it.getAttribute('aria-label'))).toEqual([
      'network: do a, done',
      'network: do b, running',
      'node: do c, waiting',
    ])
    const [first, second, third] = screen.getAllByRole('button')
    expect(first?.getAttribute('aria-pressed')).toBe('true')
    fireEvent.click(second ?? document.body)
    third?.focus()
    await userEvent.keyboard('{Enter} x')
    expect(onSelect.mock.calls).toEqual([['b'], ['c'], ['c']])
  })

  it('draws what has begun, and of what has not only where it is expected', () => {
    const { container } = show()
    expect(
      [...container.querySelectorAll('rect.actual')].map((it) => it.getAttribute('data-state')),
    ).toEqual(['done', 'running'])
    expect(container.querySelectorAll('rect.estimate')).toHaveLength(3)
    expect(container.querySelectorAll('line.critical')).toHaveLength(1)
  })

  it('tells long names apart by their ends, and unfolds below its row', () => {
    const { container } = show()
    const names = [...container.querySelectorAll('text.group-name')].map(
      (text) => text.firstChild?.textContent,
    )
    expect(names).toEqual(['network', '…ong-name-of-a-node-17'])
    expect(screen.getByText('unfolded')).toBeTruthy()
  })

  it('draws the present where it is between what was and what is to come', () => {
    const { container } = show()
    const left = Number.parseFloat(
      container.querySelector<HTMLElement>('.now-line')?.style.left ?? '',
    )
    const [, running, waiting] = [...container.querySelectorAll('rect.estimate')].map((it) =>
      Number(it.getAttribute('x')),
    )
    expect(left).toBeGreaterThan(running ?? Infinity)
    expect(left).toBeLessThan(waiting ?? 0)
  })
})

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

describe('the placement board', () => {
  const board = boardOf([
    nodeOf('c-1', 'east-1', [podOf('market/desk-1', 2000), podOf('market/logs-1', 500)]),
    nodeOf('c-2', 'east-2', [podOf('market/desk-2', 1000)]),
  ])

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

describe('the disk wall', () => {
  const storage = demoFleet().clusters.find((cluster) => cluster.name === 'cedar')?.storage
  if (!storage) throw new Error('cedar keeps volumes')

  function show(more: Partial<Parameters<typeof DiskWall>[0]> = {}) {
    const onVolume = vi.fn()
    const view = render(
      <DiskWall
        storage={storage as StorageReport}
        height={400}
        volume={null}
        gone={new Set()}
        lost={new Set()}
        degraded={new Set()}
        onVolume={onVolume}
        {...more}
      />,
    )
    return { ...view, onVolume }
  }
  const copies = (): readonly HTMLElement[] => screen.getAllByRole('button')

  it('has each copy once, with where it lies and how it is; Tab reaches one of them', () => {
    const held = storage.volumes.reduce((sum, volume) => sum + volume.replicas.length, 0)
    show()
    expect(copies()).toHaveLength(held)
    expect(copies().filter((copy) => copy.getAttribute('tabindex') === '0')).toHaveLength(1)
    expect(copies()[0]?.getAttribute('aria-label')).toMatch(/^\S+ on \S+: .+ of .+, whole$/)
  })

  it('is walked by arrows: up and down in a disk, left and right from disk to disk', async () => {
    show()
    const [first] = copies()
    first?.focus()
    await userEvent.keyboard('{ArrowRight}')
    const moved = document.activeElement as SVGElement | null
    expect(moved?.dataset['column']).not.toBe(first?.dataset['column'])
    await userEvent.keyboard('{ArrowLeft}')
    expect(document.activeElement).toBe(first)
  })

  it('hands on the volume of a copy, and marks all copies of the one that is chosen', async () => {
    const { onVolume, unmount } = show()
    const name = storage.volumes[0]?.name ?? ''
    const ofVolume = screen.getAllByRole('button', { name: new RegExp(`^${name} on `) })
    ofVolume[0]?.focus()
    await userEvent.keyboard('{Enter}')
    expect(onVolume).toHaveBeenCalledWith(name)
    unmount()
    show({ volume: name })
    expect(screen.getAllByRole('button', { pressed: true })).toHaveLength(ofVolume.length)
  })

  it('shows what a loss takes away where it lay, and what has its last copy elsewhere', () => {
    const volume = storage.volumes.find((it) => it.replicas.length > 1)
    const copy = volume?.replicas[0]
    if (!volume || !copy) throw new Error('cedar keeps no volume twice')
    const label = `${copy.node}/${copy.disk}`
    const { container } = show({ gone: new Set([label]), degraded: new Set([volume.name]) })
    const states = [...container.querySelectorAll<SVGElement>('g.copy')]
      .filter((it) => it.getAttribute('aria-label')?.startsWith(`${volume.name} on `))
      .map((it) => [it.dataset['column'] === label, it.dataset['state']])
    expect(states.filter(([isGone]) => isGone)).toEqual([[true, 'away']])
    expect(states.filter(([isGone]) => !isGone).every(([, state]) => state === 'last')).toBe(true)
  })

  it('tells what is lost with the disk from what is only away', () => {
    const volume = storage.volumes[0]
    if (!volume) throw new Error('cedar keeps no volume')
    const gone = new Set(storage.disks.map((disk) => `${disk.node}/${disk.name}`))
    const { container } = show({ gone, lost: new Set([volume.name]) })
    const states = new Map(
      [...container.querySelectorAll<SVGElement>('g.copy')].map((it) => [
        it.getAttribute('aria-label')?.split(' on ')[0] ?? '',
        it.dataset['state'],
      ]),
    )
    expect(states.get(volume.name)).toBe('lost')
    expect([...states.values()].filter((state) => state === 'away')).toHaveLength(states.size - 1)
    expect(container.querySelectorAll('.zone[data-away="true"]').length).toBeGreaterThan(0)
  })
})
