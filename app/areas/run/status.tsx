/** A run in one line. */
import { lateness, type progressOf } from '~/core/changes'
import { durationText } from '~/core/units'
import type { ChangeRecord, StepRecord } from '~/server/changes/changes'
import { changeGlyph, StateGlyph } from '../../parts/state'
import { To } from '../../parts/to'

const stateWords: Readonly<Record<string, string>> = {
  draft: 'draft',
  waiting: 'waiting',
  scheduled: 'scheduled',
  running: 'running',
  halted: 'halted',
  undoing: 'being taken back',
  done: 'done',
  'taken-back': 'taken back',
  'given-up': 'given up',
}

/** What is happening, what it waits for, and how long it will take, in one line. */
export function Status({
  record,
  now,
  progress,
  steps,
}: {
  readonly record: ChangeRecord
  readonly now: number
  readonly progress: ReturnType<typeof progressOf>
  readonly steps: readonly StepRecord[]
}) {
  const running = record.state === 'running' || record.state === 'undoing'
  const { front } = progress
  const late = steps.flatMap((step) => {
    const how = lateness(step, now)
    return how ? [`${step.group} is ${how}`] : []
  })
  const spent = record.startedAt === null ? 0 : (now - Date.parse(record.startedAt)) / 1000
  return (
    <span
      style={{ display: 'flex', gap: 14, alignItems: 'center', flexWrap: 'wrap' }}
      role="status"
    >
      <span className="state">
        <StateGlyph state={changeGlyph(record.state)} /> {stateWords[record.state] ?? record.state}
      </span>
      {steps.length > 0 && record.startedAt !== null ? (
        <span className="soft">
          {progress.done} of {progress.of} steps {record.direction === 'back' ? 'undone' : 'done'} ·{' '}
          {durationText(spent)}
          {record.plan
            ? ` · likely ${durationText(record.plan.seconds.likely)}, worst ${durationText(record.plan.seconds.worst)}`
            : ''}
        </span>
      ) : null}
      {running && front ? (
        <span>
          <b>{front.group}</b>: {front.says}
          {front.state === 'retrying' && front.dueAt !== null
            ? `, again in ${durationText((Date.parse(front.dueAt) - now) / 1000)}`
            : ''}{' '}
          · {durationText(progress.secondsLeft)} left
        </span>
      ) : null}
      {running && late.length > 0 ? (
        <span style={{ color: 'var(--strained)' }}>{late[0]}</span>
      ) : null}
      {record.state === 'waiting' ? (
        <span>
          waits for <To path={`/changes/${record.waitsFor ?? ''}`}>{record.waitsFor}</To>
        </span>
      ) : null}
    </span>
  )
}
