/** A planned step as a run would show it before anything of it has happened. */
import type { Step } from './change'

export const notBegun = (step: Step) => ({
  id: step.id,
  after: step.after,
  says: step.says,
  group: step.group,
  port: step.command.port,
  verb: step.command.verb,
  state: 'waiting' as const,
  undoing: false,
  attempts: 0,
  mostAttempts: step.retry.attempts,
  seconds: step.seconds,
  startedAt: null,
  endedAt: null,
  dueAt: null,
  evidence: [],
  cause: null,
})
