/** An upgrade as a ladder: the control plane climbs minor by minor, pools are turned over before they lag too far, add-ons go along. */
import { useId } from 'react'
import { countText } from '~/core/units'
import { type LadderAsked, type LadderLayout, ladderLayout, left } from './ladder-layout'
import { useWidth } from './use-width'
import './ladder.css'

/** The lines of the control plane and the pools. */
function Climb({ layout }: { readonly layout: LadderLayout }) {
  return (
    <>
      {layout.pools.map((pool, index) => (
        <g key={pool.name} className={`pool pool-${index % 3}`}>
          <path d={pool.path} />
          {pool.turnovers.map(({ x, y, says }) => (
            <circle key={says} cx={x} cy={y} r={4.5}>
              <title>{`${pool.name} made anew with ${says}`}</title>
            </circle>
          ))}
        </g>
      ))}
      <path className="control-plane" d={layout.controlPlane.path} />
    </>
  )
}

export function Ladder({ asked }: { readonly asked: LadderAsked }) {
  const [ref, width] = useWidth()
  const clip = useId()
  const layout = ladderLayout(asked, width)
  const done = asked.progress?.filter((part) => part >= 1).length
  const reached = done === undefined ? '' : `; ${done} of ${asked.steps.length} done`
  const count = (kind: string): number => asked.steps.filter((step) => step.kind === kind).length
  return (
    <div ref={ref} className="ladder">
      <svg
        width={width}
        height={layout.height}
        role="img"
        aria-label={`From ${asked.from}: ${countText(count('control-plane'), 'step')} of the control plane, ${countText(count('turnover'), 'turnover')}, ${countText(count('add-on'), 'step')} of add-ons${reached}`}
      >
        <path className="band" d={layout.band} />
        {layout.minors.map(({ minor, y }) => (
          <g key={minor}>
            <line className="rung" x1={left} x2={width} y1={y} y2={y} />
            <text className="minor" x={left - 10} y={y + 4} textAnchor="end">
              {minor}
            </text>
          </g>
        ))}
        {layout.doneX === null ? (
          <Climb layout={layout} />
        ) : (
          <>
            <clipPath id={clip}>
              <rect x={0} y={0} width={layout.doneX} height={layout.height} />
            </clipPath>
            <g className="ahead" aria-hidden>
              <Climb layout={layout} />
            </g>
            <g clipPath={`url(#${clip})`}>
              <Climb layout={layout} />
            </g>
            <line
              className="reached"
              x1={layout.doneX}
              x2={layout.doneX}
              y1={0}
              y2={layout.height}
            />
          </>
        )}
        {layout.addOns.map(({ name, y, parts }) => (
          <g key={name} className="add-on">
            <text x={left - 10} y={y + 14} textAnchor="end">
              {name}
            </text>
            {parts.map((part) => (
              <g key={part.version}>
                <rect x={part.x} y={y + 2} width={part.width} height={16} />
                {part.width > 34 ? (
                  <text className="version" x={part.x + 5} y={y + 14}>
                    {part.version}
                  </text>
                ) : null}
              </g>
            ))}
          </g>
        ))}
      </svg>
      <p className="key">
        <span className="control-plane">control plane</span>
        {layout.pools.map(({ name, turnovers }, index) => (
          <span key={name} className={`pool-${index % 3}`}>
            {`${name}, ${countText(turnovers.length, 'turnover')}`}
          </span>
        ))}
        <span className="band">where nodes may lag</span>
        {layout.doneX === null ? null : <span className="reached">reached so far</span>}
      </p>
    </div>
  )
}
