/** The disk wall: where every copy lies. What a loss takes away is hatched where it lay; what would be made anew, too, as it stands now. */
import { type KeyboardEvent, memo, useMemo } from 'react'
import type { StorageReport } from '~/core/contract'
import { decimalBytesText } from '~/core/units'
import { layWall, type Wall, type WallBlock, type WallDisk } from './disk-wall-layout'
import { useWidth } from './use-width'
import './disk-wall.css'

const headHeight = 34
const footHeight = 34
const letterWidth = 7.6

export interface DiskWallProps {
  readonly storage: StorageReport
  readonly height: number
  readonly volume: string | null
  /** Labels of disks that are thought away. */
  readonly gone: ReadonlySet<string>
  /** Volumes of which no copy would be left, and those that would lack one. */
  readonly lost: ReadonlySet<string>
  readonly degraded: ReadonlySet<string>
  readonly onVolume: (name: string) => void
}

const cut = (text: string, width: number): string => {
  const letters = Math.floor(width / letterWidth)
  if (letters < 3) return ''
  return text.length > letters ? `…${text.slice(text.length - letters + 1)}` : text
}

/** What is told apart of a node’s name: without the name of the cluster that all begin with. */
const shortNode = (node: string, all: readonly string[]): string => {
  const first = node.slice(0, node.indexOf('-') + 1)
  return first !== '' && all.every((name) => name.startsWith(first))
    ? node.slice(first.length)
    : node
}

const stateWord: Readonly<Record<WallBlock['state'], string>> = {
  whole: 'whole',
  copying: 'being copied',
  gone: 'does not answer',
}

function blockState(
  block: WallBlock,
  disk: WallDisk,
  { gone, lost, degraded }: Pick<DiskWallProps, 'gone' | 'lost' | 'degraded'>,
): string {
  if (gone.has(disk.label)) return lost.has(block.volume) ? 'lost' : 'away'
  if (degraded.has(block.volume)) return 'last'
  return block.state
}

const Block = memo(function Block({
  block,
  disk,
  state,
  chosen,
  focusable,
  onVolume,
}: {
  readonly block: WallBlock
  readonly disk: WallDisk
  readonly state: string
  readonly chosen: boolean
  readonly focusable: boolean
  readonly onVolume: (name: string) => void
}) {
  const label = `${block.volume} on ${disk.label}: ${decimalBytesText(block.usedBytes)} of ${decimalBytesText(block.bytes)}, ${stateWord[block.state]}`
  const height = Math.max(2, block.height - 1.5)
  const used = Math.min(height, block.usedHeight)
  return (
    <g
      role="button"
      tabIndex={focusable ? 0 : -1}
      aria-label={label}
      aria-pressed={chosen}
      className="copy"
      data-state={state}
      data-chosen={chosen}
      data-column={disk.label}
      onClick={() => onVolume(block.volume)}
      onKeyDown={(event) => {
        if (event.key !== 'Enter' && event.key !== ' ') return
        event.preventDefault()
        onVolume(block.volume)
      }}
    >
      <title>{label}</title>
      <rect className="promised" x={disk.x} y={block.y + 0.75} width={disk.width} height={height} />
      <rect
        className="used"
        x={disk.x}
        y={block.y + 0.75 + height - used}
        width={disk.width}
        height={used}
      />
      {block.height > 15 ? (
        <text x={disk.x + 6} y={block.y + 14}>
          {cut(block.volume, disk.width - 10)}
        </text>
      ) : null}
    </g>
  )
})

/** Moves between copies: up and down in a disk, left and right to the next disk that holds any. */
function moved(event: KeyboardEvent<SVGSVGElement>): void {
  const from = (event.target as Element).closest<SVGGElement>('g.copy')
  const ways: Readonly<Record<string, readonly [number, number]>> = {
    ArrowUp: [0, 1],
    ArrowDown: [0, -1],
    ArrowRight: [1, 0],
    ArrowLeft: [-1, 0],
  }
  const way = ways[event.key]
  if (!from || !way) return
  event.preventDefault()
  const all = [...event.currentTarget.querySelectorAll<SVGGElement>('g.copy')]
  const columns = [...new Set(all.map((entry) => entry.dataset['column']))]
  const column = columns.indexOf(from.dataset['column']) + way[0]
  const inColumn = (nth: number) => all.filter((entry) => entry.dataset['column'] === columns[nth])
  const here = inColumn(columns.indexOf(from.dataset['column']))
  const place = here.indexOf(from) + way[1]
  const next = way[0] === 0 ? here[place] : inColumn(column)[0]
  next?.focus()
}

const Hatches = () => (
  <defs>
    {['floor', 'taken'].map((name) => (
      <pattern
        key={name}
        id={name}
        width="7"
        height="7"
        patternUnits="userSpaceOnUse"
        patternTransform="rotate(45)"
      >
        <line className={`${name}-line`} x1="0" y1="0" x2="0" y2="7" />
      </pattern>
    ))}
  </defs>
)

function Zone({
  zone,
  disks,
  gone,
}: {
  readonly zone: Wall['zones'][number]
  readonly disks: readonly WallDisk[]
  readonly gone: ReadonlySet<string>
}) {
  const own = disks.filter((disk) => disk.zone === zone.name)
  return (
    <g className="zone" data-away={own.every((disk) => gone.has(disk.label))}>
      <text x={zone.x} y={14}>
        {cut(zone.name, Math.max(zone.width, 60))}
      </text>
      <line x1={zone.x} x2={zone.x + zone.width} y1={22} y2={22} />
    </g>
  )
}

