/** The ring drawing of the fleet. Data in, SVG out; every arc is a link or a choice, by mouse and by keyboard. */
import { arc as arcShape } from 'd3-shape'
import { type KeyboardEvent, memo, useMemo, useRef, useState } from 'react'
import type { State } from '~/core/fleet'
import type { Arc, GyreLayout, Reading } from './gyre-layout'
import './gyre.css'
import { useTurn } from '../kit/turn'

const size = 620
const radius = 304
const hole = 96

const bandOrder: readonly State[] = ['broken', 'unknown', 'strained', 'working', 'resting', 'well']

interface Rings {
  readonly inner: (depth: number) => number
  readonly outer: (depth: number) => number
}

/** Equal rings, the outermost a little wider: it is where nodes are picked. */
function ringsOf(count: number): Rings {
  const width = (radius - hole) / (count + 0.3)
  const inner = (depth: number): number => hole + (depth - 1) * width
  return { inner, outer: (depth) => (depth >= count ? radius : inner(depth) + width) }
}

function path(start: number, end: number, inner: number, outer: number): string {
  const gap = Math.min(0.004, (end - start) / 8)
  return (
    arcShape()({
      startAngle: start + gap,
      endAngle: end - gap,
      innerRadius: inner + 1,
      outerRadius: outer - 1,
    }) ?? ''
  )
}

/** Colour only where something is not as it should be; measures take the one ramp. */
function fillOf(item: Arc, reading: Reading): string {
  if (reading !== 'state') {
    return item.reading === null
      ? 'var(--arc-1)'
      : `color-mix(in oklab, var(--petrol) ${Math.round(8 + 84 * item.reading)}%, var(--line))`
  }
  if (item.depth === 0) return 'var(--arc-1)'
  if (item.kind === 'pod') return item.state === 'well' ? 'var(--arc-3)' : 'url(#strained-hatch)'
  if (item.kind === 'node') {
    if (item.state === 'broken') return 'var(--broken)'
    if (item.state === 'working') return 'var(--working)'
    if (item.state === 'strained') return 'url(#strained-hatch)'
    if (item.state === 'resting' || item.state === 'unknown') return 'url(#rest-hatch)'
    return 'var(--arc-4)'
  }
  if (item.kind === 'cluster' && item.state === 'broken') return 'var(--broken)'
  if (item.kind === 'pool') return 'var(--arc-3)'
  if (item.kind === 'cluster') return 'var(--arc-2)'
  return 'var(--arc-1)'
}

function Band({ item, rings }: { readonly item: Arc; readonly rings: Rings }) {
  const total = Object.values(item.band ?? {}).reduce((sum, count) => sum + count, 0)
  let at = item.start
  return bandOrder.map((state) => {
    const count = item.band?.[state] ?? 0
    if (count === 0 || total === 0) return null
    const start = at
    at += ((item.end - item.start) * count) / total
    return (
      <path
        key={state}
        d={path(start, at, rings.inner(item.depth), rings.outer(item.depth))}
        fill={fillOf({ ...item, kind: 'node', state }, 'state')}
      />
    )
  })
}

/** Whether an arc has room for its name, and which way it is written there. */
function roomFor(item: Arc, rings: Rings): 'along' | 'across' | null {
  const inner = rings.inner(item.depth)
  const outer = rings.outer(item.depth)
  const length = (item.end - item.start) * ((inner + outer) / 2)
  const width = item.name.length * 6.6 + 8
  if (length > width) return 'along'
  return outer - inner > width && length > 15 ? 'across' : null
}

const hasRoom = (item: Arc, rings: Rings): boolean => !item.band && roomFor(item, rings) !== null

/** A label along the arc where it is long enough, across it where the ring is wide enough, else none. */
function Label({ item, rings }: { readonly item: Arc; readonly rings: Rings }) {
  const inner = rings.inner(item.depth)
  const outer = rings.outer(item.depth)
  const middle = (inner + outer) / 2
  const angle = (item.start + item.end) / 2
  const room = roomFor(item, rings)
  const x = middle * Math.sin(angle)
  const y = -middle * Math.cos(angle)
  if (room === null) return null
  const turn = (angle * 180) / Math.PI
  let rotation: number
  if (room === 'along') {
    if (turn > 90 && turn < 270) rotation = turn + 180
    else rotation = turn
  } else if (turn > 180) rotation = turn + 90
  else rotation = turn - 90
  return (
    <text
      x={x}
      y={y}
      transform={`rotate(${rotation} ${x} ${y})`}
      className="arc-label"
      dominantBaseline="central"
      textAnchor="middle"
    >
      {item.name}
    </text>
  )
}

