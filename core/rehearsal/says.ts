/** The sentences of this area, by the code of what they tell. */
import { sentences } from '../contract/said'
import { countText, durationText } from '../units'

export const said = sentences({
  'step.failed': (p: { step: string; why: string }) => `“${p.step}” fails: ${p.why}`,
  'step.open': (p: { step: string }) => `“${p.step}” does not end.`,
  'step.slow': (p: { step: string; took: number; worst: number }) =>
    `“${p.step}” takes ${durationText(p.took)}, longer than the ${durationText(p.worst)} reckoned at the worst.`,
  'workload.short': (p: { workload: string; before: number; after: number }) =>
    `Of ${p.workload} ${countText(p.after, 'pod is', 'pods are')} ready at the end, ${p.before} before.`,
  'pods.waited': (p: { seconds: number }) =>
    `Pods wait for a place, up to ${durationText(p.seconds)} without a break.`,
  'run.new-step': (p: { step: string }) => `${p.step} was not in the plan that was rehearsed.`,
  'run.failed': (p: { step: string }) => `“${p.step}” failed; in the rehearsal it did not.`,
  'run.other-time': (p: { step: string; took: number; planned: number }) =>
    `“${p.step}” took ${durationText(p.took)}, in the rehearsal ${durationText(p.planned)}.`,
  'run.other-pods': (p: { step: string; left: number; planned: number }) =>
    `During “${p.step}” ${countText(p.left, 'pod')} left, in the rehearsal ${p.planned}.`,
})
