/** One change from draft to proof: its findings and plan, its run as it happens, and what can be done about it. */
import Button from '@mui/material/Button'
import TextField from '@mui/material/TextField'
import { useEffect, useState } from 'react'
import { redirect, useFetcher, useRouteLoaderData, useSearchParams } from 'react-router'
import { lateness, patchDraft, progressOf, type Remedy } from '~/core/changes'
import { durationText } from '~/core/units'
import type { ChangeRecord, StepRecord } from '~/server/changes/changes'
import { Refusal } from '~/server/changes/errors'
import { gyrarchContext } from '../../context'
import { Timeline } from '../../drawings/timeline'
import { timelineLayout } from '../../drawings/timeline-layout'
import { useKey } from '../../frame/keys'
import { useLive } from '../../frame/live'
import { Page } from '../../frame/page'
import { mergeSteps } from '../../frame/run-line'
import { CopyButton } from '../../parts/copy-button'
import { Findings, standingText } from '../../parts/findings'
import { PlanSummary, refsText } from '../../parts/plan'
import { changeGlyph, StateGlyph, stepGlyph } from '../../parts/state'
import { type Column, Table } from '../../parts/table'
import { pathOf, To } from '../../parts/to'
import { clockText, timeText } from '../../parts/when'
import { orNotFound, orRefused } from '../refusals'
import { markdownOf } from './markdown'
import type { Route } from './+types/run'

export const meta: Route.MetaFunction = ({ loaderData }) => [{ title: loaderData ? `${loaderData.record.label} · ${loaderData.record.state} · Gyrarch` : 'Gyrarch' }]

const subjectOf = (record: ChangeRecord): string | null => {
  const intent = record.intent as { name?: unknown; cluster?: unknown; site?: unknown }
  if (record.kind === 'cluster.takedown' && typeof intent.cluster === 'string') return `cluster/${intent.cluster}`
  return typeof intent.site === 'string' ? `site/${intent.site}` : null
}

export async function loader({ params, context }: Route.LoaderArgs) {
  const gyrarch = context.get(gyrarchContext)
  const record = await orNotFound(() => gyrarch.changes.get(params.id))
  if (record.state === 'draft' && record.kind === 'cluster.raise') throw redirect(`/raise/${record.id}`)
  const { name } = record.intent as { name?: string }
  const cluster = gyrarch.fleet.last().clusters.find((other) => other.name === name)
  return { record, aim: subjectOf(record), cluster: cluster?.apiAnswers === true ? cluster.name : null, now: new Date(gyrarch.outside.now).toISOString() }
}

export async function action({ request, params, context }: Route.ActionArgs) {
  const { changes } = context.get(gyrarchContext)
  const form = await request.formData()
  const text = (name: string): string | undefined => {
    const value = form.get(name)
    return typeof value === 'string' && value !== '' ? value : undefined
  }
  const confirm = text('confirm')
  return orRefused(async () => {
    switch (text('do')) {
      case 'run':
        await changes.run(params.id, { accept: form.getAll('accept').map(String), confirm, planDigest: text('planDigest') })
        break
      case 'retry':
        await changes.retry(params.id, confirm)
        break
      case 'take-back':
        await changes.takeBack(params.id, confirm)
        break
      case 'give-up':
        await changes.giveUp(params.id)
        break
      case 'unqueue':
        await changes.unqueue(params.id)
        break
      case 'discard':
        await changes.discard(params.id)
        throw redirect('/raise')
      case 'amend-and-go-on': {
        await changes.amend(params.id, JSON.parse(text('intent') ?? 'null'), null)
        await changes.retry(params.id, confirm)
        break
      }
      case 'draft-anew': {
        const record = await changes.find(params.id)
        const anew = await changes.draft(record.kind, JSON.parse(text('intent') ?? 'null'))
        await changes.takeBack(params.id, confirm)
        throw redirect(`/raise/${anew.id}`)
      }
      default:
        throw new Refusal('invalid', 'A change can be run, retried, taken back or given up.')
    }
    return { refused: null, fields: [] }
  })
}

/** The record with its run kept fresh by the stream. */
function useRun(given: ChangeRecord): ChangeRecord {
  const [live, setLive] = useState<{ readonly from: ChangeRecord; readonly state: ChangeRecord['state']; readonly steps: readonly StepRecord[] } | null>(null)
  useLive('run', (event) => {
    if (event.id !== given.id) return
    setLive((was) => ({ from: given, state: event.state as ChangeRecord['state'], steps: mergeSteps(was?.from === given ? was.steps : given.steps, event.steps as readonly StepRecord[]) }))
  })
  return live?.from === given ? { ...given, state: live.state, steps: live.steps } : given
}

