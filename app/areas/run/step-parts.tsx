/** Small pieces that speak of one step: its state, its cause chain, what was seen of it. */
import { countText, sentenceCase } from '~/core/units'
import type { FailureRecord, StepRecord } from '~/server/changes/changes'
import { RefLink } from '../../parts/ref-link'
import { StateGlyph, stepGlyph } from '../../parts/state'
import { timeText } from '../../parts/when'
import Button from '@mui/material/Button'

export const StepState = ({ step }: { readonly step: StepRecord }) => (
  <span className="state">
    <StateGlyph state={stepGlyph(step.state)} />
    {step.undoing && step.state === 'running' ? 'being undone' : step.state}
  </span>
)

export function Chain({ step }: { readonly step: StepRecord }) {
  return (
    <ul className="chain" aria-label="Cause chain, from the top down">
      {[...(step.cause?.chain ?? [])].reverse().map((link) => (
        <li key={`${link.about}${link.says}`}>
          <RefLink about={link.about} className="mono">
            {link.about}
          </RefLink>
          : {link.says}
        </li>
      ))}
    </ul>
  )
}

export function Evidence({ step }: { readonly step: StepRecord }) {
  if (step.evidence.length === 0) return null
  return (
    <ul className="evidence" aria-label="Evidence">
      {step.evidence.map((item) => (
        <li key={`${item.at}${item.says}`}>
          <time className="mono" dateTime={item.at}>
            {timeText(item.at)}
          </time>
          <span>{item.says}</span>
        </li>
      ))}
    </ul>
  )
}

/** Attempts that failed, whether or not a later one did it: a run that is done still tells what it took. */
export function FailedAttempts({
  failures,
  steps,
  onSelect,
}: {
  readonly failures: readonly FailureRecord[]
  readonly steps: readonly StepRecord[]
  readonly onSelect: (id: string) => void
}) {
  if (failures.length === 0) return null
  return (
    <section className="seen" aria-label="Failed attempts">
      <h2>{sentenceCase(countText(failures.length, 'attempt'))} failed</h2>
      <ul className="evidence">
        {failures.slice(-60).map((failure) => (
          <li key={`${failure.step}${failure.at}${failure.attempt}`}>
            <time className="mono" dateTime={failure.at}>
              {timeText(failure.at)}
            </time>
            {steps.some((step) => step.id === failure.step) ? (
              <Button
                variant="text"
                className="quiet mono"
                sx={{ justifyContent: 'flex-start', p: 0 }}
                onClick={() => onSelect(failure.step)}
              >
                {failure.group}
              </Button>
            ) : (
              <span className="mono">{failure.group}</span>
            )}
            <span>
              {failure.says}
              {failure.undoing ? ', being undone' : ''}, attempt {failure.attempt}:{' '}
              {failure.cause.says}
            </span>
          </li>
        ))}
      </ul>
    </section>
  )
}

/** The evidence of all steps, newest first: what is happening, in the words of those it happens to. */
export function Seen({
  steps,
  onSelect,
}: {
  readonly steps: readonly StepRecord[]
  readonly onSelect: (id: string) => void
}) {
  const seen = steps
    .flatMap((step) => step.evidence.map((item) => ({ ...item, step })))
    .sort((a, b) => {
      if (a.at < b.at) return 1
      if (a.at > b.at) return -1
      return 0
    })
    .slice(0, 40)
  if (seen.length === 0) return null
  return (
    <section className="seen" aria-label="Seen so far">
      <h2>Seen so far</h2>
      <ul className="evidence">
        {seen.map((item) => (
          <li key={`${item.step.id}${item.at}${item.says}`}>
            <time className="mono" dateTime={item.at}>
              {timeText(item.at)}
            </time>
            <Button
              variant="text"
              className="quiet mono"
              sx={{ justifyContent: 'flex-start', p: 0 }}
              onClick={() => onSelect(item.step.id)}
            >
              {item.step.group}
            </Button>
            <span>{item.says}</span>
          </li>
        ))}
      </ul>
    </section>
  )
}
