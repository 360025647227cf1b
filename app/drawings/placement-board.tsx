/**
 * The placement board: nodes as columns, pods stacked in them to scale. Few shapes are drawn as SVG, thousands on a canvas with
 * the same layout. The names below the columns are what is dragged, focused and chosen.
 */
import { useDraggable } from '@dnd-kit/core'
import { type KeyboardEvent, useEffect, useMemo, type RefObject, useRef, useState } from 'react'
import type { Board, BoardNode } from '~/core/placement'
import { countText, bytesText, coresText } from '~/core/units'
import { blockFrom } from './board-keys'
import { layBoard, type Block, type BoardLayout } from './board-layout'
import { useWidth } from './use-width'
import './placement-board.css'

const mostShapes = 2000
const headHeight = 18

export interface PlacementBoardProps {
  readonly board: Board
  readonly height: number
  readonly node: string | null
  readonly workload: string | null
  readonly onNode: (name: string) => void
  readonly onWorkload: (key: string) => void
}

const cutTo = (text: string, max: number): string =>
  text.length <= max ? text : `${text.slice(0, Math.max(1, max - 1))}…`

/** What a node is called below its column: names of a pool begin alike, so the end of one tells it apart. */
const shortName = (name: string, width: number): string => {
  const fits = Math.max(1, Math.floor(width / 6.8))
  if (name.length <= fits) return name
  const end = /[^-]*-?\d+$/.exec(name)?.[0] ?? name
  if (end.length <= fits) return end
  return /\d+$/.exec(name)?.[0] ?? end.slice(-fits)
}

const fateWord: Readonly<Record<BoardNode['fate'], string>> = {
  stands: '',
  new: ', would be new',
  drained: ', drained',
  lost: ', lost',
}

export const nodeText = (node: BoardNode): string =>
  `${node.name}${fateWord[node.fate]}: ${coresText(node.cpuUsed)} of ${coresText(node.cpuMilli)} and ${bytesText(node.memoryUsed)} of ${bytesText(node.memoryBytes)} asked for by ${countText(node.pods.length, 'pod')}`

function Head({
  node,
  x,
  width,
  chosen,
  onNode,
}: {
  readonly node: BoardNode
  readonly x: number
  readonly width: number
  readonly chosen: boolean
  readonly onNode: (name: string) => void
}) {
  const { attributes, listeners, setNodeRef, transform } = useDraggable({
    id: node.name,
    disabled: node.fate === 'lost' || node.fate === 'drained',
  })
  return (
    <button
      type="button"
      ref={setNodeRef}
      {...attributes}
      {...listeners}
      className="head"
      data-chosen={chosen}
      data-narrow={width < 24}
      data-fate={node.fate}
      data-cordoned={node.cordoned}
      aria-label={nodeText(node)}
      aria-pressed={chosen}
      style={{
        left: x,
        width,
        ...(transform
          ? { transform: `translate(${transform.x}px, ${transform.y}px)`, zIndex: 5 }
          : {}),
      }}
      onClick={() => onNode(node.name)}
    >
      {shortName(node.name, width < 24 ? 24 : width)}
    </button>
  )
}

const fromText = (from: string | null | undefined): string => {
  if (from === undefined) return ''
  return from === null ? ', placed here' : `, from ${from}`
}

const blockText = ({ pod }: Block): string =>
  `${pod.key}: ${coresText(pod.cpuMilli)}, ${bytesText(pod.memoryBytes)}${fromText(pod.from)}`

