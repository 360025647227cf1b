/** The disk wall: where every copy lies. What a loss takes away is hatched where it lay; what would be made anew, too, as it stands now. */
import { type KeyboardEvent, memo, useMemo, useRef } from 'react'
import type { StorageReport } from '~/core/contract'
import { decimalBytesText } from '~/core/units'
import { layWall, type WallBlock, type WallDisk } from './disk-wall-layout'
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

export function DiskWall(props: DiskWallProps) {
  const { storage, height, volume, gone, onVolume } = props
  const [ref, room] = useWidth()
  const svg = useRef<SVGSVGElement>(null)
  const wall = useMemo(() => layWall(storage, room - 8, height), [storage, room, height])
  const nodes = useMemo(() => storage.disks.map((disk) => disk.node), [storage])
  const firstHeld = wall.disks.find((disk) => disk.blocks.length > 0)
  return (
    <div ref={ref} className="disk-wall">
      <svg
        ref={svg}
        width={wall.width + 2}
        height={headHeight + height + footHeight}
        role="group"
        aria-label="Disks and the copies they hold"
        onKeyDown={moved}
      >
        <defs>
          <pattern
            id="floor"
            width="7"
            height="7"
            patternUnits="userSpaceOnUse"
            patternTransform="rotate(45)"
          >
            <line className="floor-line" x1="0" y1="0" x2="0" y2="7" />
          </pattern>
          <pattern
            id="taken"
            width="7"
            height="7"
            patternUnits="userSpaceOnUse"
            patternTransform="rotate(45)"
          >
            <line className="taken-line" x1="0" y1="0" x2="0" y2="7" />
          </pattern>
        </defs>
        {wall.zones.map((zone) => {
          const away = wall.disks
            .filter((disk) => disk.zone === zone.name)
            .every((disk) => gone.has(disk.label))
          return (
            <g key={zone.name} className="zone" data-away={away}>
              <text x={zone.x} y={14}>
                {cut(zone.name, Math.max(zone.width, 60))}
              </text>
              <line x1={zone.x} x2={zone.x + zone.width} y1={22} y2={22} />
            </g>
          )
        })}
        <g transform={`translate(1,${headHeight})`}>
          {wall.disks.map((disk) => (
            <g
              key={disk.label}
              className="disk"
              data-away={gone.has(disk.label)}
              data-state={disk.state}
            >
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
              <rect
                className="floor"
                x={disk.x}
                y={disk.top}
                width={disk.width}
                height={disk.floorHeight}
              />
              <line
                className="floor-edge"
                x1={disk.x}
                x2={disk.x + disk.width}
                y1={disk.top + disk.floorHeight}
                y2={disk.top + disk.floorHeight}
              />
              {disk.width < 34 ? null : (
                <g className="foot">
                  <text x={disk.x + disk.width / 2} y={height + 15}>
                    {cut(shortNode(disk.node, nodes), disk.width + 10)}
                  </text>
                  <text className="soft" x={disk.x + disk.width / 2} y={height + 30}>
                    {disk.width < 50 ? disk.name : `${disk.name} ${decimalBytesText(disk.bytes)}`}
                  </text>
                </g>
              )}
            </g>
          ))}
        </g>
      </svg>
    </div>
  )
}
