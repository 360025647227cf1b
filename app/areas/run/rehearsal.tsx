/** A change run through a model of the fleet: how it went there, moment by moment, beside what was reckoned and what the run did. */
import Button from '@mui/material/Button'
import LinearProgress from '@mui/material/LinearProgress'
import { useEffect } from 'react'
import { useFetcher } from 'react-router'
import type { Plan } from '~/core/changes'
import type { Rehearsal as Rehearsed } from '~/core/rehearsal'
import { countText, durationText } from '~/core/units'
import type { ChangeRecord } from '~/server/changes/changes'
import type { RehearsalState } from '~/server/rehearsal/rehearsals'
import { Refused } from '../../kit/notice'
import { Cell, PlainTable, Row } from '../../kit/plain-table'
import { StateGlyph } from '../../parts/state'
import { timeText } from '../../parts/when'
import { Film } from './film'
import './rehearsal.css'

/** How often it is asked how far it is (ms). */
const askEvery = 500

const yetToRun: readonly ChangeRecord['state'][] = ['draft', 'scheduled', 'waiting']

function useRehearsal(record: ChangeRecord) {
  const path = `/changes/${record.id}/rehearsal`
  const { load, data, state } = useFetcher<{ state: RehearsalState }>()
  const asking = useFetcher<{ refused: string | null }>()
  const { version } = record
  const isOver = record.endedAt !== null
  useEffect(() => void load(path), [load, path, version, isOver, asking.data])
  const isRunning = data?.state.state === 'running'
  useEffect(() => {
    if (!isRunning || state !== 'idle') return
    const later = setTimeout(() => void load(path), askEvery)
    return () => clearTimeout(later)
  }, [isRunning, state, load, path, data])
  return {
    told: data?.state ?? null,
    refused: asking.data?.refused,
    isBusy: asking.state !== 'idle',
    ask: (what: 'begin' | 'give-up') =>
      void asking.submit({ do: what }, { method: 'post', action: path }),
  }
}

export function Rehearsal({ record }: { readonly record: ChangeRecord }) {
  const { told, refused, isBusy, ask } = useRehearsal(record)
  const canBegin = yetToRun.includes(record.state) && record.plan !== null
  if (!told || (!canBegin && told.rehearsal === null)) return null
  const { rehearsal, state } = told
  return (
    <section aria-label="Rehearsal" className="rehearsal">
      <div className="rehearsal-head">
        <h2>Rehearsal</h2>
        {canBegin && state !== 'running' ? (
          <Button variant="outlined" size="small" disabled={isBusy} onClick={() => ask('begin')}>
            {rehearsal ? 'Rehearse again' : 'Rehearse'}
          </Button>
        ) : null}
        {rehearsal === null && state !== 'running' ? (
          <span className="soft">
            Runs the plan through a model of what was observed. Nothing outside is touched.
          </span>
        ) : null}
      </div>
      <Refused says={refused ?? told.why} />
      {state === 'running' ? (
        <div className="rehearsal-progress">
          <LinearProgress
            variant="determinate"
            value={(100 * told.done) / Math.max(1, told.of)}
            aria-label="Steps rehearsed"
          />
          <span className="soft">
            {told.done} of {countText(told.of, 'step')}
          </span>
          <Button variant="text" size="small" onClick={() => ask('give-up')}>
            Give up
          </Button>
        </div>
      ) : null}
      {rehearsal && state !== 'running' ? (
        <Outcome record={record} told={told} rehearsal={rehearsal} />
      ) : null}
    </section>
  )
}

