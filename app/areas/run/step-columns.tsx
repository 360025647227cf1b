/** The steps of a run as a table. */
import type { StepRecord } from '~/server/changes/changes'
import type { Column } from '../../kit/table/table'
import { timeText } from '../../parts/when'
import { StepState } from './step-parts'

export const stepColumns: readonly Column<StepRecord>[] = [
  {
    name: 'what',
    value: (step) => step.group,
    show: (step) => <span className="mono">{step.group}</span>,
  },
  { name: 'step', value: (step) => step.says },
  { name: 'state', value: (step) => step.state, show: (step) => <StepState step={step} /> },
  { name: 'attempts', value: (step) => step.attempts, number: true },
  {
    name: 'started',
    value: (step) => step.startedAt ?? '',
    show: (step) => (step.startedAt === null ? '' : timeText(step.startedAt)),
  },
  {
    name: 'ended',
    value: (step) => step.endedAt ?? '',
    show: (step) => (step.endedAt === null ? '' : timeText(step.endedAt)),
  },
  { name: 'likely s', value: (step) => step.seconds.likely, number: true },
  { name: 'worst s', value: (step) => step.seconds.worst, number: true },
]
