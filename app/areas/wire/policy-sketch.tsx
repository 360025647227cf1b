/** A network policy as a drawing. */
import './wire.css'

/** Who is let in, the pods, and where they are let out: three columns, with lines where a way is open. */
export function PolicySketch({
  policy,
}: {
  readonly policy: {
    readonly key: string
    readonly selects: string
    /** Null is not isolated that way. */
    readonly ingress: readonly string[] | null
    readonly egress: readonly string[] | null
  }
}) {
  const { key, selects, ingress, egress } = policy
  const left = ingress ?? ['anybody: not isolated this way']
  const right = egress ?? ['anywhere: not isolated this way']
  const height = 40 + 26 * Math.max(left.length, right.length, 1)
  const middle = height / 2
  const cut = (text: string): string => (text.length > 34 ? `${text.slice(0, 33)}…` : text)
  const y = (i: number, of: number): number => middle + (i - (of - 1) / 2) * 26
  return (
    <svg
      className="policy-sketch"
      viewBox={`0 0 820 ${height}`}
      role="img"
      aria-label={`${key}: in from ${left.join(', ') || 'nobody'}; out to ${right.join(', ') || 'nowhere'}`}
    >
      {left.map((text, i) => (
        <g key={text + String(i)}>
          <title>{text}</title>
          <text x={0} y={y(i, left.length) + 4}>
            {cut(text)}
          </text>
          <line
            x1={Math.min(306, cut(text).length * 7.3 + 8)}
            y1={y(i, left.length)}
            x2={318}
            y2={middle}
          />
        </g>
      ))}
      {left.length === 0 ? (
        <g>
          <text className="soft" x={0} y={middle + 4}>
            nobody is let in
          </text>
          <line className="shut" x1={150} y1={middle} x2={318} y2={middle} />
        </g>
      ) : null}
      <rect x={320} y={middle - 16} width={180} height={32} rx={3} />
      <text x={410} y={middle + 4} textAnchor="middle">
        {cut(selects).slice(0, 26)}
      </text>
      {right.map((text, i) => (
        <g key={text + String(i)}>
          <title>{text}</title>
          <text x={562} y={y(i, right.length) + 4}>
            {cut(text)}
          </text>
          <line x1={502} y1={middle} x2={558} y2={y(i, right.length)} />
        </g>
      ))}
      {right.length === 0 ? (
        <g>
          <text className="soft" x={690} y={middle + 4}>
            nothing is let out
          </text>
          <line className="shut" x1={502} y1={middle} x2={684} y2={middle} />
        </g>
      ) : null}
    </svg>
  )
}