/** The names on the way to what is pointed at, where the arcs themselves are too narrow to hold them. */
function PointedLabels({
  layout,
  pointed,
  rings,
}: {
  readonly layout: GyreLayout
  readonly pointed: Arc
  readonly rings: Rings
}) {
  const angle = (pointed.start + pointed.end) / 2
  const way = layout.arcs.filter(
    (item) =>
      item.depth <= pointed.depth &&
      item.start <= angle &&
      angle <= item.end &&
      !hasRoom(item, rings),
  )
  return (
    <g className="pointed-labels" aria-hidden>
      {way.map((item) => {
        const middle = (rings.inner(item.depth) + rings.outer(item.depth)) / 2
        const x = middle * Math.sin(angle)
        const y = -middle * Math.cos(angle)
        // Along the ring, so that the names of two rings never meet.
        const turn = (angle * 180) / Math.PI
        const upright = turn > 90 && turn < 270 ? turn + 180 : turn
        return (
          <text
            key={`${item.ref}${item.band ? '/band' : ''}`}
            x={x}
            y={y}
            transform={`rotate(${upright} ${x} ${y})`}
            dominantBaseline="central"
            textAnchor="middle"
          >
            {item.band ? item.readingText : item.name}
          </text>
        )
      })}
    </g>
  )
}

export interface GyreProps {
  readonly layout: GyreLayout
  readonly reading: Reading
  readonly selected: string | null
  readonly onSelect: (ref: string) => void
  readonly onZoom: (ref: string) => void
  /** What the centre says: a total and a line below it. */
  readonly total: string
  readonly line: string
}

/** Nodes and pods have nothing inside to zoom in to. */
const isLeaf = ({ kind }: Arc): boolean => kind === 'node' || kind === 'pod'

/** The reading of an arc, where it says more than its state. */
const readingOf = ({ readingText, state }: Arc): string =>
  readingText === '' || readingText === state ? '' : `, ${readingText}`

const wordOf = (item: Arc): string => `${item.kind} ${item.name}, ${item.state}${readingOf(item)}`

const pointedText = (item: Arc): string =>
  item.band ? item.readingText : `${item.kind}, ${item.state}${readingOf(item)}`

/** The arc a key leads to from another: round the ring, or to the ring outside or inside; undefined for any other key. */
function arcFrom(arcs: readonly Arc[], index: number, key: string): number | undefined {
  const item = arcs[index]
  if (!item) return undefined
  const ring = arcs.flatMap((arc, i) => (arc.depth === item.depth ? [i] : []))
  const place = ring.indexOf(index)
  const middle = (item.start + item.end) / 2
  const over = (depth: number): number =>
    arcs.findIndex((arc) => arc.depth === depth && arc.start <= middle && middle <= arc.end)
  switch (key) {
    case 'ArrowRight':
      return ring[(place + 1) % ring.length]
    case 'ArrowLeft':
      return ring[(place - 1 + ring.length) % ring.length]
    case 'ArrowUp':
      return over(item.depth + 1)
    case 'ArrowDown':
      return over(item.depth - 1)
    default:
      return undefined
  }
}

function Hatch({
  id,
  size: step,
  ground,
  ink,
  thickness,
}: {
  readonly id: string
  readonly size: number
  readonly ground: string
  readonly ink: string
  readonly thickness: number
}) {
  return (
    <pattern
      id={id}
      width={step}
      height={step}
      patternUnits="userSpaceOnUse"
      patternTransform="rotate(45)"
    >
      <rect width={step} height={step} fill={`var(${ground})`} />
      <path d={`M0 0v${step}`} stroke={`var(${ink})`} strokeWidth={thickness} />
    </pattern>
  )
}

/** What an arc is drawn as: its fill or its bands, its name where there is room, its frame where it is selected. */
function ArcShape({
  item,
  reading,
  rings,
  selected,
}: {
  readonly item: Arc
  readonly reading: Reading
  readonly rings: Rings
  readonly selected: boolean
}) {
  useTurn()
  const outline = path(item.start, item.end, rings.inner(item.depth), rings.outer(item.depth))
  return (
    <>
      <title>
        {item.band
          ? `${item.name}: ${item.readingText}`
          : `${item.name}: ${item.says || item.state}`}
      </title>
      {item.band && reading === 'state' ? (
        <Band item={item} rings={rings} />
      ) : (
        <path d={outline} fill={fillOf(item, reading)} />
      )}
      {item.band ? null : <Label item={item} rings={rings} />}
      {selected && !item.band ? <path d={outline} className="arc-selected" /> : null}
    </>
  )
}

