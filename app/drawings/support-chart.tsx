/** Releases along a calendar with those who run them; the day asked for is a line that can be drawn to and fro. */
import { type PointerEvent, useRef, useState } from 'react'
import {
  nameWidth,
  rowHeight,
  type SupportBar,
  supportLayout,
  type SupportLine,
} from './support-layout'
import { useWidth } from './use-width'
import './support-chart.css'

export interface SupportChartProps {
  readonly lines: readonly (SupportLine & { readonly runs: readonly string[] })[]
  /** ISO dates. */
  readonly today: string
  readonly day: string
  readonly onDay: (day: string) => void
}

const step: Readonly<Record<string, number>> = {
  ArrowLeft: -1,
  ArrowRight: 1,
  PageDown: -30,
  PageUp: 30,
}

const moved = (day: string, days: number): string =>
  new Date(Date.parse(day) + days * 86_400_000).toISOString().slice(0, 10)

function Releases({
  lines,
  bars,
  nameX,
}: {
  readonly lines: SupportChartProps['lines']
  readonly bars: readonly SupportBar[]
  readonly nameX: number
}) {
  return (
    <>
      {bars.map((bar, row) => (
        <g key={bar.minor}>
          <text className="minor" x={0} y={bar.y + 17}>
            {bar.minor}
          </text>
          <rect
            className={bar.isOver ? 'release over' : 'release'}
            x={bar.x}
            y={bar.y + 4}
            width={bar.width}
            height={rowHeight - 8}
          />
          <rect
            className="passed"
            x={bar.x}
            y={bar.y + 4}
            width={bar.passed}
            height={rowHeight - 8}
          />
          <text className={bar.isOver ? 'runs over' : 'runs'} x={nameX} y={bar.y + 17}>
            {lines[row]?.runs.join(', ')}
          </text>
          {bar.width > 0 ? null : (
            <text x={bar.x + 6} y={bar.y + 17}>
              {`ended ${lines[row]?.until ?? ''}`}
            </text>
          )}
        </g>
      ))}
    </>
  )
}

export function SupportChart({ lines, today, day, onDay }: SupportChartProps) {
  const [ref, width] = useWidth()
  const [drawn, setDrawn] = useState<string | null>(null)
  const svg = useRef<SVGSVGElement>(null)
  const shown = drawn ?? day
  const layout = supportLayout(lines, today, shown, width)
  const under = (event: PointerEvent): string =>
    layout.dayAt(event.clientX - (svg.current?.getBoundingClientRect().left ?? 0))
  return (
    <div ref={ref} className="support-chart">
      <svg
        ref={svg}
        width={width}
        height={layout.height}
        role="slider"
        tabIndex={0}
        aria-label="The day that support is asked for"
        aria-valuetext={shown}
        aria-valuenow={Date.parse(shown) / 86_400_000}
        aria-valuemin={Date.parse(today) / 86_400_000 - 365}
        aria-valuemax={Date.parse(today) / 86_400_000 + 1000}
        onKeyDown={(event) => {
          const days = step[event.key]
          if (days === undefined) return
          event.preventDefault()
          onDay(moved(shown, days))
        }}
        onPointerDown={(event) => {
          event.currentTarget.setPointerCapture(event.pointerId)
          setDrawn(under(event))
        }}
        onPointerMove={(event) => {
          if (drawn !== null) setDrawn(under(event))
        }}
        onPointerUp={(event) => {
          onDay(under(event))
          setDrawn(null)
        }}
      >
        {layout.months.map(({ x, says, isYear }) => (
          <g key={x}>
            <line className="month" x1={x} x2={x} y1={16} y2={layout.height} />
            <text className={isYear ? 'year' : 'quarter'} x={x + 3} y={12}>
              {says}
            </text>
          </g>
        ))}
        <Releases lines={lines} bars={layout.bars} nameX={width - nameWidth + 12} />
        <line className="today" x1={layout.todayX} x2={layout.todayX} y1={16} y2={layout.height} />
        <g className="day" transform={`translate(${layout.dayX} 0)`}>
          <line y1={16} y2={layout.height} />
          <path d="M-5 16h10l-5 7z" />
        </g>
      </svg>
    </div>
  )
}
