/** What can be done with a change now: run, retry, take back, give up; with cautions accepted and guards answered. */
import Button from '@mui/material/Button'
import { useEffect, useState } from 'react'
import { useFetcher } from 'react-router'
import { patchDraft, type Remedy } from '~/core/changes'
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

type Fetcher = ReturnType<typeof useFetcher<{ refused: string | null }>>
type Go = (what: string, more?: Readonly<Record<string, string>>) => void

/** What stands against a draft and what it would do; a remedy amends it or drafts another change. */
function Drafted({
  record,
  accepted,
  accept,
  fetcher,
}: {
  readonly record: ChangeRecord
  readonly accepted: ReadonlySet<string>
  readonly accept: ReturnType<typeof useAccepted>[1]
  readonly fetcher: Fetcher
}) {
  const address = useAddress()
  const take = ({ change }: Remedy): void => {
    if (!('patchDraft' in change)) {
      void fetcher.submit(
        JSON.stringify({ kind: change.kind, intent: change.intent, then: record.id }),
        { method: 'post', action: address('/do/draft'), encType: 'application/json' },
      )
      return
    }
    const amended = patchDraft(record.intent, change.patchDraft)
    if (amended !== null)
      void fetcher.submit({ do: 'amend', intent: JSON.stringify(amended) }, { method: 'post' })
  }
  return (
    <>
      <h2 role="status">{standingText(record.findings)}</h2>
      <Findings
        change={record.id}
        findings={record.findings}
        accepted={accepted}
        onAccept={accept}
        onRemedy={take}
      />
      <PlanSummary plan={record.plan} />
    </>
  )
}

/** What taking the run back would undo. */
function TakenBack({ record }: { readonly record: ChangeRecord }) {
  const { state, keepsBack, direction, plan } = record
  const isOpen = state === 'running' || state === 'halted'
  if (keepsBack !== null) return isOpen ? <p className="soft">{keepsBack}</p> : null
  if (state !== 'halted' || direction !== 'on' || !plan) return null
  return (
    <p className="soft">If taken back: {refsText(plan.creates)} go, as far as they were made.</p>
  )
}

/** Where the change stands beside its own steps: in a set, on a schedule, come back to its author. */
function Place({ record, now }: { readonly record: ChangeRecord; readonly now: string }) {
  const { parent, schedule, returned } = record
  return (
    <>
      {parent === null ? null : (
        <p>
          Runs in <To path={`/changes/${parent}`}>{parent}</To>, as one of a set.
        </p>
      )}
      {schedule ? <Scheduled schedule={schedule} now={now} /> : null}
      {returned ? (
        <Notice>
          <b>It came back to you</b> <Ago at={returned.at} now={now} />. {returned.says}
        </Notice>
      ) : null}
    </>
  )
}

/** The ways to run a draft. */
function DraftActs({
  record,
  windows,
  now,
  busy,
  blocked,
  go,
}: {
  readonly record: ChangeRecord
  readonly windows: readonly WindowChoice[]
  readonly now: string
  readonly busy: boolean
  readonly blocked: boolean
  readonly go: Go
}) {
  return (
    <>
      <Button variant="contained" disabled={busy || blocked} onClick={() => go('run')}>
        Run
      </Button>
      <Later
        windows={windows}
        now={now}
        worst={record.plan?.seconds.worst ?? 0}
        disabled={busy || blocked}
        onSchedule={(when, isShort) => {
          const short =
            isShort && 'window' in when ? { accept: `window.short|window/${when.window}` } : {}
          go('schedule', { ...when, ...short })
        }}
      />
      <Button variant="outlined" disabled={busy} onClick={() => go('discard')}>
        Discard
      </Button>
    </>
  )
}

/** What a state offers, each as the request it makes. */
const offers: Readonly<
  Partial<Record<ChangeRecord['state'], readonly (readonly [what: string, says: string])[]>>
> = {
  scheduled: [['unschedule', 'Take off the schedule']],
  waiting: [['unqueue', 'Leave the queue']],
  halted: [['give-up', 'Give up']],
}