function useNow(given: string): number {
  const root = useRouteLoaderData('root') as { clock?: { now: string } } | undefined
  const [live, setLive] = useState<string | null>(null)
  useLive('clock', (clock) => setLive(clock.now))
  const times = [given, root?.clock?.now ?? given, ...(live === null ? [] : [live])].map((at) => Date.parse(at))
  return Math.max(...times)
}

const stateWords: Readonly<Record<string, string>> = { draft: 'draft', waiting: 'waiting', running: 'running', halted: 'halted', undoing: 'being taken back', done: 'done', 'taken-back': 'taken back', 'given-up': 'given up' }

export default function Run({ loaderData }: Route.ComponentProps) {
  return <OneRun key={loaderData.record.id} {...loaderData} />
}

function OneRun({ record: given, now: givenNow, cluster }: Route.ComponentProps['loaderData']) {
  const record = useRun(given)
  const now = useNow(givenNow)
  const [search, setSearch] = useSearchParams()
  const asTable = search.get('as') === 'table'
  const at = search.get('at')
  const select = (id: string): void =>
    setSearch((was) => {
      was.set('at', id)
      return was
    })
  useKey('t', () =>
    setSearch((was) => {
      if (asTable) was.delete('as')
      else was.set('as', 'table')
      return was
    }),
  )
  const planned = record.steps.length === 0
  const steps: readonly StepRecord[] = planned ? (record.plan?.steps ?? []).map((step) => ({ id: step.id, after: step.after, says: step.says, group: step.group, port: step.command.port, verb: step.command.verb, state: 'waiting', undoing: false, attempts: 0, mostAttempts: step.retry.attempts, seconds: step.seconds, startedAt: null, endedAt: null, dueAt: null, evidence: [], cause: null })) : record.steps
  const over = record.endedAt !== null && record.state !== 'running' && record.state !== 'undoing' ? Date.parse(record.endedAt) : now
  const progress = progressOf(steps, over)
  const layout = timelineLayout(steps, record.plan?.critical ?? [], record.startedAt === null ? null : Date.parse(record.startedAt), over)
  const selected = steps.find((step) => step.id === at) ?? null
  return (
    <Page
      title={record.title ?? record.label.charAt(0).toUpperCase() + record.label.slice(1)}
      beside={<Status record={record} now={over} progress={progress} steps={steps} />}
      reason={
        <>
          {selected ? <StepReason step={selected} record={record} now={now} /> : <RunReason record={record} cluster={cluster} />}
          <Actions record={record} />
        </>
      }
    >
      {steps.length === 0 ? (
        <div className="empty">There is no plan while something stops this. The findings beside say what, and what clears it.</div>
      ) : asTable ? (
        <Table name={`steps of ${record.id}`} columns={stepColumns} rows={steps} id={(step) => step.id} selected={at} onSelect={(step) => select(step.id)} empty="No steps." />
      ) : (
        <div className="scroll" tabIndex={0} role="region" aria-label="Run timeline">
          <Timeline
            layout={layout}
            selected={at}
            onSelect={select}
            nowText={record.state === 'running' || record.state === 'undoing' ? `now ${timeText(new Date(now).toISOString())}` : `ended ${record.endedAt === null ? '' : timeText(record.endedAt)}`}
            unfold={(bars) =>
              bars.flatMap((bar) => {
                const step = steps.find((other) => other.id === bar.id)
                return step && (step.state === 'failed' || step.state === 'retrying') && step.cause ? [<Unfolded key={step.id} step={step} record={record} now={now} />] : []
              })
            }
          />
          <Seen steps={steps} onSelect={select} />
        </div>
      )}
    </Page>
  )
}

const stepColumns: readonly Column<StepRecord>[] = [
  { name: 'what', value: (step) => step.group, show: (step) => <span className="mono">{step.group}</span> },
  { name: 'step', value: (step) => step.says },
  { name: 'state', value: (step) => step.state, show: (step) => <StepState step={step} /> },
  { name: 'attempts', value: (step) => step.attempts, number: true },
  { name: 'started', value: (step) => step.startedAt ?? '', show: (step) => (step.startedAt === null ? '' : timeText(step.startedAt)) },
  { name: 'ended', value: (step) => step.endedAt ?? '', show: (step) => (step.endedAt === null ? '' : timeText(step.endedAt)) },
  { name: 'likely s', value: (step) => step.seconds.likely, number: true },
  { name: 'worst s', value: (step) => step.seconds.worst, number: true },
]

