/** What is computed apart from the event loop of a picture of the fleet: each a question as data, and its answer. */
import type { Finding, Plan, Proof, StepResults } from '~/core/changes'
import { withoutChange } from '~/core/changes'
import { clusterOf, type FleetView } from '~/core/fleet'
import { type Draft, kindNamed, type Needs } from '~/core/kinds'
import { applyIntent, type ObjectVerdicts, verdictsOn } from '~/core/manifests'
import { type Expected, expectations } from '~/core/wire'
import { verdictWalks } from '~/core/wire/changes'
import { judge, type Judged, unseenBy } from './judge'
import { type FailedRun, type RunRemedy, runRemedies } from './run-remedies'
import { type KnownTrouble, type TroublesAsked, troublesIn } from './troubles'

/** A kind and its intent: a draft as it can be sent. */
export interface DraftText {
  readonly kind: string
  readonly intent: unknown
}

/** For each task what is asked and what is answered. */
export interface Tasks {
  /** A draft judged, or what must be seen first; without what a run of it has taken already. */
  readonly judge: {
    readonly asked: DraftText & {
      readonly seen: Needs
      readonly without: { readonly plan: Plan; readonly change: string } | null
    }
    readonly answer: { readonly judged: Judged } | { readonly needs: Needs }
  }
  readonly prove: {
    readonly asked: DraftText & { readonly results: StepResults }
    readonly answer: readonly Proof[]
  }
  readonly expectations: { readonly asked: object; readonly answer: readonly Expected[] }
  readonly verdicts: {
    readonly asked: { readonly intent: unknown; readonly findings: readonly Finding[] }
    readonly answer: readonly ObjectVerdicts[]
  }
  readonly troubles: { readonly asked: TroublesAsked; readonly answer: readonly KnownTrouble[] }
  readonly remedies: { readonly asked: FailedRun; readonly answer: readonly RunRemedy[] }
}

export type TaskName = keyof Tasks
export type Task = { [Name in TaskName]: { readonly task: Name } & Tasks[Name]['asked'] }[TaskName]

function draftOf({ kind, intent }: DraftText): Draft {
  const read = kindNamed(kind)?.read(intent)
  if (!read?.ok) throw new Error(`a draft of ${kind} cannot be read`)
  return read.draft
}

function verdicts(
  { intent, findings }: Tasks['verdicts']['asked'],
  view: FleetView,
): readonly ObjectVerdicts[] {
  const read = applyIntent.safeParse(intent)
  const cluster = read.success ? clusterOf(view, read.data.cluster) : undefined
  return read.success && cluster
    ? verdictsOn(read.data, cluster, view, findings, verdictWalks(read.data, view))
    : []
}

/** Answers a task by a picture. Throws only for errors of the program’s own. */
export function answerTask(task: Task, view: FleetView): Tasks[TaskName]['answer'] {
  switch (task.task) {
    case 'judge': {
      const draft = draftOf(task)
      const needs = unseenBy(draft, view, task.seen)
      if (needs) return { needs }
      const { without } = task
      return {
        judged: judge(draft, without ? withoutChange(view, without.plan, without.change) : view),
      }
    }
    case 'prove':
      return draftOf(task).prove(view, task.results)
    case 'expectations':
      return expectations(view)
    case 'verdicts':
      return verdicts(task, view)
    case 'troubles':
      return troublesIn(task, view)
    case 'remedies':
      return runRemedies(task, view)
  }
}
