/** What gets a run past its failure: proven by the fleet without what the run itself has taken, and told with whether it goes on. */
import {
  canonicalJson,
  patchDraft,
  type Plan,
  type Remedy,
  type Step,
  withoutChange,
} from '~/core/changes'
import type { FleetView } from '~/core/fleet'
import { kindNamed } from '~/core/kinds'
import type { FailureRecord, StepRecord } from '../changes/rows'

export type RunRemedy = Remedy & {
  readonly step: string
  /** Whether the run can go on with it; else what is done would have to be done differently, and it takes a new draft. */
  readonly goesOn: boolean
}

/** A run of which steps have failed. */
export interface FailedRun {
  readonly number: number
  readonly kind: string
  readonly intent: unknown
  readonly plan: Plan
  readonly steps: readonly StepRecord[]
  readonly failures: readonly FailureRecord[]
}

/** So many failed steps are answered. */
const maxAnswered = 4

export function runRemedies(run: FailedRun, view: FleetView): readonly RunRemedy[] {
  const read = kindNamed(run.kind)?.read(run.intent)
  if (!read?.ok) return []
  const { draft } = read
  const without = withoutChange(view, run.plan, String(run.number))
  return run.steps
    .filter((step) => step.state === 'failed' && step.cause)
    .slice(0, maxAnswered)
    .flatMap((step) => {
      const planned = run.plan.steps.find((candidate) => candidate.id === step.id)
      if (!step.cause || !planned) return []
      return draft.answers(without, step.cause, planned, run.failures).map((remedy) => ({
        ...remedy,
        step: step.id,
        goesOn: goesOnWith(run, remedy, without),
      }))
    })
}

/** Whether a remedy’s plan does everything that is done already in the same way. */
function goesOnWith(run: FailedRun, remedy: Remedy, view: FleetView): boolean {
  if (!('patchDraft' in remedy.change)) return false
  const read = kindNamed(run.kind)?.read(patchDraft(run.intent, remedy.change.patchDraft))
  if (!read?.ok) return false
  const done = run.plan.steps.filter((planned) =>
    run.steps.some((step) => step.id === planned.id && step.state === 'done'),
  )
  return doneDifferently(done, read.draft.plan(view)) === null
}

/** The first done step, outside the register, that a plan would have done otherwise; null if there is none. */
export function doneDifferently<
  S extends { readonly id: string; readonly command: Step['command'] },
>(done: readonly S[], plan: Plan): S | null {
  const next = new Map(plan.steps.map((step) => [step.id, step]))
  const replaced = new Set(plan.steps.flatMap((step) => step.replaces ?? []))
  return (
    done.find(
      (step) =>
        !replaced.has(step.id) &&
        step.command.port !== 'ledger' &&
        canonicalJson(next.get(step.id)?.command) !== canonicalJson(step.command),
    ) ?? null
  )
}