function Centre({
  layout,
  total,
  line,
  onZoom,
}: Pick<GyreProps, 'layout' | 'total' | 'line' | 'onZoom'>) {
  const up = layout.trail[layout.trail.length - 2]
  const back = (): void => {
    if (up) onZoom(up.ref)
  }
  return (
    <g
      className="centre"
      role="button"
      tabIndex={up ? 0 : -1}
      aria-label={up ? `Back to ${up.name}` : 'The whole fleet'}
      onClick={back}
      onKeyDown={(event) => {
        if (!up || (event.key !== 'Enter' && event.key !== ' ')) return
        event.preventDefault()
        back()
      }}
    >
      <circle r={hole - 4} />
      <text y={-30} className="centre-name">
        {layout.centre.name}
      </text>
      <text y={4} className="centre-total">
        {total}
      </text>
      <text y={28} className="centre-line">
        {line}
      </text>
      {up ? (
        <text y={48} className="centre-line">
          back to {up.name}
        </text>
      ) : null}
    </g>
  )
}

export const Gyre = memo(function Gyre(props: GyreProps) {
  const { layout, reading, selected, onSelect, onZoom } = props
  const rings = useMemo(() => ringsOf(Math.max(1, layout.rings)), [layout.rings])
  const drawing = useRef<SVGSVGElement>(null)
  const [pointed, setPointed] = useState<Arc | null>(null)
  const press = (event: KeyboardEvent<SVGGElement>, item: Arc, index: number): void => {
    if (event.key === 'Enter') {
      if (isLeaf(item)) onSelect(item.ref)
      else onZoom(item.ref)
      return
    }
    if (event.key === ' ') {
      event.preventDefault()
      onSelect(item.ref)
      return
    }
    const to = arcFrom(layout.arcs, index, event.key)
    if (to === undefined || to < 0) return
    event.preventDefault()
    drawing.current?.querySelector<SVGGElement>(`[data-arc="${to}"]`)?.focus()
  }
  const choose = (item: Arc): void => {
    if (item.ref === selected && !isLeaf(item)) onZoom(item.ref)
    else onSelect(item.ref)
  }
  return (
    <>
      {/* Narrow arcs have no room for their names: whatever is pointed at is named here. */}
      <p className="pointed" aria-hidden>
        {pointed ? (
          <>
            <b className="mono">{pointed.name}</b>
            {pointedText(pointed)}
          </>
        ) : null}
      </p>
      <svg
        ref={drawing}
        className="gyre"
        viewBox={`${-size / 2} ${-size / 2} ${size} ${size}`}
        role="group"
        aria-label="The fleet as rings: sites, clusters, pools, nodes. Arrow keys move, Space selects, Enter zooms."
      >
        <defs>
          <Hatch id="strained-hatch" size={7} ground="--strained" ink="--ground" thickness={3} />
          <Hatch id="rest-hatch" size={6} ground="--ground" ink="--resting" thickness={2} />
        </defs>
        {layout.arcs.map((item, index) => (
          <g
            key={`${item.ref}${item.band ? '/band' : ''}`}
            data-arc={index}
            className="arc"
            role="button"
            tabIndex={index === 0 || item.ref === selected ? 0 : -1}
            aria-label={item.band ? `${item.readingText} of pool ${item.name}` : wordOf(item)}
            aria-pressed={item.ref === selected}
            onClick={() => choose(item)}
            onDoubleClick={() => {
              if (!isLeaf(item)) onZoom(item.ref)
            }}
            onPointerEnter={() => setPointed(item)}
            onPointerLeave={() => setPointed(null)}
            onFocus={() => setPointed(item)}
            onBlur={() => setPointed(null)}
            onKeyDown={(event) => press(event, item, index)}
          >
            <ArcShape
              item={item}
              reading={reading}
              rings={rings}
              selected={item.ref === selected}
            />
          </g>
        ))}
        {pointed ? <PointedLabels layout={layout} pointed={pointed} rings={rings} /> : null}
        <Centre {...props} />
      </svg>
    </>
  )
})
