/** A run that is under way: its change and its steps as they were last written. */
import type { StepResults } from '~/core/changes'
import { readCommand, type Ref } from '~/core/contract'
import type { ChangeRow, StepRow } from '../records/models'

export interface Active {
  readonly row: ChangeRow
  readonly steps: Map<string, StepRow>
}

/** Whether it goes on, one way or the other. */
export const isUnderWay = ({ row }: Active): boolean =>
  row.state === 'running' || row.state === 'undoing'

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
