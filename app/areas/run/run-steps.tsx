/** The steps of a run: which is chosen, and how they are shown. */
import { useSearchParams } from 'react-router'
import type { ChangeRecord, StepRecord } from '~/server/changes/changes'
import { Timeline } from '../../drawings/timeline'
import { timelineLayout } from '../../drawings/timeline-layout'
import { useKey } from '../../frame/keys'
import { Table } from '../../kit/table/table'
import { timeText } from '../../parts/when'
import { stepColumns } from './step-columns'
import { FailedAttempts, Seen } from './step-parts'
import { Unfolded } from './unfolded'

/** The step that is chosen and whether steps are a table, kept in the address. */
export function useSteps() {
  const [search, setSearch] = useSearchParams()
  const asTable = search.get('as') === 'table'
  const set = (name: string, value: string | null): void =>
    setSearch((before) => {
      if (value === null) before.delete(name)
      else before.set(name, value)
      return before
    })
  useKey('t', () => set('as', asTable ? null : 'table'))
  return { asTable, at: search.get('on'), select: (id: string): void => set('on', id) }
}

export const isUnderWay = ({ state }: ChangeRecord): boolean =>
  state === 'running' || state === 'undoing'

/** The steps of a run in time, what failed unfolded in its place; or as a table. */
export function Steps({
  record,
  steps,
  now,
  end,
  asTable,
  at,
  select,
}: ReturnType<typeof useSteps> & {
  readonly record: ChangeRecord
  readonly steps: readonly StepRecord[]
  readonly now: number
  /** When the run ended; now, as long as it has not. */
  readonly end: number
}) {
  if (steps.length === 0)
    return (
      <div className="empty">
        There is no plan while something stops this. The findings beside say what, and what clears
        it.
      </div>
    )
  if (asTable)
    return (
      <Table
        name={`steps of ${record.id}`}
        columns={stepColumns}
        rows={steps}
        id={(step) => step.id}
        selected={at}
        onSelect={(step) => select(step.id)}
        empty="No steps."
      />
    )
  const layout = timelineLayout(
    steps,
    record.plan?.critical ?? [],
    record.startedAt === null ? null : Date.parse(record.startedAt),
    end,
  )
  const ended = record.endedAt === null ? '' : timeText(record.endedAt)
  return (
    <div className="scroll" tabIndex={0} role="region" aria-label="Run timeline">
      <Timeline
        layout={layout}
        selected={at}
        onSelect={select}
        nowText={
          isUnderWay(record) ? `now ${timeText(new Date(now).toISOString())}` : `ended ${ended}`
        }
        unfold={(bars) =>
          bars.flatMap((bar) => {
            const step = steps.find((candidate) => candidate.id === bar.id)
            const isOpen = step?.state === 'failed' || step?.state === 'retrying'
            return step?.cause && isOpen
              ? [<Unfolded key={step.id} step={step} record={record} now={now} />]
              : []
          })
        }
      />
      <FailedAttempts failures={record.failures} steps={steps} onSelect={select} />
      <Seen steps={steps} onSelect={select} />
    </div>
  )
}
