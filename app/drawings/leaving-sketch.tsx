/** Who leaves as whom: callers on the left, the address that the other end sees in the middle, destinations right. */
import './leaving-sketch.css'

export interface LeavingCall {
  readonly from: string
  readonly to: string
  readonly port: number
  /** The source address as the destination sees it. */
  readonly source: string
  readonly perSecond: number
}

const width = 820
const lineHeight = 24
const columns = { from: 0, source: 330, to: 560 } as const
const sourceWidth = 150
const mostLines = 12

const distinct = (texts: readonly string[]): readonly string[] => [...new Set(texts)]
const cut = (text: string, letters: number): string =>
  text.length > letters ? `${text.slice(0, letters - 1)}…` : text

/** The height of each text of a column that is centred on the drawing. */
function heights(texts: readonly string[], height: number): ReadonlyMap<string, number> {
  const first = height / 2 - ((texts.length - 1) / 2) * lineHeight
  return new Map(texts.map((text, i) => [text, first + i * lineHeight]))
}

export function LeavingSketch({ calls }: { readonly calls: readonly LeavingCall[] }) {
  if (calls.length === 0)
    return <p className="soft">No call leaves the site now, so nobody is seen from outside.</p>
  const shown = [...calls].sort((a, b) => b.perSecond - a.perSecond).slice(0, mostLines)
  const end = (call: LeavingCall): string => `${call.to}:${call.port}`
  const froms = distinct(shown.map((call) => call.from))
  const sources = distinct(shown.map((call) => call.source))
  const ends = distinct(shown.map(end))
  const height = lineHeight * (Math.max(froms.length, sources.length, ends.length) + 1)
  const fromAt = heights(froms, height)
  const sourceAt = heights(sources, height)
  const endAt = heights(ends, height)
  const fastest = Math.max(...shown.map((call) => call.perSecond), 1e-9)
  const thickness = (call: LeavingCall): number => 1 + 4 * Math.sqrt(call.perSecond / fastest)
  return (
    <figure className="leaving">
      <figcaption className="soft">
        Calls that leave now, and the address the other end sees them come from; thicker is more a
        second
        {calls.length > shown.length ? `; the ${mostLines} busiest of ${calls.length}` : ''}
      </figcaption>
      <svg
        viewBox={`0 0 ${width} ${height}`}
        role="img"
        aria-label={shown
          .map((call) => `${call.from} reaches ${end(call)} as ${call.source}`)
          .join('; ')}
      >
        {shown.map((call) => {
          const [a, b, c] = [
            fromAt.get(call.from) ?? 0,
            sourceAt.get(call.source) ?? 0,
            endAt.get(end(call)) ?? 0,
          ]
          const x1 = Math.min(columns.source - 40, call.from.length * 7.2 + 8)
          return (
            <g key={`${call.from}${end(call)}${call.source}`} strokeWidth={thickness(call)}>
              <path
                d={`M${x1} ${a} C ${columns.source - 60} ${a}, ${x1 + 90} ${b}, ${columns.source} ${b}`}
              />
              <path d={`M${columns.source + sourceWidth} ${b} L ${columns.to - 8} ${c}`} />
            </g>
          )
        })}
        {froms.map((text) => (
          <text key={text} x={columns.from} y={(fromAt.get(text) ?? 0) + 4}>
            {cut(text, 38)}
          </text>
        ))}
        {sources.map((text) => {
          const y = sourceAt.get(text) ?? 0
          return (
            <g key={text}>
              <rect x={columns.source} y={y - 10} width={sourceWidth} height={20} rx={3} />
              <text x={columns.source + sourceWidth / 2} y={y + 4} textAnchor="middle">
                {text}
              </text>
            </g>
          )
        })}
        {ends.map((text) => (
          <text key={text} x={columns.to} y={(endAt.get(text) ?? 0) + 4}>
            {cut(text, 34)}
          </text>
        ))}
      </svg>
    </figure>
  )
}
