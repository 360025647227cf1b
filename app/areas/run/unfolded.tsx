/** What unfolds below a row of the timeline. */
import Button from '@mui/material/Button'
import { useFetcher } from 'react-router'
import { patchDraft, type Remedy } from '~/core/changes'
import { durationText } from '~/core/units'
import type { ChangeRecord, StepRecord } from '~/server/changes/changes'
import { StateGlyph, stepGlyph } from '../../parts/state'
import { DraftChange } from '../../parts/draft-change'
import { To } from '../../parts/to'
import { Chain, Evidence } from './step-parts'
import { Notice } from '../../kit/notice'
import { Tip } from '../../kit/tip'

/** How often the step was tried, and whether it will be again. */
function attemptText(step: StepRecord, now: number): string {
  const { attempts, mostAttempts, state, dueAt, cause } = step
  if (state === 'retrying') {
    const seconds = dueAt === null ? null : Math.max(0, (Date.parse(dueAt) - now) / 1000)
    const when = seconds === null ? 'soon' : `in ${durationText(seconds)}`
    return `Attempt ${attempts} of ${mostAttempts}, again ${when}`
  }
  return cause?.class === 'permanent'
    ? `Attempt ${attempts}. Not tried again: waiting will not help.`
    : `Attempt ${attempts}. Given up after ${attempts} attempts.`
}

/** What will clear a failed step, while others are still under way. */
function ClearedLater({ remedy }: { readonly remedy: Remedy | undefined }) {
  return (
    <p style={{ marginTop: 8 }}>
      {remedy ? (
        <>
          <b>Proven remedy: {remedy.says}.</b> It can be taken as soon as what else is under way has
          ended.
        </>
      ) : (
        'What else is under way goes on first.'
      )}
    </p>
  )
}

/** A failed or retrying step, in place: what failed, why link by link, what was seen, what clears it. */
export function Unfolded({
  step,
  record,
  now,
}: {
  readonly step: StepRecord
  readonly record: ChangeRecord
  readonly now: number
}) {
  const remedies = record.remedies.filter((remedy) => remedy.step === step.id)
  const goesOn = record.state === 'running' && step.state === 'failed'
  return (
    <div className="unfolded" data-state={step.state}>
      <h3>
        <StateGlyph state={stepGlyph(step.state)} title={step.state} /> {step.cause?.says}
      </h3>
      <p className="soft">{attemptText(step, now)}</p>
      <Chain step={step} />
      <Evidence step={step} />
      {record.state === 'halted' ? <Remedies record={record} remedies={remedies} /> : null}
      {goesOn ? <ClearedLater remedy={remedies[0]} /> : null}
    </div>
  )
}

function Remedies({
  record,
  remedies,
}: {
  readonly record: ChangeRecord
  readonly remedies: ChangeRecord['remedies']
}) {
  const fetcher = useFetcher<{ refused: string | null }>()
  const apply = (remedy: Remedy, how: 'amend-and-go-on' | 'draft-anew'): void => {
    if (!('patchDraft' in remedy.change)) return
    const intent = patchDraft(record.intent, remedy.change.patchDraft)
    void fetcher.submit({ do: how, intent: JSON.stringify(intent) }, { method: 'post' })
  }
  const refused = fetcher.data?.refused ?? null
  return (
    <div className="acts" style={{ marginTop: 8 }}>
      {remedies.map((remedy) =>
        !('patchDraft' in remedy.change) ? (
          <DraftChange
            key={remedy.says}
            kind={remedy.change.kind}
            intent={remedy.change.intent}
            then={record.id}
            variant="contained"
            title="Proven: once this other change has run, nothing stops the rest"
          >
            {remedy.says}, then go on
          </DraftChange>
        ) : (
          <Tip
            key={remedy.says}
            says={
              remedy.goesOn
                ? 'Proven: with this nothing stops the rest'
                : 'Proven for a new draft. What is done would have to be done differently, so this run is taken back'
            }
          >
            <Button
              variant="contained"
              disabled={fetcher.state !== 'idle'}
              onClick={() => apply(remedy, remedy.goesOn ? 'amend-and-go-on' : 'draft-anew')}
            >
              {remedy.goesOn ? `${remedy.says}, go on` : `Take back, draft anew: ${remedy.says}`}
            </Button>
          </Tip>
        ),
      )}
      <Button
        variant="outlined"
        disabled={fetcher.state !== 'idle'}
        onClick={() => void fetcher.submit({ do: 'retry' }, { method: 'post' })}
      >
        Retry from here
      </Button>
      {remedies.length > 0 ? (
        <span className="soft">
          {remedies.length === 1
            ? 'the first is proven'
            : `the first ${remedies.length} are proven`}
        </span>
      ) : (
        <span className="soft">
          no amendment of the draft would clear it; mend the cause, then retry. Practising? It may
          lie in the <To path="/faults">fault tray</To>.
        </span>
      )}
      {refused === null ? null : <Notice>{refused}</Notice>}
    </div>
  )
}
