/** A rehearsal beside what was computed before it, and beside the run that came after it. */
import type { Plan } from '../changes'
import type { Said } from '../contract'
import { longestWait, type Rehearsal, type RehearsedStep } from './rehearsal'
import { said } from './says'

/** A step of a run that has been, in seconds after its beginning. */
export interface RunStep {
  readonly id: string
  readonly seconds: number | null
  readonly failed: boolean
  readonly left: readonly string[]
}

const tookOf = ({ startedAt, endedAt }: RehearsedStep): number | null =>
  startedAt === null || endedAt === null ? null : endedAt - startedAt

/** What in a rehearsal is not as the plan has it, the gravest first. */
export function againstPlan(rehearsal: Rehearsal, plan: Plan): readonly Said[] {
  const estimates = new Map(plan.steps.map((step) => [step.id, step.seconds]))
  const failed = rehearsal.steps.filter(({ state }) => state === 'failed')
  const open = rehearsal.steps.filter(({ state }) => state === 'open')
  const slow = rehearsal.steps.filter((step) => {
    const took = tookOf(step)
    return took !== null && took > (estimates.get(step.id)?.worst ?? Infinity)
  })
  const waited = longestWait(rehearsal.frames)
  return [
    ...failed.map((step) => said('step.failed', { step: step.says, why: step.why ?? '' })),
    ...open.map((step) => said('step.open', { step: step.says })),
    ...rehearsal.short.map((entry) => said('workload.short', entry)),
    ...slow.map((step) =>
      said('step.slow', {
        step: step.says,
        took: tookOf(step) ?? 0,
        worst: estimates.get(step.id)?.worst ?? 0,
      }),
    ),
    ...(waited > 0 ? [said('pods.waited', { seconds: waited })] : []),
  ]
}

/** Where a run went otherwise than its rehearsal: what failed, what took longer than at the worst, who else had to leave. */
export function againstRun(
  rehearsal: Rehearsal,
  plan: Plan,
  run: readonly RunStep[],
): readonly Said[] {
  const worst = new Map(plan.steps.map((step) => [step.id, step.seconds.worst]))
  const rehearsed = new Map(rehearsal.steps.map((step) => [step.id, step]))
  return run.flatMap((step): readonly Said[] => {
    const before = rehearsed.get(step.id)
    if (!before) return [said('run.new-step', { step: step.id })]
    if (step.failed && before.state !== 'failed') return [said('run.failed', { step: before.says })]
    const planned = tookOf(before)
    if (step.seconds === null || planned === null || before.state === 'trusted') return []
    const left = before.left.map(({ pod }) => pod)
    const isOther = left.length !== step.left.length
    return [
      ...(step.seconds > Math.max(planned, worst.get(step.id) ?? Infinity)
        ? [said('run.other-time', { step: before.says, took: step.seconds, planned })]
        : []),
      ...(isOther
        ? [
            said('run.other-pods', {
              step: before.says,
              left: step.left.length,
              planned: left.length,
            }),
          ]
        : []),
    ]
  })
}