/** The floor that is kept free, and what the disk is called. */
function Frame({
  disk,
  name,
  height,
}: {
  readonly disk: WallDisk
  readonly name: string
  readonly height: number
}) {
  const edge = disk.top + disk.floorHeight
  return (
    <>
      <rect
        className="floor"
        x={disk.x}
        y={disk.top}
        width={disk.width}
        height={disk.floorHeight}
      />
      <line className="floor-edge" x1={disk.x} x2={disk.x + disk.width} y1={edge} y2={edge} />
      {disk.width < 34 ? null : (
        <g className="foot">
          <text x={disk.x + disk.width / 2} y={height + 15}>
            {cut(name, disk.width + 10)}
          </text>
          <text className="soft" x={disk.x + disk.width / 2} y={height + 30}>
            {disk.width < 50 ? disk.name : `${disk.name} ${decimalBytesText(disk.bytes)}`}
          </text>
        </g>
      )}
    </>
  )
}

/** Every disk and copy a group of its own, that can be focused. */
function Each({ wall, ...props }: DiskWallProps & { readonly wall: Wall }) {
  const { storage, height, volume, gone, onVolume } = props
  const nodes = useMemo(() => storage.disks.map((disk) => disk.node), [storage])
  const firstHeld = wall.disks.find((disk) => disk.blocks.length > 0)
  return wall.disks.map((disk) => (
    <g key={disk.label} className="disk" data-away={gone.has(disk.label)} data-state={disk.state}>
      <rect
        className="casing"
        x={disk.x - 0.5}
        y={disk.top}
        width={disk.width + 1}
        height={disk.height}
      />
      {disk.blocks.map((block) => (
        <Block
          key={block.volume}
          block={block}
          disk={disk}
          state={blockState(block, disk, props)}
          chosen={volume === block.volume}
          focusable={
            volume === null
              ? disk === firstHeld && block === disk.blocks[0]
              : volume === block.volume
          }
          onVolume={onVolume}
        />
      ))}
      <Frame disk={disk} name={shortNode(disk.node, nodes)} height={height} />
    </g>
  ))
}

const box = (x: number, y: number, width: number, height: number): string =>
  `M${x} ${y.toFixed(1)}h${width}v${height.toFixed(1)}h${-width}z`

/** Past so many copies they are drawn as one path for each state: what is pressed is found by where it lies. */
const mostGroups = 600

/** The wall of a large store. What can be chosen with the keyboard is in its table. */
function Merged({ wall, ...props }: DiskWallProps & { readonly wall: Wall }) {
  const { volume, onVolume } = props
  const byState = new Map<string, { promised: string; used: string }>()
  const frames = { casing: '', floor: '' }
  for (const disk of wall.disks) {
    frames.casing += box(disk.x, disk.top, disk.width, disk.height)
    frames.floor += box(disk.x, disk.top, disk.width, disk.floorHeight)
    for (const block of disk.blocks) {
      const state = blockState(block, disk, props)
      const paths = byState.get(state) ?? { promised: '', used: '' }
      const height = Math.max(1.5, block.height - 1)
      const used = Math.min(height, block.usedHeight)
      paths.promised += box(disk.x, block.y, disk.width, height)
      paths.used += box(disk.x, block.y + height - used, disk.width, used)
      byState.set(state, paths)
    }
  }
  const chosen = wall.disks.flatMap((disk) =>
    disk.blocks
      .filter((block) => block.volume === volume)
      .map((block) => box(disk.x, block.y, disk.width, Math.max(1.5, block.height - 1))),
  )
  return (
    <g
      onClick={(event) => {
        const { left, top } = event.currentTarget.getBoundingClientRect()
        const x = event.clientX - left
        const y = event.clientY - top + Math.min(...wall.disks.map((disk) => disk.top))
        const pressed = wall.disks
          .find((disk) => x >= disk.x && x <= disk.x + disk.width)
          ?.blocks.find((block) => y >= block.y && y <= block.y + block.height)
        if (pressed) onVolume(pressed.volume)
      }}
    >
      <path className="casing" d={frames.casing} />
      {[...byState].map(([state, { promised, used }]) => (
        <g key={state} className="copy" data-state={state}>
          <path className="promised" d={promised} />
          <path className="used" d={used} />
        </g>
      ))}
      <path className="floor" d={frames.floor} />
      {chosen.length === 0 ? null : <path className="chosen" d={chosen.join('')} />}
    </g>
  )
}

export function DiskWall(props: DiskWallProps) {
  const { storage, height, gone } = props
  const [ref, room] = useWidth()
  const wall = useMemo(() => layWall(storage, room - 8, height), [storage, room, height])
  const copies = wall.disks.reduce((sum, disk) => sum + disk.blocks.length, 0)
  const isLarge = copies > mostGroups
  return (
    <div ref={ref} className="disk-wall">
      <svg
        width={wall.width + 2}
        height={headHeight + height + footHeight}
        role="group"
        aria-label={
          isLarge
            ? 'Disks and the copies they hold; T shows them as a table'
            : 'Disks and the copies they hold'
        }
        onKeyDown={moved}
      >
        <Hatches />
        {wall.zones.map((zone) => (
          <Zone key={zone.name} zone={zone} disks={wall.disks} gone={gone} />
        ))}
        <g transform={`translate(1,${headHeight})`}>
          {isLarge ? <Merged {...props} wall={wall} /> : <Each {...props} wall={wall} />}
        </g>
      </svg>
    </div>
  )
}