const StepState = ({ step }: { readonly step: StepRecord }) => (
  <span className="state">
    <StateGlyph state={stepGlyph(step.state)} />
    {step.undoing && step.state === 'running' ? 'being undone' : step.state}
  </span>
)

/** What is happening, what it waits for, and how long it will take, in one line. */
function Status({ record, now, progress, steps }: { readonly record: ChangeRecord; readonly now: number; readonly progress: ReturnType<typeof progressOf>; readonly steps: readonly StepRecord[] }) {
  const running = record.state === 'running' || record.state === 'undoing'
  const { front } = progress
  const late = steps.flatMap((step) => {
    const how = lateness(step, now)
    return how ? [`${step.group} is ${how}`] : []
  })
  const spent = record.startedAt === null ? 0 : (now - Date.parse(record.startedAt)) / 1000
  return (
    <span style={{ display: 'flex', gap: 14, alignItems: 'center', flexWrap: 'wrap' }} role="status">
      <span className="state">
        <StateGlyph state={changeGlyph(record.state)} /> {stateWords[record.state] ?? record.state}
      </span>
      {steps.length > 0 && record.startedAt !== null ? (
        <span className="soft">
          {progress.done} of {progress.of} steps {record.direction === 'back' ? 'undone' : 'done'} · {durationText(spent)}
          {record.plan ? ` · likely ${durationText(record.plan.seconds.likely)}, worst ${durationText(record.plan.seconds.worst)}` : ''}
        </span>
      ) : null}
      {running && front ? (
        <span>
          <b>{front.group}</b>: {front.says}
          {front.state === 'retrying' && front.dueAt !== null ? `, again in ${durationText((Date.parse(front.dueAt) - now) / 1000)}` : ''} · {durationText(progress.secondsLeft)} left
        </span>
      ) : null}
      {running && late.length > 0 ? <span style={{ color: 'var(--strained)' }}>{late[0]}</span> : null}
      {record.state === 'waiting' ? (
        <span>
          waits for <To path={`/changes/${record.waitsFor ?? ''}`}>{record.waitsFor}</To>
        </span>
      ) : null}
    </span>
  )
}

function Chain({ step }: { readonly step: StepRecord }) {
  return (
    <ul className="chain" aria-label="Cause chain, from the top down">
      {[...(step.cause?.chain ?? [])].reverse().map((link) => {
        const path = pathOf(link.about)
        return (
          <li key={`${link.about}${link.says}`}>
            {path === null ? <span className="mono">{link.about}</span> : <To path={path.split('?')[0] ?? path} query={Object.fromEntries(new URLSearchParams(path.split('?')[1] ?? ''))} className="mono">{link.about}</To>}: {link.says}
          </li>
        )
      })}
    </ul>
  )
}

function Evidence({ step }: { readonly step: StepRecord }) {
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

/** The evidence of all steps, newest first: what is happening, in the words of those it happens to. */
function Seen({ steps, onSelect }: { readonly steps: readonly StepRecord[]; readonly onSelect: (id: string) => void }) {
  const seen = steps
    .flatMap((step) => step.evidence.map((item) => ({ ...item, step })))
    .sort((a, b) => (a.at < b.at ? 1 : a.at > b.at ? -1 : 0))
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
            <button type="button" className="quiet-button mono" style={{ padding: 0, justifyContent: 'flex-start' }} onClick={() => onSelect(item.step.id)}>
              {item.step.group}
            </button>
            <span>{item.says}</span>
          </li>
        ))}
      </ul>
    </section>
  )
}

/** A failed or retrying step, in place: what failed, why link by link, what was seen, what clears it. */
function Unfolded({ step, record, now }: { readonly step: StepRecord; readonly record: ChangeRecord; readonly now: number }) {
  const remedies = record.remedies.filter((remedy) => remedy.step === step.id)
  return (
    <div className="unfolded" data-state={step.state}>
      <h3>
        <StateGlyph state={stepGlyph(step.state)} title={step.state} /> {step.cause?.says}
      </h3>
      <p className="soft">
        Attempt {step.attempts}
        {step.state === 'retrying' ? ` of ${step.mostAttempts}, again ${step.dueAt === null ? 'soon' : `in ${durationText(Math.max(0, (Date.parse(step.dueAt) - now) / 1000))}`}` : step.cause?.class === 'permanent' ? '. Not tried again: waiting will not help.' : `. Given up after ${step.attempts} attempts.`}
      </p>
      <Chain step={step} />
      <Evidence step={step} />
      {record.state === 'halted' ? <Remedies record={record} remedies={remedies} /> : null}
    </div>
  )
}

