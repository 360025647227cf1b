/** The reason panel of a run: of the selected step, or of the run as a whole. */
import Button from '@mui/material/Button'
import type { ReactNode } from 'react'
import { useFetcher, useNavigate } from 'react-router'
import { lateness } from '~/core/changes'
import { durationText } from '~/core/units'
import type { ChangeRecord, StepRecord } from '~/server/changes/changes'
import { CaseButton } from '../../parts/case-button'
import { PlanSummary } from '../../parts/plan'
import { StateGlyph } from '../../parts/state'
import { To, useAddress } from '../../parts/to'
import { clockText } from '../../parts/when'
import { Chain, Evidence, StepState } from './step-parts'
import { Refused } from '../../kit/notice'

/** What is known of a step, fact by fact; those that do not apply are left out. */
function stepFacts(
  step: StepRecord,
  before: readonly StepRecord[],
  late: string | null,
): readonly (readonly [name: string, value: ReactNode])[] {
  const facts: (readonly [string, ReactNode] | null)[] = [
    [
      'state',
      <>
        <StepState step={step} />
        {late ? `, ${late}` : ''}
      </>,
    ],
    ['attempts', `${step.attempts} of ${step.mostAttempts}`],
    [
      'port',
      <span key="port" className="mono">
        {step.port} · {step.verb}
      </span>,
    ],
    [
      'expected',
      `likely ${durationText(step.seconds.likely)}, worst ${durationText(step.seconds.worst)}`,
    ],
    step.startedAt === null ? null : ['started', clockText(step.startedAt)],
    step.endedAt === null ? null : ['ended', clockText(step.endedAt)],
    before.length === 0
      ? null
      : ['waits for', before.map(({ group, says }) => `${group}: ${says}`).join('; ')],
  ]
  return facts.filter((fact) => fact !== null)
}

export function StepReason({
  step,
  record,
  now,
}: {
  readonly step: StepRecord
  readonly record: ChangeRecord
  readonly now: number
}) {
  const position = record.steps.findIndex((candidate) => candidate.id === step.id) + 1
  const before = record.steps.filter(
    (candidate) => step.after.includes(candidate.id) && candidate.state !== 'done',
  )
  return (
    <>
      <div>
        <p className="about">
          step {position} <span className="mono">{step.group}</span>
        </p>
        <h2 style={{ marginTop: 4 }}>{step.says}</h2>
      </div>
      <dl className="facts">
        {stepFacts(step, before, lateness(step, now)).map(([name, value]) => (
          <div key={name}>
            <dt>{name}</dt>
            <dd>{value}</dd>
          </div>
        ))}
      </dl>
      {step.cause ? (
        <div>
          <h3>Cause</h3>
          <p>{step.cause.says}</p>
          <Chain step={step} />
        </div>
      ) : null}
      {step.evidence.length > 0 ? (
        <div>
          <h3>Evidence</h3>
          <Evidence step={step} />
        </div>
      ) : null}
    </>
  )
}

/** Back to the run that this change was made for, and on with it. */
interface Then {
  readonly id: string
  readonly state: string
  readonly guardedBy: string | null
}

function GoOn({ then }: { readonly then: Then }) {
  const fetcher = useFetcher<{ refused?: string | null }>()
  const navigate = useNavigate()
  const address = useAddress()
  const page = then.state === 'draft' ? `/raise/${then.id}` : `/changes/${then.id}`
  // A guarded cluster’s name is typed on the page of its own run.
  const retries = then.state === 'halted' && then.guardedBy === null
  return (
    <div className="acts">
      {retries ? (
        <Button
          variant="contained"
          disabled={fetcher.state !== 'idle'}
          onClick={() => {
            void fetcher
              .submit({ do: 'retry' }, { method: 'post', action: `/changes/${then.id}` })
              .then(() => navigate(address(page)))
          }}
        >
          Go on with {then.id}
        </Button>
      ) : (
        <Button variant="contained" component={To} path={page}>
          Back to {then.id}
        </Button>
      )}
      <Refused says={fetcher.data?.refused} />
    </div>
  )
}

