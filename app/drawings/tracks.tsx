/** What was seen, one track for each source on one time axis; the moment it turned as a line. */
import { timeText } from '../parts/when'
import { axisTimes, placeMarks, scaleOf, type Track, xOf } from './tracks-layout'
import { useWidth } from './use-width'
import './tracks.css'

const nameWidths = { wide: 190, narrow: 86 } as const
const rowHeight = 30
const headHeight = 22

const shortened = (text: string, letters: number): string =>
  text.length > letters ? `${text.slice(0, letters - 1)}…` : text

export function Tracks({
  tracks,
  since,
  until,
}: {
  readonly tracks: readonly Track[]
  /** ISO: when it turned. */
  readonly since: string
  readonly until: string
}) {
  const [ref, whole] = useWidth()
  const nameWidth = whole < 520 ? nameWidths.narrow : nameWidths.wide
  const width = Math.max(140, whole - nameWidth - 24)
  const scale = scaleOf(since, until, width)
  // Sources that were silent in that time have no track; changes always have.
  const shown = tracks.filter(
    (track, index) => index === 0 || placeMarks(track.marks, scale).length > 0,
  )
  const height = headHeight + shown.length * rowHeight + 20
  const turned = xOf(Date.parse(since), scale)
  return (
    <div ref={ref} className="tracks">
      <svg width={whole} height={height} role="img" aria-label="What was seen, by source and time">
        {axisTimes(scale).map((at) => {
          const x = nameWidth + xOf(at, scale)
          return (
            <g key={at}>
              <line x1={x} x2={x} y1={headHeight} y2={height - 18} className="grid-line" />
              <text x={x} y={14} textAnchor="middle" className="tick">
                {timeText(new Date(at).toISOString()).slice(0, 5)}
              </text>
            </g>
          )
        })}
        {shown.map((track, row) => {
          const y = headHeight + row * rowHeight + rowHeight / 2
          const placed = placeMarks(track.marks, scale)
          return (
            <g key={track.name}>
              <line x1={nameWidth} x2={nameWidth + width} y1={y} y2={y} className="grid-line" />
              <text x={nameWidth - 10} y={y + 4} textAnchor="end" className="name">
                {shortened(track.name, Math.floor(nameWidth / 7.3))}
              </text>
              {placed.map((mark, index) => {
                const next = placed[index + 1]?.x ?? width
                const room = Math.floor((next - mark.x - 14) / 6)
                const says = mark.count > 1 ? `${mark.says} ×${mark.count}` : mark.says
                return (
                  <g key={mark.x} className={mark.isCause ? 'seen-mark cause' : 'seen-mark'}>
                    <title>{says}</title>
                    <rect x={nameWidth + mark.x - 4} y={y - 6} width={8} height={12} />
                    {room >= 8 ? (
                      <text x={nameWidth + mark.x + 9} y={y + 4}>
                        {shortened(says, room)}
                      </text>
                    ) : null}
                  </g>
                )
              })}
            </g>
          )
        })}
        <line
          x1={nameWidth + turned}
          x2={nameWidth + turned}
          y1={headHeight - 6}
          y2={height - 16}
          className="turned"
        />
        <text x={nameWidth + turned + 5} y={height - 5} className="turned-says">
          it turned here
        </text>
      </svg>
    </div>
  )
}
