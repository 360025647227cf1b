/** The run timeline. Groups are rows; a row that failed or waits for another attempt unfolds in place. */
import { Fragment, type ReactNode } from 'react'
import { type Bar, type TimelineLayout, ticksOf } from './timeline-layout'
import { useTurn } from '../kit/turn'
import { useWidth } from './use-width'
import './timeline.css'

const nameWidth = 170
const barHeight = 16
const rowHeight = 30

export interface TimelineProps {
  readonly layout: TimelineLayout
  readonly selected: string | null
  readonly onSelect: (id: string) => void
  /** What unfolds below a row: the failed or retrying steps in it. */
  readonly unfold: (bars: readonly Bar[]) => ReactNode
  readonly nowText: string
}

interface Scale {
  readonly x: (seconds: number) => number
  readonly width: number
}

const stateWord = (bar: Bar): string =>
  `${bar.group}: ${bar.says}, ${bar.undoing && bar.state === 'running' ? 'being undone' : bar.state}`

/** Where a row says what its foremost step is: behind that bar if the gap takes the words, else behind the row, else before it, else nowhere. */
function labelPlace(
  bars: readonly Bar[],
  endOf: (bar: Bar) => number,
  scale: Scale,
): { readonly x: number; readonly anchor: 'start' | 'end'; readonly says: string } | null {
  const active = bars.find(
    (bar) => bar.state === 'running' || bar.state === 'failed' || bar.state === 'retrying',
  )
  const shown =
    active ??
    bars.find((bar) => bar.state === 'waiting') ??
    bars.reduce((a, b) => (endOf(b) > endOf(a) ? b : a))
  const needed = shown.says.length * 6 + 12
  const begins = bars.map((bar) => scale.x(bar.start)).filter((x) => x > endOf(shown))
  if (Math.min(scale.width, ...begins) - endOf(shown) > needed)
    return { x: endOf(shown) + 8, anchor: 'start', says: shown.says }
  const edge = Math.max(...bars.map(endOf))
  if (scale.width - edge > needed) return { x: edge + 8, anchor: 'start', says: shown.says }
  const begin = Math.min(...bars.map((bar) => scale.x(bar.start)))
  return begin - nameWidth > needed ? { x: begin - 8, anchor: 'end', says: shown.says } : null
}

/** A step on its row: what it took so far, what was expected, and whether the whole waits for it. */
function BarShape({
  bar,
  scale,
  selected,
  onSelect,
}: {
  readonly bar: Bar
  readonly scale: Scale
  readonly selected: boolean
  readonly onSelect: (id: string) => void
}) {
  const left = scale.x(bar.start)
  const y = (rowHeight - barHeight) / 2
  const waiting = bar.state === 'waiting' || bar.state === 'skipped'
  const end = scale.x(waiting ? bar.expectedEnd : Math.max(bar.end, bar.start))
  return (
    <g
      className="bar-box"
      role="button"
      tabIndex={0}
      aria-label={stateWord(bar)}
      aria-pressed={selected}
      onClick={() => onSelect(bar.id)}
      onKeyDown={(event) => {
        if (event.key !== 'Enter' && event.key !== ' ') return
        event.preventDefault()
        onSelect(bar.id)
      }}
    >
      <title>{stateWord(bar)}</title>
      {waiting ? null : (
        <rect
          className="actual"
          data-state={bar.state}
          x={left}
          y={y}
          width={Math.max(2, scale.x(bar.end) - left)}
          height={barHeight}
        />
      )}
      <rect
        className="estimate"
        data-waiting={waiting}
        x={left}
        y={y - 2}
        width={Math.max(2, scale.x(bar.expectedEnd) - left)}
        height={barHeight + 4}
      />
      {bar.critical ? (
        <line
          className="critical"
          x1={left}
          x2={Math.max(left + 2, end)}
          y1={y + barHeight + 3}
          y2={y + barHeight + 3}
        />
      ) : null}
    </g>
  )
}