function Shapes({
  layout,
  node,
  workload,
  onNode,
  onWorkload,
}: { readonly layout: BoardLayout } & Pick<
  PlacementBoardProps,
  'node' | 'workload' | 'onNode' | 'onWorkload'
>) {
  const { active, setActive, onKeyDown } = useBlockKeys(layout.blocks, onWorkload)
  const drawing = useRef<SVGSVGElement>(null)
  return (
    <svg
      ref={drawing}
      width={layout.width}
      height={layout.height + headHeight + 1}
      role="group"
      aria-label="Pods on nodes, to scale; arrows move between them"
      onKeyDown={(event) => {
        const next = onKeyDown(event)
        if (next !== null)
          drawing.current?.querySelector<SVGElement>(`[data-block="${next}"]`)?.focus()
      }}
    >
      {layout.groups.map((group) => (
        <text key={`${group.pool}${group.zone}`} x={group.x} y={12}>
          {group.width > 110
            ? [group.pool, group.zone].filter(Boolean).join(' · ')
            : cutTo(group.pool, Math.floor(group.width / 6))}
          <title>{[group.pool, group.zone].filter(Boolean).join(' · ')}</title>
        </text>
      ))}
      <g transform={`translate(0 ${headHeight})`}>
        {layout.stacks.map((stack) => (
          <rect
            key={`${stack.node.name}${stack.measure}`}
            className="stack"
            data-fate={stack.node.fate}
            data-chosen={stack.node.name === node}
            x={stack.x + 0.5}
            y={stack.y + 0.5}
            width={stack.width - 1}
            height={Math.max(1, stack.height - 1)}
            onClick={() => onNode(stack.node.name)}
          >
            <title>{`${stack.node.name}, ${stack.measure}`}</title>
          </rect>
        ))}
        {layout.blocks.map((block, i) => (
          <rect
            key={`${block.pod.key}${block.x}`}
            data-block={i}
            role="button"
            aria-pressed={block.pod.workload === workload}
            aria-label={blockText(block)}
            tabIndex={i === active ? 0 : -1}
            onFocus={() => setActive(i)}
            className="block"
            data-daemon={block.pod.isDaemon}
            data-chosen={block.pod.workload === workload}
            data-moved={block.pod.from !== undefined}
            x={block.x + 1}
            y={block.y}
            width={Math.max(1, block.width - 2)}
            height={Math.max(0.6, block.height - 0.4)}
            onClick={() => onWorkload(block.pod.workload)}
          >
            <title>{blockText(block)}</title>
          </rect>
        ))}
      </g>
    </svg>
  )
}

/** One block is reached by Tab, the others from it by arrows; Enter and Space choose its workload. */
function useBlockKeys(blocks: readonly Block[], onWorkload: (key: string) => void) {
  const [at, setActive] = useState(0)
  const active = Math.min(at, Math.max(0, blocks.length - 1))
  /** The block that the key led to, or null. */
  const onKeyDown = (event: KeyboardEvent): number | null => {
    const block = blocks[active]
    if (block && (event.key === 'Enter' || event.key === ' ')) {
      event.preventDefault()
      onWorkload(block.pod.workload)
      return null
    }
    const next = blockFrom(blocks, active, event.key)
    if (next === null) return null
    event.preventDefault()
    setActive(next)
    return next
  }
  return { active, setActive, onKeyDown }
}

type Chosen = Pick<PlacementBoardProps, 'node' | 'workload'>

/** What is drawn on: a context scaled to the screen, with the tokens of the page. */
interface Ink {
  readonly context: CanvasRenderingContext2D
  readonly token: (name: string) => string
}

function inkOf(canvas: HTMLCanvasElement, layout: BoardLayout): Ink | null {
  const context = canvas.getContext('2d')
  if (!context) return null
  const style = getComputedStyle(canvas)
  const scale = window.devicePixelRatio || 1
  canvas.width = layout.width * scale
  canvas.height = (layout.height + headHeight) * scale
  context.setTransform(scale, 0, 0, scale, 0, 0)
  context.clearRect(0, 0, layout.width, layout.height + headHeight)
  context.font = `11px ${style.getPropertyValue('--text')}`
  const tokens = new Map<string, string>()
  const token = (name: string): string => {
    const value = tokens.get(name) ?? style.getPropertyValue(name).trim()
    tokens.set(name, value)
    return value
  }
  return { context, token }
}

function drawGroups({ context, token }: Ink, { groups }: BoardLayout): void {
  context.fillStyle = token('--ink-soft')
  for (const { pool, zone, x, width } of groups) {
    const letters = Math.max(2, Math.floor(width / 6))
    context.fillText([pool, zone].filter(Boolean).join(' · ').slice(0, letters), x, 12)
  }
}

function frameOf({ node }: BoardLayout['stacks'][number], chosen: string | null): string {
  if (node.name === chosen) return '--brass'
  return node.fate === 'new' ? '--working' : '--border'
}

