/** The foremost run, always in sight while anything runs: what it does now, how far it is, how long it will take. */
import { useState } from 'react'
import { type Progress, progressOf, type StepProgress } from '~/core/changes'
import { durationText } from '~/core/units'
import { changeGlyph, StateGlyph } from '../parts/state'
import { To } from '../parts/to'
import { type LiveEvents, useLive } from './live'

export interface RunSummary {
  readonly id: string
  readonly label: string
  readonly state: string
  readonly steps: readonly StepProgress[]
}

/** Steps with the changed ones put in their places. */
export function mergeSteps<S extends { readonly id: string }>(
  steps: readonly S[],
  changed: readonly S[],
): readonly S[] {
  if (changed.length === 0) return steps
  const fresh = new Map(changed.map((step) => [step.id, step]))
  return steps.map((step) => fresh.get(step.id) ?? step)
}

const rank: Readonly<Record<string, number>> = { halted: 0, running: 1, undoing: 1, waiting: 2 }

function doingText(run: RunSummary, progress: Progress): string {
  if (run.state === 'halted')
    return progress.front
      ? `halted: ${progress.front.group}: ${progress.front.says}`
      : 'halted: not proven'
  if (run.state === 'waiting') return 'waits for another change'
  const { front } = progress
  if (!front) return run.state === 'undoing' ? 'being taken back' : 'proving'
  return `${run.state === 'undoing' ? 'undoing ' : ''}${front.group}: ${front.says}${front.state === 'retrying' ? ', to be tried again' : ''}`
}

/** The runs as they were given, kept fresh by the stream. */
function useRuns(given: readonly RunSummary[]): readonly RunSummary[] {
  const [live, setLive] = useState<{
    readonly from: readonly RunSummary[]
    readonly runs: readonly RunSummary[]
  }>({ from: given, runs: given })
  useLive('run', (event: LiveEvents['run']) =>
    setLive((before) => {
      const base = before.from === given ? before.runs : given
      return {
        from: given,
        runs: base.map((run) =>
          run.id === event.id
            ? { ...run, state: event.state, steps: mergeSteps(run.steps, event.steps) }
            : run,
        ),
      }
    }),
  )
  return live.from === given ? live.runs : given
}

/** The runs beside the foremost one. */
function MoreRuns({ runs }: { readonly runs: readonly RunSummary[] }) {
  const [open, setOpen] = useState(false)
  if (runs.length === 0) return null
  return (
    <span className="more-runs">
      <button
        type="button"
        className="quiet-button"
        aria-expanded={open}
        onClick={() => setOpen(!open)}
      >
        {runs.length} more
      </button>
      {open ? (
        <ul>
          {runs.map((run) => (
            <li key={run.id}>
              <To path={`/changes/${run.id}`} onClick={() => setOpen(false)}>
                <span>{run.label}</span>
                <span className="soft">{run.state}</span>
              </To>
            </li>
          ))}
        </ul>
      ) : null}
    </span>
  )
}

export function RunLine({
  given,
  now,
}: {
  readonly given: readonly RunSummary[]
  readonly now: string
}) {
  const active = useRuns(given)
    .filter((run) => run.state in rank)
    .sort((a, b) => (rank[a.state] ?? 9) - (rank[b.state] ?? 9))
  const first = active[0]
  if (!first) return null
  const progress = progressOf(first.steps, Date.parse(now))
  const percent = Math.round(progress.share * 100)
  return (
    <div className="run-line" role="status" aria-label="Runs">
      <To path={`/changes/${first.id}`}>
        <StateGlyph state={changeGlyph(first.state)} />
        <b className="nowrap">{first.label}</b>
        <span className="doing">{doingText(first, progress)}</span>
        <span
          className="bar"
          data-state={first.state}
          role="progressbar"
          aria-label={`Progress of ${first.label}`}
          aria-valuenow={percent}
          aria-valuemin={0}
          aria-valuemax={100}
        >
          <span style={{ width: `${percent}%` }} />
        </span>
        <span className="mono nowrap">
          {first.state === 'halted' ? 'wants you' : `${durationText(progress.secondsLeft)} left`}
        </span>
      </To>
      <MoreRuns runs={active.slice(1)} />
    </div>
  )
}