function Row({
  group,
  bars,
  scale,
  selected,
  onSelect,
}: { readonly group: string; readonly bars: readonly Bar[]; readonly scale: Scale } & Pick<
  TimelineProps,
  'selected' | 'onSelect'
>) {
  useTurn()
  const endOf = (bar: Bar): number => scale.x(Math.max(bar.end, bar.expectedEnd))
  const label = labelPlace(bars, endOf, scale)
  return (
    <svg height={rowHeight} width={scale.width} viewBox={`0 0 ${scale.width} ${rowHeight}`}>
      {ticks(scale)}
      {/* Names of one run begin alike, so the end of a long one is what tells them apart. */}
      <text className="group-name" x={0} y={rowHeight / 2} dominantBaseline="central">
        {group.length > 22 ? `…${group.slice(-21)}` : group}
        <title>{group}</title>
      </text>
      {bars.map((bar) => (
        <BarShape
          key={bar.id}
          bar={bar}
          scale={scale}
          selected={selected === bar.id}
          onSelect={onSelect}
        />
      ))}
      {label === null ? null : (
        <text
          x={label.x}
          y={rowHeight / 2}
          dominantBaseline="central"
          textAnchor={label.anchor}
          style={{ pointerEvents: 'none' }}
        >
          {label.says}
        </text>
      )}
    </svg>
  )
}

function ticks(scale: Scale & { readonly marks?: readonly { readonly at: number }[] }) {
  return scale.marks?.map((mark) => (
    <line
      key={mark.at}
      className="tick"
      x1={scale.x(mark.at)}
      x2={scale.x(mark.at)}
      y1={0}
      y2={rowHeight}
    />
  ))
}

export function Timeline({ layout, selected, onSelect, unfold, nowText }: TimelineProps) {
  const [ref, width] = useWidth()
  const span = layout.seconds * 1.06
  const marks = ticksOf(span)
  const scale = {
    x: (seconds: number): number => nameWidth + (seconds / span) * (width - nameWidth - 8),
    width,
    marks,
  }
  const nowX = layout.now === null ? null : scale.x(Math.min(layout.now, span))
  return (
    <div className="timeline" ref={ref}>
      <svg height={20} width={width} viewBox={`0 0 ${width} 20`} aria-hidden>
        <defs>
          <pattern
            id="retry-hatch"
            width="7"
            height="7"
            patternUnits="userSpaceOnUse"
            patternTransform="rotate(45)"
          >
            <rect width="7" height="7" fill="var(--strained)" />
            <path d="M0 0v7" stroke="var(--ground)" strokeWidth="3" />
          </pattern>
          <pattern
            id="undone-hatch"
            width="6"
            height="6"
            patternUnits="userSpaceOnUse"
            patternTransform="rotate(45)"
          >
            <path d="M0 0v6" stroke="var(--resting)" strokeWidth="2" />
          </pattern>
        </defs>
        {marks.map((mark) => (
          <text key={mark.at} className="tick-text" x={scale.x(mark.at) + 3} y={13}>
            {mark.says}
          </text>
        ))}
      </svg>
      <div style={{ position: 'relative' }}>
        {layout.rows.map((row) => (
          <Fragment key={row.group}>
            <Row
              group={row.group}
              bars={row.bars}
              scale={scale}
              selected={selected}
              onSelect={onSelect}
            />
            {unfold(row.bars)}
          </Fragment>
        ))}
        {nowX === null ? null : (
          <div
            className="now-line"
            style={{
              position: 'absolute',
              top: 0,
              bottom: 0,
              left: nowX,
              borderLeft: '1.5px solid var(--brass)',
              pointerEvents: 'none',
            }}
            aria-hidden
          />
        )}
      </div>
      {nowX === null ? null : (
        <p className="soft" style={{ paddingLeft: Math.min(nowX, width - 110), fontSize: 11.5 }}>
          {nowText}
        </p>
      )}
    </div>
  )
}
