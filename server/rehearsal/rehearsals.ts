/** Rehearsals of changes: one under way at a time for each change, the last of each kept. */
import { type Plan, planDigest } from '~/core/changes'
import type { Said } from '~/core/contract'
import {
  againstPlan,
  againstRun,
  rehearsal as rehearsalShape,
  type Rehearsal,
  type RunStep,
} from '~/core/rehearsal'
import type { ChangeRecord, Changes } from '../changes/changes'
import { Refusal } from '../changes/errors'
import type { Fleet } from '../fleet/fleet'
import type { Database } from '../records/database'
import { ChangeRow } from '../records/models'
import { changeId } from '../runner/journal'
import { clustersIn, inModel, type OpenModel } from './in-model'
import { RehearsalRow } from './rehearsal-row'

export interface RehearsalState {
  readonly state: 'none' | 'running' | 'done' | 'failed'
  /** Steps that have ended, of so many. */
  readonly done: number
  readonly of: number
  /** Why it could not be rehearsed. */
  readonly why: string | null
  readonly rehearsal: Rehearsal | null
  /** Whether the plan is still the one that was rehearsed. */
  readonly isCurrent: boolean
  /** What in it is not as the plan has it. */
  readonly against: readonly Said[]
  /** Where the run went otherwise; null while nothing has run. */
  readonly run: readonly Said[] | null
}

interface UnderWay {
  readonly of: number
  done: number
  readonly abort: AbortController
  readonly end: Promise<void>
}

export class Rehearsals {
  private readonly underWay = new Map<number, UnderWay>()
  private readonly failed = new Map<number, string>()

  constructor(
    private readonly parts: {
      readonly database: Database
      readonly changes: Changes
      readonly fleet: Fleet
      readonly open: OpenModel
      readonly onError: (error: unknown) => void
    },
  ) {}

  /** Begins to rehearse a change that has not run; one that is under way goes on. */
  async begin(id: string): Promise<void> {
    const { changes } = this.parts
    const { number } = await changes.find(id)
    if (this.underWay.has(number)) return
    const { state, plan, findings } = await changes.get(id)
    if (!['draft', 'scheduled', 'waiting'].includes(state))
      throw new Refusal('conflict', `${id} has begun: only what has not run can be rehearsed.`)
    if (!plan) {
      const stop = findings.find(({ level }) => level === 'stop')
      throw new Refusal(
        'conflict',
        `${id} has no plan yet: ${stop?.says ?? 'look at its findings'}`,
      )
    }
    // Somebody else may have begun it meanwhile.
    if (this.underWay.has(number)) return
    const abort = new AbortController()
    this.failed.delete(number)
    const end = this.rehearse(number, plan, abort.signal)
      .catch((error: unknown) => {
        if (abort.signal.aborted) return
        this.failed.set(number, error instanceof Error ? error.message : String(error))
        this.parts.onError(error)
      })
      .finally(() => this.underWay.delete(number))
    this.underWay.set(number, { of: plan.steps.length, done: 0, abort, end })
  }

  async cancel(id: string): Promise<void> {
    const { number } = await this.parts.changes.find(id)
    const current = this.underWay.get(number)
    current?.abort.abort()
    await current?.end
  }

  /** Until no rehearsal is under way any more. */
  async atRest(): Promise<void> {
    await Promise.all([...this.underWay.values()].map(({ end }) => end))
  }

  async close(): Promise<void> {
    for (const { abort } of this.underWay.values()) abort.abort()
    await this.atRest()
  }

  private async rehearse(number: number, plan: Plan, signal: AbortSignal): Promise<void> {
    const clusters = clustersIn(plan)
    const view = await this.parts.fleet.viewFor(clusters, [], true)
    signal.throwIfAborted()
    const body = await inModel(
      this.parts.open,
      // Another draw of how long things take than the outside has.
      { plan, view, seed: number },
      (done) => {
        const current = this.underWay.get(number)
        if (current) current.done = done
      },
      signal,
    )
    signal.throwIfAborted()
    await this.parts.database.write(async (transaction) => {
      if (await ChangeRow.findByPk(number, { attributes: ['number'], transaction }))
        await RehearsalRow.upsert({ change: number, body }, { transaction })
    })
  }

  async state(change: ChangeRecord): Promise<RehearsalState> {
    const number = Number(change.id.slice(changeId(0).length - 1))
    const current = this.underWay.get(number)
    const row = await RehearsalRow.findByPk(number)
    const kept = row ? rehearsalShape.parse(row.body) : null
    const { plan } = change
    const isCurrent = kept !== null && plan !== null && planDigest(plan) === kept.plan
    const why = this.failed.get(number) ?? null
    return {
      state: stateOf(current !== undefined, why, kept),
      done: current?.done ?? kept?.steps.length ?? 0,
      of: current?.of ?? kept?.steps.length ?? 0,
      why,
      rehearsal: kept,
      isCurrent,
      against: kept && plan ? againstPlan(kept, plan) : [],
      run:
        kept && plan && change.startedAt !== null ? againstRun(kept, plan, runSteps(change)) : null,
    }
  }
}

function stateOf(
  isRunning: boolean,
  why: string | null,
  kept: Rehearsal | null,
): RehearsalState['state'] {
  if (isRunning) return 'running'
  if (why !== null) return 'failed'
  return kept ? 'done' : 'none'
}

const secondsBetween = (from: string | null, to: string | null): number | null =>
  from === null || to === null ? null : Math.round((Date.parse(to) - Date.parse(from)) / 1000)

/** What has run of a change, as it is held against its rehearsal. */
const runSteps = ({ steps }: ChangeRecord): readonly RunStep[] =>
  steps
    .filter(({ startedAt }) => startedAt !== null)
    .map(({ id, state, startedAt, endedAt, evidence }) => ({
      id,
      seconds: secondsBetween(startedAt, endedAt),
      failed: state === 'failed',
      left: evidence.flatMap(({ code, params }) =>
        code === 'left' ? [String(params['pod'])] : [],
      ),
    }))