function drawStacks({ context, token }: Ink, { stacks }: BoardLayout, chosen: string | null): void {
  for (const stack of stacks) {
    const { node, x, y, width, height } = stack
    const isThere = node.fate === 'stands' || node.fate === 'new'
    context.fillStyle = token(isThere ? '--sheet' : '--ground')
    context.strokeStyle = token(frameOf(stack, chosen))
    context.fillRect(x, y, width, height)
    context.strokeRect(x + 0.5, y + 0.5, Math.max(1, width - 1), Math.max(1, height - 1))
  }
}

function blockFill({ pod }: Block, workload: string | null): string {
  if (pod.from !== undefined) return '--working'
  if (pod.workload === workload) return '--petrol'
  return pod.isDaemon ? '--arc-2' : '--arc-4'
}

function drawBlocks(
  { context, token }: Ink,
  { blocks }: BoardLayout,
  workload: string | null,
  active: Block | undefined,
): void {
  for (const block of blocks) {
    const { x, y, width, height } = block
    context.fillStyle = token(blockFill(block, workload))
    context.fillRect(x + 1, y, Math.max(1, width - 2), Math.max(0.6, height - 0.5))
  }
  if (!active) return
  context.strokeStyle = token('--brass')
  context.lineWidth = 2
  context.strokeRect(active.x, active.y - 1, active.width, Math.max(3, active.height + 2))
}

/** Draws the board on a canvas whenever it, or what is chosen on it, has changed. */
function useDrawing(
  layout: BoardLayout,
  { node, workload }: Chosen,
  active: Block | undefined,
): RefObject<HTMLCanvasElement | null> {
  const ref = useRef<HTMLCanvasElement>(null)
  useEffect(() => {
    const ink = ref.current && inkOf(ref.current, layout)
    if (!ink) return
    drawGroups(ink, layout)
    ink.context.translate(0, headHeight)
    drawStacks(ink, layout, node)
    drawBlocks(ink, layout, workload, active)
  }, [layout, node, workload, active])
  return ref
}

const holds = (
  box: { readonly x: number; readonly y: number; readonly width: number; readonly height: number },
  x: number,
  y: number,
): boolean => x >= box.x && x <= box.x + box.width && y >= box.y && y <= box.y + box.height

function Canvas({
  layout,
  node,
  workload,
  onNode,
  onWorkload,
}: { readonly layout: BoardLayout } & Chosen & Pick<PlacementBoardProps, 'onNode' | 'onWorkload'>) {
  const { active, onKeyDown } = useBlockKeys(layout.blocks, onWorkload)
  const activeBlock = layout.blocks[active]
  const ref = useDrawing(layout, { node, workload }, activeBlock)
  /** The workload of the block there, else the node of the column there. */
  const choose = (x: number, y: number): void => {
    const block = layout.blocks.find((candidate) => holds(candidate, x, y))
    const column = layout.columns.find(
      (candidate) => x >= candidate.x && x <= candidate.x + candidate.width,
    )
    if (block) onWorkload(block.pod.workload)
    else if (column) onNode(column.node.name)
  }
  return (
    <canvas
      ref={ref}
      role="application"
      aria-label={`Pods on nodes, to scale; arrows move between them. ${activeBlock ? blockText(activeBlock) : ''}`}
      tabIndex={0}
      onKeyDown={(event) => void onKeyDown(event)}
      style={{ width: layout.width, height: layout.height + headHeight }}
      onClick={(event) => {
        const box = event.currentTarget.getBoundingClientRect()
        choose(event.clientX - box.left, event.clientY - box.top - headHeight)
      }}
    />
  )
}

export function PlacementBoard({
  board,
  height,
  node,
  workload,
  onNode,
  onWorkload,
}: PlacementBoardProps) {
  const [ref, width] = useWidth()
  const layout = useMemo(() => layBoard(board, width, height), [board, width, height])
  const Drawn = layout.blocks.length + layout.stacks.length > mostShapes ? Canvas : Shapes
  return (
    <div className="board" ref={ref}>
      <Drawn
        layout={layout}
        node={node}
        workload={workload}
        onNode={onNode}
        onWorkload={onWorkload}
      />
      <div className="heads" style={{ width: layout.width }}>
        {layout.columns.map((column) => (
          <Head
            key={column.node.name}
            node={column.node}
            x={column.x}
            width={column.width}
            chosen={column.node.name === node}
            onNode={onNode}
          />
        ))}
      </div>
    </div>
  )
}
