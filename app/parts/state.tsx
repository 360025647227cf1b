/** The six state glyphs: shape and word, never colour alone. */
import type { State } from '~/core/fleet'
import { useTurn } from '../kit/turn'

export type GlyphState = State

function shapeOf(state: GlyphState) {
  switch (state) {
    case 'well':
      return <circle cx="6" cy="6" r="4.6" fill="var(--well)" />
    case 'working':
      return (
        <path
          d="M6 1.4a4.6 4.6 0 1 1-4.6 4.6"
          fill="none"
          stroke="var(--working)"
          strokeWidth="2"
          strokeLinecap="round"
        />
      )
    case 'strained':
      return (
        <>
          <circle cx="6" cy="6" r="5" fill="var(--strained)" />
          <path d="M2 10 10 2" stroke="var(--ground)" strokeWidth="1.8" />
        </>
      )
    case 'broken':
      return <path d="M1 1h10v3.2H7.4v3.6H11V11H1z" fill="var(--broken)" />
    case 'resting':
      return <circle cx="6" cy="6" r="4.4" fill="none" stroke="var(--resting)" strokeWidth="1.6" />
    case 'unknown':
      return (
        <circle
          cx="6"
          cy="6"
          r="4.4"
          fill="none"
          stroke="var(--unknown)"
          strokeWidth="1.6"
          strokeDasharray="1.6 1.9"
        />
      )
  }
}

export function StateGlyph({
  state,
  title,
}: {
  readonly state: GlyphState
  readonly title?: string
}) {
  useTurn()
  return (
    <svg
      className="state-glyph"
      data-state={state}
      viewBox="0 0 12 12"
      role={title === undefined ? undefined : 'img'}
      aria-hidden={title === undefined}
      aria-label={title}
    >
      {shapeOf(state)}
    </svg>
  )
}

/** Glyph and word. */
export const StateText = ({
  state,
  children,
}: {
  readonly state: GlyphState
  readonly children?: React.ReactNode
}) => (
  <span className="state">
    <StateGlyph state={state} />
    <span>{children ?? state}</span>
  </span>
)

/** The state a change shows as. */
export function changeGlyph(state: string): GlyphState {
  switch (state) {
    case 'running':
    case 'undoing':
      return 'working'
    case 'halted':
      return 'broken'
    case 'done':
      return 'well'
    case 'draft':
    case 'waiting':
    case 'scheduled':
      return 'resting'
    default:
      return 'unknown'
  }
}

export function stepGlyph(state: string): GlyphState {
  switch (state) {
    case 'running':
      return 'working'
    case 'retrying':
      return 'strained'
    case 'done':
      return 'well'
    case 'failed':
      return 'broken'
    case 'waiting':
      return 'resting'
    default:
      return 'unknown'
  }
}