const headlines: Readonly<Record<string, string>> = {
  done: 'Done and proven',
  'taken-back': 'Taken back',
  'given-up': 'Given up',
  undoing: 'Being taken back',
  scheduled: 'Scheduled',
}

function headline({ state, cause, waitsFor }: ChangeRecord): string {
  if (state === 'halted') return cause?.says ?? 'Halted'
  if (state === 'waiting') return `Waits for ${waitsFor ?? 'another change'}`
  return headlines[state] ?? 'Running'
}

/** How far off the estimate was, of a run that is done. */
function Miss({ record }: { readonly record: ChangeRecord }) {
  const likely = record.plan?.seconds.likely ?? 0
  if (record.state !== 'done' || likely === 0 || !record.startedAt || !record.endedAt) return null
  const took = (Date.parse(record.endedAt) - Date.parse(record.startedAt)) / 1000
  const off = Math.round((100 * (took - likely)) / likely)
  return (
    <p className="soft">
      Took {durationText(took)}; {durationText(likely)} was likely
      {off === 0 ? '.' : `: ${Math.abs(off)} % ${off > 0 ? 'longer' : 'sooner'}.`}{' '}
      <To path="/journal/estimates">How well estimates do</To>
    </p>
  )
}

/** Where whoever watches a run goes next: what it made, or what it is making. */
function Onward({
  record,
  cluster,
}: {
  readonly record: ChangeRecord
  readonly cluster: string | null
}) {
  const upgraded =
    record.kind === 'cluster.upgrade'
      ? (record.intent as { readonly cluster?: string }).cluster
      : undefined
  return (
    <>
      {record.kind === 'cluster.raise' ? (
        <p className="soft">
          <To path={`/changes/${record.id}/boot`}>Boot data</To> ·{' '}
          <a href={`/api/v1/changes/${record.id}/draft.yaml`}>draft as YAML</a>
          {record.state === 'done' ? (
            <>
              {' '}
              · inventory as <a href={`/api/v1/changes/${record.id}/inventory?format=csv`}>
                CSV
              </a>, <a href={`/api/v1/changes/${record.id}/inventory`}>JSON</a>
            </>
          ) : null}
        </p>
      ) : null}
      {upgraded !== undefined ? (
        <p className="soft">
          <To path="/renew/upgrades" query={{ cluster: upgraded }}>
            Its ladder, and the age of each node
          </To>
        </p>
      ) : null}
      {record.state === 'done' && cluster !== null && record.kind === 'cluster.raise' ? (
        <div className="acts">
          <Button variant="contained" component={To} path={`/clusters/${cluster}`}>
            Open {cluster}
          </Button>
          <Button variant="outlined" href={`/api/v1/clusters/${cluster}/access`}>
            Access file
          </Button>
        </div>
      ) : null}
    </>
  )
}

export function RunReason({
  record,
  cluster,
  then,
  openCase,
}: {
  readonly record: ChangeRecord
  readonly openCase: string | null
  readonly cluster: string | null
  readonly then: Then | null
}) {
  if (record.state === 'draft') return null
  return (
    <>
      <div>
        <p className="about">
          <span className="mono">{record.id}</span> {record.kind}
        </p>
        <h2 style={{ marginTop: 4 }}>{headline(record)}</h2>
        <Miss record={record} />
      </div>
      {record.state === 'halted' || openCase !== null ? (
        <div className="acts">
          <CaseButton
            id={openCase}
            subject={{ cluster: '', about: `run/${record.id}` }}
            variant="outlined"
            hasKey
          />
        </div>
      ) : null}
      {record.proof ? (
        <div>
          <h3>Proof</h3>
          <ul className="facts">
            {record.proof.map((proof) => (
              <li key={proof.says}>
                <span>
                  <StateGlyph
                    state={proof.holds ? 'well' : 'broken'}
                    title={proof.holds ? 'holds' : 'does not hold'}
                  />{' '}
                  {proof.says}
                </span>
                <span className="source">{proof.observed}</span>
              </li>
            ))}
          </ul>
        </div>
      ) : null}
      {then !== null && record.state === 'done' ? <GoOn then={then} /> : null}
      <Onward record={record} cluster={cluster} />
      <PlanSummary plan={record.plan} />
    </>
  )
}
