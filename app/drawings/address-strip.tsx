/**
 * A range to scale, with what takes which part. It magnifies around the pointer; collisions are drawn one above the
 * other, hatched. Data in, SVG out.
 */
import { type PointerEvent, useState } from 'react'
import {
  enclosingBlock,
  formatAddress,
  formatRange,
  intersection,
  overlappingPairs,
  parseRange,
  type Range,
} from '~/core/addresses'
import './address-strip.css'

export interface Holder {
  readonly name: string
  readonly range: string
  /** Drawn in the accent: what this draft or selection would take. */
  readonly mine?: boolean
  /** Lies in another’s part on purpose (a DHCP range in its network): drawn thinner, never a collision. */
  readonly inner?: boolean
}

export interface AddressStripProps {
  readonly range: string
  readonly holders: readonly Holder[]
  readonly label: string
  readonly height?: number
  /** Told the range that was dragged over, as first and last address: where a block is to be carved. */
  readonly onDrag?: (first: string, last: string) => void
}

interface Segment {
  readonly holder: Holder
  readonly start: number
  readonly end: number
  readonly collides: boolean
}

/** Where an address lies in a range, 0 to 1. Exact enough to draw: nine digits. */
const placeOf = (range: Range, value: bigint): number =>
  Number(((value - range.first) * 1_000_000_000n) / (range.last - range.first + 1n)) / 1e9

export function segmentsOf(within: Range, holders: readonly Holder[]): readonly Segment[] {
  const parsed = holders.flatMap((holder) => {
    const range = parseRange(holder.range)
    const shared = range.ok ? intersection(within, range.value) : null
    return shared ? [{ holder, shared }] : []
  })
  const outer = parsed.filter(({ holder }) => !holder.inner)
  const hit = new Set((overlappingPairs(outer.map(({ shared }) => shared)) ?? []).flat())
  return parsed.map(({ holder, shared }) => ({
    holder,
    start: placeOf(within, shared.first),
    end: placeOf(within, shared.last + 1n),
    collides: hit.has(outer.findIndex((candidate) => candidate.holder === holder)),
  }))
}

const width = 1000
const mostNamed = 9

/** Where the pointer is on a strip, 0 to 1. */
function pointed(event: PointerEvent<SVGSVGElement>): number {
  const box = event.currentTarget.getBoundingClientRect()
  return Math.min(1, Math.max(0, (event.clientX - box.left) / box.width))
}

/** Moves a place away from the pointer so that what lies around it is drawn larger; the ends stay. */
function lens(place: number, focus: number | null): number {
  if (focus === null) return place
  const strength = 4
  const side = place < focus ? focus : 1 - focus
  if (side === 0) return place
  const distance = Math.abs(place - focus) / side
  const moved = ((strength + 1) * distance) / (strength * distance + 1)
  return focus + Math.sign(place - focus) * moved * side
}

interface Dragged {
  readonly from: number
  readonly to: number
}

/** The first and last address of what was dragged over. */
function spanOf(within: Range, { from, to }: Dragged): readonly [string, string] {
  const size = within.last - within.first + 1n
  const at = (part: number): bigint =>
    within.first + (size * BigInt(Math.round(part * 1e9))) / 1_000_000_000n
  const text = (value: bigint): string => formatAddress({ family: within.family, value })
  const last = at(Math.max(from, to))
  return [text(at(Math.min(from, to))), text(last > within.last ? within.last : last)]
}

/** The pointer on a strip: what it magnifies, or what it drags over. */
function usePointer(within: Range | null, onDrag: AddressStripProps['onDrag']) {
  const [focus, setFocus] = useState<number | null>(null)
  const [drag, setDrag] = useState<Dragged | null>(null)
  return {
    focus,
    drag,
    handlers: {
      onPointerDown: (event: PointerEvent<SVGSVGElement>): void => {
        if (!onDrag) return
        const at = pointed(event)
        event.currentTarget.setPointerCapture(event.pointerId)
        setFocus(null)
        setDrag({ from: at, to: at })
      },
      onPointerMove: (event: PointerEvent<SVGSVGElement>): void => {
        if (drag) setDrag({ from: drag.from, to: pointed(event) })
        // While carving, what is dragged over stays where it is.
        else setFocus(onDrag ? null : pointed(event))
      },
      onPointerUp: (event: PointerEvent<SVGSVGElement>): void => {
        if (!drag || !onDrag || !within) return
        setDrag(null)
        // Where it ends is where the pointer is now, not where it was drawn last.
        onDrag(...spanOf(within, { from: drag.from, to: pointed(event) }))
      },
      onPointerLeave: (): void => setFocus(null),
    },
  }
}

