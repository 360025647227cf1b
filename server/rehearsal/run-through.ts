/** Runs the steps of a plan through a model of the fleet, as the runner would run them outside. */
import type { Plan, Step } from '~/core/changes'
import { type Evidence, type Ended, verbNamed } from '~/core/contract'
import {
  type Frame,
  frameAfter,
  type FrameNode,
  type Rehearsal,
  type RehearsedStep,
} from '~/core/rehearsal'
import { breath } from '../breath'
import { backoffSeconds, resolvedArgs } from '../runner/graph-state'

/** A moment of the model, as it is looked at after each step. */
export interface Moment {
  readonly nodes: readonly FrameNode[]
  readonly waiting: number
  readonly starting: number
}

/** What is asked of a model. Times are milliseconds on its clock. */
export interface Model {
  issue(key: string, verb: string, args: Readonly<Record<string, unknown>>): Promise<void>
  /** Runs until something has ended, or up to a time. */
  run(until: number): Promise<{
    readonly now: number
    readonly ended: readonly (Pick<Ended, 'result' | 'failure'> & {
      readonly key: string
      readonly evidence: readonly Evidence[]
    })[]
  }>
  moment(): Promise<Moment>
}

interface Following {
  readonly step: Step
  state: RehearsedStep['state']
  startedAt: number | null
  endedAt: number | null
  attempts: number
  why: string | null
  left: RehearsedStep['left']
  /** Gyrarch’s own work, or a wait before another attempt: when it is over. */
  due: number | null
  result: Readonly<Record<string, unknown>>
}

/** How much longer than at the worst a rehearsal goes on before it says that a step does not end. */
const patience = { times: 2, seconds: 7200 }

const isOutside = ({ command }: Step): boolean => {
  const port = verbNamed(command.verb)?.port
  return port === 'site' || port === 'cluster'
}

const text = (value: unknown): string => (typeof value === 'string' ? value : '')

/** Pods that a step made leave, as its evidence tells. */
const leftIn = (evidence: readonly Evidence[]): RehearsedStep['left'] =>
  evidence.flatMap(({ code, params }) =>
    code === 'left'
      ? [
          {
            pod: text(params['pod']),
            to: text(params['node']) || null,
            waits: text(params['waits']),
          },
        ]
      : [],
  )

class RunThrough {
  private readonly following: readonly Following[]
  private readonly byId: ReadonlyMap<string, Following>
  private readonly frames: Frame[] = []
  private readonly nodes = new Map<string, FrameNode>()
  private now: number
  private readonly until: number

  constructor(
    private readonly plan: Plan,
    private readonly model: Model,
    private readonly begin: number,
  ) {
    this.now = begin
    this.until = begin + (plan.seconds.worst * patience.times + patience.seconds) * 1000
    this.following = plan.steps.map((step) => ({
      step,
      state: 'not-begun',
      startedAt: null,
      endedAt: null,
      attempts: 0,
      why: null,
      left: [],
      due: null,
      result: {},
    }))
    this.byId = new Map(this.following.map((each) => [each.step.id, each]))
  }

  async go(progress: (done: number) => void, signal: AbortSignal): Promise<void> {
    await this.look()
    for (;;) {
      // Whoever wants to give it up, or to know how far it is, is heard in between.
      await breath()
      signal.throwIfAborted()
      await this.issueReady()
      const open = this.following.filter((each) => each.startedAt !== null && each.endedAt === null)
      if (open.length === 0 || this.now >= this.until) break
      const due = open.flatMap((each) => (each.due === null ? [] : [each.due]))
      const { now, ended } = await this.model.run(Math.min(this.until, ...due))
      this.now = now
      for (const { key, result, failure, evidence } of ended)
        this.end(key, result, failure, evidence)
      for (const each of open) if (each.due !== null && each.due <= now) await this.comeDue(each)
      progress(this.following.filter((each) => each.endedAt !== null).length)
      await this.look()
    }
    for (const each of this.following)
      if (each.startedAt !== null && each.endedAt === null) each.state = 'open'
  }

  /** Begins what has nothing before it any more. After a failure nothing new begins. */
  private async issueReady(): Promise<void> {
    if (this.following.some(({ state }) => state === 'failed')) return
    const ready = this.following.filter(
      (each) =>
        each.startedAt === null &&
        each.step.after.every((id) => (this.byId.get(id)?.endedAt ?? null) !== null),
    )
    for (const each of ready) {
      each.startedAt = this.now
      if (isOutside(each.step)) await this.issue(each)
      else each.due = this.now + each.step.seconds.likely * 1000
    }
  }

  private async issue(each: Following): Promise<void> {
    const results = Object.fromEntries(
      this.following.map(({ step, result }) => [step.id, result] as const),
    )
    each.attempts++
    const { verb, args } = each.step.command
    await this.model.issue(`${each.step.id}#${each.attempts}`, verb, resolvedArgs(args, results))
  }

  private async comeDue(each: Following): Promise<void> {
    each.due = null
    if (isOutside(each.step)) return this.issue(each)
    each.state = 'trusted'
    each.endedAt = this.now
  }

  private end(
    key: string,
    result: Ended['result'],
    failure: Ended['failure'],
    evidence: readonly Evidence[],
  ): void {
    const each = this.byId.get(key.slice(0, key.lastIndexOf('#')))
    if (!each) return
    each.left = [...each.left, ...leftIn(evidence)]
    const { retry } = each.step
    if (failure?.class === 'transient' && each.attempts < retry.attempts) {
      each.due = this.now + backoffSeconds(retry, each.attempts, key) * 1000
      return
    }
    each.result = result ?? {}
    each.endedAt = this.now
    each.state = failure ? 'failed' : 'done'
    each.why = failure?.says ?? null
  }

  private async look(): Promise<void> {
    const moment = await this.model.moment()
    const next = frameAfter(this.nodes, { at: this.after(this.now), ...moment })
    const last = this.frames.at(-1)
    const isSame =
      last !== undefined &&
      next.nodes.length === 0 &&
      next.gone.length === 0 &&
      next.waiting === last.waiting &&
      next.starting === last.starting
    if (isSame) return
    this.frames.push(next)
    for (const key of next.gone) this.nodes.delete(key)
    for (const node of next.nodes) this.nodes.set(`${node.cluster}/${node.name}`, node)
  }

  private after(at: number): number {
    return Math.round((at - this.begin) / 1000)
  }

  told(): Pick<Rehearsal, 'seconds' | 'steps' | 'frames'> {
    const at = (time: number | null) => (time === null ? null : this.after(time))
    return {
      seconds: this.after(this.now),
      steps: this.following.map(({ step, state, startedAt, endedAt, why, left }) => ({
        id: step.id,
        group: step.group,
        says: step.says,
        startedAt: at(startedAt),
        endedAt: at(endedAt),
        state,
        why,
        left,
      })),
      frames: this.frames,
    }
  }
}

/** Runs a plan through a model from a time on (ms); `progress` hears how many steps have ended. */
export async function runThrough(
  plan: Plan,
  model: Model,
  begin: number,
  progress: (done: number) => void,
  signal: AbortSignal,
): Promise<Pick<Rehearsal, 'seconds' | 'steps' | 'frames'>> {
  const run = new RunThrough(plan, model, begin)
  await run.go(progress, signal)
  return run.told()
}