function Outcome({
  record,
  told,
  rehearsal,
}: {
  readonly record: ChangeRecord
  readonly told: RehearsalState
  readonly rehearsal: Rehearsed
}) {
  const left = rehearsal.steps.reduce((sum, step) => sum + step.left.length, 0)
  const { plan } = record
  return (
    <>
      <p>
        {told.isCurrent ? '' : 'The plan is another since. '}
        At {timeText(rehearsal.at)} it took {durationText(rehearsal.seconds)}
        {plan
          ? `; ${durationText(plan.seconds.likely)} is likely, ${durationText(plan.seconds.worst)} the worst.`
          : '.'}{' '}
        {countText(left, 'pod leaves its node', 'pods leave their nodes')}.
      </p>
      <Differences says={told.against} none={asPlannedText(rehearsal)} />
      {told.run === null ? null : (
        <>
          <h3>The run beside it</h3>
          <Differences says={told.run} none="So far it goes as rehearsed." />
        </>
      )}
      <Film rehearsal={rehearsal} />
      <RehearsedSteps
        plan={plan}
        rehearsal={rehearsal}
        ran={
          record.startedAt === null
            ? null
            : new Map(record.steps.map((step) => [step.id, between(step.startedAt, step.endedAt)]))
        }
      />
    </>
  )
}

/** What is said where nothing in a rehearsal differs from its plan. */
export const asPlannedText = ({ steps }: Rehearsed): string =>
  `${steps.length === 1 ? 'Its one step' : `All ${steps.length} steps`} went as planned, and no pod waited for a place.`

export function Differences({
  says,
  none,
}: {
  readonly says: RehearsalState['against']
  readonly none: string
}) {
  return (
    <ul className="facts">
      {says.length === 0 ? (
        <li>
          <span>
            <StateGlyph state="well" title="as planned" /> {none}
          </span>
        </li>
      ) : (
        says.map(({ code, says: sentence }, index) => (
          <li key={`${code}-${index}`}>
            <span>
              <StateGlyph
                state={code === 'step.failed' || code === 'run.failed' ? 'broken' : 'strained'}
                title="not as planned"
              />{' '}
              {sentence}
            </span>
          </li>
        ))
      )}
    </ul>
  )
}

const secondsText = (seconds: number | null): string =>
  seconds === null ? '–' : durationText(seconds)

const between = (from: number | string | null, to: number | string | null): number | null => {
  if (from === null || to === null) return null
  return typeof from === 'number' && typeof to === 'number'
    ? to - from
    : Math.round((Date.parse(String(to)) - Date.parse(String(from))) / 1000)
}

/** Each step with the time reckoned, rehearsed, and taken where it has run. */
export function RehearsedSteps({
  plan,
  rehearsal,
  ran,
}: {
  readonly plan: Plan | null
  readonly rehearsal: Rehearsed
  readonly ran: ReadonlyMap<string, number | null> | null
}) {
  const planned = new Map(plan?.steps.map((step) => [step.id, step.seconds]))
  return (
    <details>
      <summary>Step by step</summary>
      <PlainTable
        label="Steps as reckoned and as rehearsed"
        heads={[
          'step',
          { key: 'likely', says: 'likely', number: true },
          { key: 'rehearsed', says: 'rehearsed', number: true },
          ...(ran ? [{ key: 'ran', says: 'ran', number: true }] : []),
          'pods that leave',
        ]}
      >
        {rehearsal.steps.map((step) => (
          <Row key={step.id}>
            <Cell component="th" scope="row">
              {step.says} <span className="mono soft">{step.group}</span>
            </Cell>
            <Cell className="number">{secondsText(planned.get(step.id)?.likely ?? null)}</Cell>
            <Cell className="number">
              {step.state === 'failed'
                ? 'fails'
                : secondsText(between(step.startedAt, step.endedAt))}
            </Cell>
            {ran ? <Cell className="number">{secondsText(ran.get(step.id) ?? null)}</Cell> : null}
            <Cell>
              {step.left.map(({ pod, to }) => (
                <div key={pod}>
                  {pod} <span className="soft">{to === null ? 'waits' : `to ${to}`}</span>
                </div>
              ))}
            </Cell>
          </Row>
        ))}
      </PlainTable>
    </details>
  )
}