function Remedies({ record, remedies }: { readonly record: ChangeRecord; readonly remedies: ChangeRecord['remedies'] }) {
  const fetcher = useFetcher<{ refused: string | null }>()
  const apply = (remedy: Remedy, how: 'amend-and-go-on' | 'draft-anew'): void => {
    if (!('patchDraft' in remedy.change)) return
    const intent = patchDraft(record.intent, remedy.change.patchDraft)
    void fetcher.submit({ do: how, intent: JSON.stringify(intent) }, { method: 'post' })
  }
  const refused = fetcher.data?.refused ?? null
  return (
    <div className="acts" style={{ marginTop: 8 }}>
      {remedies.map((remedy) => (
        <Button
          key={remedy.says}
          variant="contained"
          disabled={fetcher.state !== 'idle'}
          onClick={() => apply(remedy, remedy.goesOn ? 'amend-and-go-on' : 'draft-anew')}
          title={remedy.goesOn ? 'Proven: with this nothing stops the rest' : 'Proven for a new draft. What is done would have to be done differently, so this run is taken back'}
        >
          {remedy.goesOn ? `${remedy.says}, go on` : `Take back, draft anew: ${remedy.says}`}
        </Button>
      ))}
      <Button variant="outlined" disabled={fetcher.state !== 'idle'} onClick={() => void fetcher.submit({ do: 'retry' }, { method: 'post' })}>
        Retry from here
      </Button>
      {remedies.length > 0 ? <span className="soft">{remedies.length === 1 ? 'the first is proven' : `the first ${remedies.length} are proven`}</span> : <span className="soft">
          no amendment of the draft would clear it; mend the cause, then retry. Practising? It may lie in the <To path="/faults">fault tray</To>.
        </span>}
      {refused === null ? null : <p role="alert">{refused}</p>}
    </div>
  )
}

