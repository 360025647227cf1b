/** What can be done with a change now: run, retry, take back, give up; with cautions accepted and guards answered. */
import Button from '@mui/material/Button'
import { useEffect, useState } from 'react'
import { useFetcher } from 'react-router'
import { patchDraft } from '~/core/changes'
import { countText, listText } from '~/core/units'
import type { ChangeRecord, Changes } from '~/server/changes/changes'
import { CopyButton } from '../../parts/copy-button'
import { Findings, standingText, useAccepted } from '../../parts/findings'
import { Later, type WindowChoice } from '../../parts/later'
import { PlanSummary, refsText } from '../../parts/plan'
import { To, useAddress } from '../../parts/to'
import { markdownOf } from './markdown'
import { Notice, Refused } from '../../kit/notice'
import { Ago, clockText } from '../../parts/when'
import { Field } from '../../kit/field'

function TellMe() {
  const [state, setState] = useState<NotificationPermission | 'none'>('none')
  useEffect(
    () => setState(typeof Notification === 'undefined' ? 'denied' : Notification.permission),
    [],
  )
  if (state !== 'default') return null
  return (
    <Button variant="text" onClick={() => void Notification.requestPermission().then(setState)}>
      Tell me when it ends
    </Button>
  )
}

/** Later runs that would go first, named with what they did. */
function LaterRuns({ later }: { readonly later: WayBack['later'] }) {
  if (later.length === 0) return null
  return (
    <div>
      <p className="soft">
        {countText(later.length, 'later run stands', 'later runs stand')} on this one and would go
        first, the latest before the others:
      </p>
      <ul className="facts">
        {[...later].reverse().map((run) => (
          <li key={run.id}>
            <To path={`/changes/${run.id}`}>
              <span className="mono">{run.id}</span> {run.label}
            </To>
            <span className="source">{run.state}</span>
          </li>
        ))}
      </ul>
    </div>
  )
}

type WayBack = Awaited<ReturnType<Changes['wayBack']>>

function Scheduled({
  schedule,
  now,
}: {
  readonly schedule: NonNullable<ChangeRecord['schedule']>
  readonly now: string
}) {
  return (
    <div>
      <h2>Runs {clockText(schedule.at, { year: true })} UTC</h2>
      <p className="soft">
        <Ago at={schedule.at} now={now} />
        {schedule.window === null ? '' : `, when window ${schedule.window} opens`}. It is checked
        and planned again then; a plan that differs waits for you.
      </p>
    </div>
  )
}

const backStates = ['running', 'halted', 'done', 'given-up']

export function Actions({
  record,
  wayBack,
  windows,
  now,
}: {
  readonly record: ChangeRecord
  readonly wayBack: WayBack
  readonly windows: readonly WindowChoice[]
  readonly now: string
}) {
  const fetcher = useFetcher<{ refused: string | null }>()
  const address = useAddress()
  const [name, setName] = useState('')
  const typed = name.split(/[\s,]+/).filter((part) => part !== '')
  const [accepted, accept] = useAccepted()
  const go = (what: string, more: Readonly<Record<string, string>> = {}): void => {
    const form = new FormData()
    form.set('do', what)
    for (const [field, value] of Object.entries(more)) form.append(field, value)
    for (const each of typed) form.append('confirm', each)
    if (what === 'take-back') for (const { id } of wayBack.later) form.append('with', id)
    if (what === 'run' || what === 'schedule') {
      for (const key of accepted) form.append('accept', key)
      if (record.planDigest !== null) form.set('planDigest', record.planDigest)
    }
    void fetcher.submit(form, { method: 'post' })
  }
  const busy = fetcher.state !== 'idle'
  const guard = record.guards.some((each) => !typed.includes(each))
  const missing = record.findings.filter(
    (finding) => finding.level === 'caution' && !accepted.has(finding.key),
  ).length
  const stops = record.findings.some((finding) => finding.level === 'stop')
  const draft = record.state === 'draft' && record.parent === null
  const canGoBack =
    backStates.includes(record.state) &&
    wayBack.whyNot === null &&
    !(record.state === 'halted' && record.direction === 'back')
  const acts = draft || record.state === 'halted' || record.state === 'running' || canGoBack
  return (
    <>
      {record.parent === null ? null : (
        <p>
          Runs in <To path={`/changes/${record.parent}`}>{record.parent}</To>, as one of a set.
        </p>
      )}
      {record.schedule ? <Scheduled schedule={record.schedule} now={now} /> : null}
      {record.returned ? (
        <Notice>
          <b>It came back to you</b> <Ago at={record.returned.at} now={now} />.{' '}
          {record.returned.says}
        </Notice>
      ) : null}
      {draft ? (
        <>
          <h2 role="status">{standingText(record.findings)}</h2>
          <Findings
            change={record.id}
            findings={record.findings}
            accepted={accepted}
            onAccept={accept}
            onRemedy={({ change }) => {
              if ('patchDraft' in change) {
                const amended = patchDraft(record.intent, change.patchDraft)
                if (amended !== null)
                  void fetcher.submit(
                    { do: 'amend', intent: JSON.stringify(amended) },
                    { method: 'post' },
                  )
              } else
                void fetcher.submit(
                  JSON.stringify({ kind: change.kind, intent: change.intent, then: record.id }),
                  { method: 'post', action: address('/do/draft'), encType: 'application/json' },
                )
            }}
          />
          <PlanSummary plan={record.plan} />
        </>
      ) : null}
      {acts && record.guards.length > 0 ? (
        <Field
          label={
            record.guards.length === 1
              ? `${record.guards.join()} is guarded: type its name`
              : `${listText(record.guards)} are guarded: type their names`
          }
          value={name}
          onChange={setName}
          width="100%"
        />
      ) : null}
      {record.keepsBack !== null && (record.state === 'running' || record.state === 'halted') ? (
        <p className="soft">{record.keepsBack}</p>
      ) : null}
      {record.state === 'halted' &&
      record.keepsBack === null &&
      record.direction === 'on' &&
      record.plan ? (
        <p className="soft">
          If taken back: {refsText(record.plan.creates)} go, as far as they were made.
        </p>
      ) : null}
      {canGoBack ? <LaterRuns later={wayBack.later} /> : null}
      <div className="acts">
        {draft ? (
          <>
            <Button
              variant="contained"
              disabled={busy || stops || guard || missing > 0}
              onClick={() => go('run')}
            >
              Run
            </Button>
            <Later
              windows={windows}
              now={now}
              worst={record.plan?.seconds.worst ?? 0}
              disabled={busy || stops || guard || missing > 0}
              onSchedule={(when, isShort) =>
                go('schedule', {
                  ...when,
                  ...(isShort && 'window' in when
                    ? { accept: `window.short|window/${when.window}` }
                    : {}),
                })
              }
            />
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
        {canGoBack ? (
          <Button variant="outlined" disabled={busy || guard} onClick={() => go('take-back')}>
            {wayBack.later.length === 0
              ? 'Take back'
              : `Take back with ${countText(wayBack.later.length, 'later run')}`}
          </Button>
        ) : null}
        {record.state === 'halted' ? (
          <Button variant="outlined" disabled={busy} onClick={() => go('give-up')}>
            Give up
          </Button>
        ) : null}
        {record.state === 'scheduled' ? (
          <Button variant="outlined" disabled={busy} onClick={() => go('unschedule')}>
            Take off the schedule
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
      <Refused says={fetcher.data?.refused} />
    </>
  )
}
