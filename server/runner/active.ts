/** A run that is under way: its change and its steps as they were last written. */
import type { StepResults } from '~/core/changes'
import { type Connector, readCommand, type Ref } from '~/core/contract'
import type { ChangeRow, StepRow } from '../records/models'

export interface Active {
  readonly row: ChangeRow
  readonly steps: Map<string, StepRow>
}

/** Whether it goes on, one way or the other. */
export const isUnderWay = ({ row }: Active): boolean =>
  row.state === 'running' || row.state === 'undoing'

/** Whether a run is under way in which a simulated clock has a part: what real time alone decides makes none hurry. */
export const isForClock = (active: Active, carrying: (step: StepRow) => Connector): boolean =>
  isUnderWay(active) && [...active.steps.values()].some((step) => carrying(step).isReal !== true)

export const runningIn = ({ steps }: Active): readonly StepRow[] =>
  [...steps.values()].filter(({ state, key }) => state === 'running' && key !== null)

export const isoClock = (ms: number): string => new Date(ms).toISOString()

export const stepText = (active: Active, step: StepRow): string =>
  `${active.row.label}: ${step.group}: ${step.says}`

/** What the steps of a run have answered, by their names. */
export const resultsOf = (active: Active): StepResults =>
  Object.fromEntries([...active.steps.values()].map((step) => [step.id, step.result ?? {}]))

/** The step that waits for a call under a name, if one does; an open one is running, and not on its way back. */
export const stepAwaiting = (
  active: Active | undefined,
  call: Ref,
  isOpen: boolean,
): StepRow | undefined =>
  [...(active?.steps.values() ?? [])].find((step) => {
    if (isOpen && (step.state !== 'running' || step.undoing)) return false
    const read = readCommand(step.command.verb, step.command.args)
    return read.ok && read.definition.awaits?.(read.args) === call
  })