function RunActs({
  record,
  wayBack,
  canGoBack,
  busy,
  guarded,
  go,
}: {
  readonly record: ChangeRecord
  readonly wayBack: WayBack
  readonly canGoBack: boolean
  readonly busy: boolean
  readonly guarded: boolean
  readonly go: Go
}) {
  const later = wayBack.later.length
  return (
    <>
      {record.state === 'halted' ? (
        <Button variant="contained" disabled={busy || guarded} onClick={() => go('retry')}>
          Retry from here
        </Button>
      ) : null}
      {canGoBack ? (
        <Button variant="outlined" disabled={busy || guarded} onClick={() => go('take-back')}>
          {later === 0 ? 'Take back' : `Take back with ${countText(later, 'later run')}`}
        </Button>
      ) : null}
      {(offers[record.state] ?? []).map(([what, says]) => (
        <Button key={what} variant="outlined" disabled={busy} onClick={() => go(what)}>
          {says}
        </Button>
      ))}
    </>
  )
}

/** The form of a request: names that were typed, what was accepted, later runs that go along. */
function formOf(
  what: string,
  more: Readonly<Record<string, string>>,
  typed: readonly string[],
  accepted: ReadonlySet<string>,
  record: ChangeRecord,
  wayBack: WayBack,
): FormData {
  const form = new FormData()
  form.set('do', what)
  for (const [field, value] of Object.entries(more)) form.append(field, value)
  for (const name of typed) form.append('confirm', name)
  if (what === 'take-back') for (const { id } of wayBack.later) form.append('with', id)
  if (what === 'run' || what === 'schedule') {
    for (const key of accepted) form.append('accept', key)
    if (record.planDigest !== null) form.set('planDigest', record.planDigest)
  }
  return form
}

const guardText = (guards: readonly string[]): string =>
  guards.length === 1
    ? `${guards.join()} is guarded: type its name`
    : `${listText(guards)} are guarded: type their names`

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
  const fetcher: Fetcher = useFetcher<{ refused: string | null }>()
  const [name, setName] = useState('')
  const typed = name.split(/[\s,]+/).filter((part) => part !== '')
  const [accepted, accept] = useAccepted()
  const go: Go = (what, more = {}) =>
    void fetcher.submit(formOf(what, more, typed, accepted, record, wayBack), { method: 'post' })
  const busy = fetcher.state !== 'idle'
  const { state, guards, findings } = record
  const guarded = guards.some((guard) => !typed.includes(guard))
  const isDraft = state === 'draft' && record.parent === null
  const isStopped = findings.some(
    ({ level, key }) => level === 'stop' || (level === 'caution' && !accepted.has(key)),
  )
  const canGoBack =
    backStates.includes(state) &&
    wayBack.whyNot === null &&
    !(state === 'halted' && record.direction === 'back')
  const canAct = isDraft || state === 'halted' || state === 'running' || canGoBack
  return (
    <>
      <Place record={record} now={now} />
      {isDraft ? (
        <Drafted record={record} accepted={accepted} accept={accept} fetcher={fetcher} />
      ) : null}
      {canAct && guards.length > 0 ? (
        <Field label={guardText(guards)} value={name} onChange={setName} width="100%" />
      ) : null}
      <TakenBack record={record} />
      {canGoBack ? <LaterRuns later={wayBack.later} /> : null}
      <div className="acts">
        {isDraft ? (
          <DraftActs
            record={record}
            windows={windows}
            now={now}
            busy={busy}
            blocked={guarded || isStopped}
            go={go}
          />
        ) : null}
        <RunActs
          record={record}
          wayBack={wayBack}
          canGoBack={canGoBack}
          busy={busy}
          guarded={guarded}
          go={go}
        />
        <CopyButton text={() => markdownOf(record)}>Copy as Markdown</CopyButton>
        {state === 'running' ? <TellMe /> : null}
      </div>
      <Refused says={fetcher.data?.refused} />
    </>
  )
}