function fillOf({ holder, collides }: Segment): string {
  if (collides) return 'url(#collision)'
  if (holder.mine) return 'var(--brass)'
  return holder.inner ? 'var(--petrol)' : 'var(--arc-4)'
}

/** From where a part is drawn: inner ones low, every second one of a collision in the lower half. */
function topOf({ holder, collides }: Segment, index: number, height: number): number {
  if (holder.inner) return height * 0.55
  return collides && index % 2 === 1 ? height / 2 : 1
}

function CollisionHatch() {
  return (
    <defs>
      <pattern
        id="collision"
        width="8"
        height="8"
        patternUnits="userSpaceOnUse"
        patternTransform="rotate(45)"
      >
        <rect width="8" height="8" fill="var(--sheet)" />
        <path d="M0 0v8" stroke="var(--broken)" strokeWidth="5" />
      </pattern>
    </defs>
  )
}

function Parts({
  segments,
  height,
  x,
}: {
  readonly segments: readonly Segment[]
  readonly height: number
  readonly x: (place: number) => number
}) {
  return segments.map((segment, i) => {
    const { holder, start, end, collides } = segment
    const left = x(start)
    const right = Math.max(left + 1.5, x(end))
    return (
      <rect
        key={`${holder.name}${holder.range}`}
        x={left}
        y={topOf(segment, i, height)}
        width={right - left}
        height={holder.inner || collides ? height * 0.45 : height - 2}
        fill={fillOf(segment)}
        className="strip-part"
      >
        <title>{`${holder.name}: ${holder.range}`}</title>
      </rect>
    )
  })
}

/** The reader’s own, what collides and what is large is named; the rest by pointing at it. */
function PartNames({ segments }: { readonly segments: readonly Segment[] }) {
  const named = [...segments]
    .sort(
      (a, b) =>
        Number(b.holder.mine ?? false) - Number(a.holder.mine ?? false) ||
        Number(b.collides) - Number(a.collides) ||
        b.end - b.start - (a.end - a.start),
    )
    .slice(0, mostNamed)
  return (
    <figcaption className="strip-names">
      {named.map(({ holder, collides }) => (
        <span
          key={`${holder.name}${holder.range}`}
          data-mine={holder.mine ?? false}
          data-collides={collides}
        >
          <i className={holder.inner ? 'inner' : ''} aria-hidden /> {holder.name}{' '}
          <span className="mono">{holder.range}</span>
        </span>
      ))}
      {segments.length > named.length ? (
        <span>and {segments.length - named.length} more, named where they are pointed at</span>
      ) : null}
    </figcaption>
  )
}

export function AddressStrip({ range, holders, label, height = 22, onDrag }: AddressStripProps) {
  const within = parseRange(range)
  const { focus, drag, handlers } = usePointer(within.ok ? within.value : null, onDrag)
  if (!within.ok) return <p className="soft">{within.says}</p>
  const segments = segmentsOf(within.value, holders)
  const told = segments.map(({ holder }) => `${holder.name} ${holder.range}`).join(', ')
  return (
    <figure className="address-strip" aria-label={label}>
      <svg
        viewBox={`0 0 ${width} ${height}`}
        preserveAspectRatio="none"
        style={{ height }}
        role="img"
        aria-label={`${label}: ${told || 'all free'}`}
        data-drags={onDrag !== undefined}
        {...handlers}
      >
        <CollisionHatch />
        {drag ? (
          <rect
            x={Math.min(drag.from, drag.to) * width}
            y={0}
            width={Math.abs(drag.to - drag.from) * width}
            height={height}
            fill="var(--brass)"
            opacity={0.35}
          />
        ) : null}
        <rect
          x="0.5"
          y="0.5"
          width={width - 1}
          height={height - 1}
          className="strip-frame"
          vectorEffect="non-scaling-stroke"
        />
        <Parts segments={segments} height={height} x={(place) => lens(place, focus) * width} />
      </svg>
      <PartNames segments={segments} />
    </figure>
  )
}

/** The block a strip of these ranges is drawn in: the smallest that holds them, but wide enough to show what is around. */
export function stripAround(ranges: readonly string[], mostPrefix: number): string {
  const read = ranges.flatMap((text) => {
    const range = parseRange(text)
    return range.ok ? [range.value] : []
  })
  const block = enclosingBlock(read, mostPrefix)
  return block ? formatRange(block) : '10.0.0.0/8'
}