function StepReason({ step, record, now }: { readonly step: StepRecord; readonly record: ChangeRecord; readonly now: number }) {
  const position = record.steps.findIndex((other) => other.id === step.id) + 1
  const late = lateness(step, now)
  const before = record.steps.filter((other) => step.after.includes(other.id) && other.state !== 'done')
  return (
    <>
      <div>
        <p className="about">
          step {position} <span className="mono">{step.group}</span>
        </p>
        <h2 style={{ marginTop: 4 }}>{step.says}</h2>
      </div>
      <dl className="facts">
        <div>
          <dt>state</dt>
          <dd>
            <StepState step={step} />
            {late ? `, ${late}` : ''}
          </dd>
        </div>
        <div>
          <dt>attempts</dt>
          <dd>
            {step.attempts} of {step.mostAttempts}
          </dd>
        </div>
        <div>
          <dt>port</dt>
          <dd className="mono">
            {step.port} · {step.verb}
          </dd>
        </div>
        <div>
          <dt>expected</dt>
          <dd>
            likely {durationText(step.seconds.likely)}, worst {durationText(step.seconds.worst)}
          </dd>
        </div>
        {step.startedAt === null ? null : (
          <div>
            <dt>started</dt>
            <dd>{clockText(step.startedAt)}</dd>
          </div>
        )}
        {step.endedAt === null ? null : (
          <div>
            <dt>ended</dt>
            <dd>{clockText(step.endedAt)}</dd>
          </div>
        )}
        {before.length > 0 ? (
          <div>
            <dt>waits for</dt>
            <dd>{before.map((other) => `${other.group}: ${other.says}`).join('; ')}</dd>
          </div>
        ) : null}
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

function RunReason({ record, cluster }: { readonly record: ChangeRecord; readonly cluster: string | null }) {
  if (record.state === 'draft') return null
  return (
    <>
      <div>
        <p className="about">
          <span className="mono">{record.id}</span> {record.kind}
        </p>
        <h2 style={{ marginTop: 4 }}>
          {record.state === 'done' ? 'Done and proven' : record.state === 'halted' ? (record.cause?.says ?? 'Halted') : record.state === 'taken-back' ? 'Taken back' : record.state === 'waiting' ? `Waits for ${record.waitsFor ?? 'another change'}` : record.state === 'given-up' ? 'Given up' : record.state === 'undoing' ? 'Being taken back' : 'Running'}
        </h2>
      </div>
      {record.proof ? (
        <div>
          <h3>Proof</h3>
          <ul className="facts">
            {record.proof.map((proof) => (
              <li key={proof.says}>
                <span>
                  <StateGlyph state={proof.holds ? 'well' : 'broken'} title={proof.holds ? 'holds' : 'does not hold'} /> {proof.says}
                </span>
                <span className="source">{proof.observed}</span>
              </li>
            ))}
          </ul>
        </div>
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
      <PlanSummary plan={record.plan} />
    </>
  )
}

function TellMe() {
  const [state, setState] = useState<NotificationPermission | 'none'>('none')
  useEffect(() => setState(typeof Notification === 'undefined' ? 'denied' : Notification.permission), [])
  if (state !== 'default') return null
  return (
    <Button variant="text" onClick={() => void Notification.requestPermission().then(setState)}>
      Tell me when it ends
    </Button>
  )
}

function Actions({ record }: { readonly record: ChangeRecord }) {
  const fetcher = useFetcher<{ refused: string | null }>()
  const [name, setName] = useState('')
  const [accepted, setAccepted] = useState<ReadonlySet<string>>(new Set())
  const go = (what: string): void => {
    const form = new FormData()
    form.set('do', what)
    if (name !== '') form.set('confirm', name)
    if (what === 'run') {
      for (const key of accepted) form.append('accept', key)
      if (record.planDigest !== null) form.set('planDigest', record.planDigest)
    }
    void fetcher.submit(form, { method: 'post' })
  }
  const busy = fetcher.state !== 'idle'
  const guard = record.guardedBy !== null && name !== record.guardedBy
  const missing = record.findings.filter((finding) => finding.level === 'caution' && !accepted.has(finding.key)).length
  const stops = record.findings.some((finding) => finding.level === 'stop')
  const draft = record.state === 'draft'
  const acts = draft || record.state === 'halted' || record.state === 'running'
  return (
    <>
      {draft ? (
        <>
          <h2 role="status">{standingText(record.findings)}</h2>
          <Findings
            findings={record.findings}
            accepted={accepted}
            onAccept={(key, accept) =>
              setAccepted((was) => {
                const next = new Set(was)
                if (accept) next.add(key)
                else next.delete(key)
                return next
              })
            }
          />
          <PlanSummary plan={record.plan} />
        </>
      ) : null}
      {acts && record.guardedBy !== null ? <TextField label={`${record.guardedBy} is guarded: type its name`} value={name} onChange={(event) => setName(event.target.value)} fullWidth slotProps={{ inputLabel: { shrink: true } }} autoComplete="off" /> : null}
      {record.keepsBack !== null && (record.state === 'running' || record.state === 'halted') ? <p className="soft">{record.keepsBack}</p> : null}
      {record.state === 'halted' && record.keepsBack === null && record.direction === 'on' && record.plan ? <p className="soft">If taken back: {refsText(record.plan.creates)} go, as far as they were made.</p> : null}
      <div className="acts">
        {draft ? (
          <>
            <Button variant="contained" disabled={busy || stops || guard || missing > 0} onClick={() => go('run')}>
              Run
            </Button>
            <Button variant="outlined" disabled={busy} onClick={() => go('discard')}>
              Discard
            </Button>
          </>
        ) : null}
        {record.state === 'halted' ? (
          <Button variant="contained" disabled={busy || guard} onClick={() => go('retry')}>
            Retry from here
          </Button>
        ) : null}
        {(record.state === 'halted' && record.direction === 'on') || record.state === 'running' ? (
          <Button variant="outlined" disabled={busy || guard || record.keepsBack !== null} onClick={() => go('take-back')}>
            Take back
          </Button>
        ) : null}
        {record.state === 'halted' ? (
          <Button variant="outlined" disabled={busy} onClick={() => go('give-up')}>
            Give up
          </Button>
        ) : null}
        {record.state === 'waiting' ? (
          <Button variant="outlined" disabled={busy} onClick={() => go('unqueue')}>
            Leave the queue
          </Button>
        ) : null}
        <CopyButton text={() => markdownOf(record)}>Copy as Markdown</CopyButton>
        {record.state === 'running' ? <TellMe /> : null}
      </div>
      {fetcher.data?.refused ? <p role="alert">{fetcher.data.refused}</p> : null}
    </>
  )
}
