/**
 * What is written of a run: each of its transitions in one transaction, with its lines in the journal. Nothing here
 * decides where a run goes; the runner does.
 */
import type { Transaction } from 'sequelize'
import type { Proof } from '~/core/changes'
import { countText } from '~/core/units'
import {
  type Command,
  type Ended,
  type Evidence,
  type Failure,
  type Said,
  saidOf,
} from '~/core/contract'
import {
  type ChangeRow,
  EvidenceRow,
  FailureRow,
  LockRow,
  ReservationRow,
  type StepRow,
} from '../records/models'
import { type Active, isoClock, resultsOf, stepText } from './active'
import { recordEffect } from './attribution'
import { backoffSeconds, resolvedArgs } from './graph-state'
import { changeId, type Line, writeJournal } from './journal'
import type { RunnerParts } from './parts'
import { said } from './says'

/** What a step asks for now: its command, or what takes it back. */
export const commandOf = (step: StepRow): Command =>
  step.undoing && step.undo ? step.undo : step.command

export class RunRecords {
  private readonly parts: RunnerParts

  constructor(parts: RunnerParts) {
    this.parts = parts
  }

  private async transition(
    active: Active,
    lines: readonly Line[],
    work: (transaction: Transaction) => Promise<void>,
  ): Promise<void> {
    await this.parts.database.write(async (transaction) => {
      await work(transaction)
      await writeJournal(
        this.parts.hub,
        transaction,
        isoClock(this.parts.clock.now),
        lines.map((line) => ({ change: active.row.number, ...line })),
      )
    })
    // What is at work on what may be another now.
    this.parts.fleet.touchRegister()
    this.parts.hub.emit('state', [])
    this.parts.hub.emit('run', { change: active.row.number, steps: [...active.steps.keys()] })
  }

  /** Failed steps may be tried again, with a fresh allowance of attempts. */
  async retried(active: Active): Promise<void> {
    await this.transition(
      active,
      [
        {
          kind: 'run.retried',
          says: `${active.row.label}: retried from where it halted`,
          params: { label: active.row.label },
        },
      ],
      async (transaction) => {
        for (const step of active.steps.values()) {
          if (step.state !== 'failed') continue
          // On the way back a failed step keeps its state: that its undo is no longer marked as tried makes it ready again.
          const allowance =
            active.row.direction === 'on'
              ? { state: 'waiting' as const, attemptsBefore: step.attempts }
              : { attemptsBefore: step.undoAttempts }
          await step.update(
            { ...allowance, undoing: false, dueAt: null, endedAt: null, key: null },
            { transaction },
          )
        }
        await active.row.update(
          {
            state: active.row.direction === 'on' ? 'running' : 'undoing',
            cause: null,
            endedAt: null,
          },
          { transaction },
        )
      },
    )
  }

  /** The run goes back: what has not begun is left out, what is done is taken back. */
  async turnedBack(active: Active, says: string, cause: Failure | null): Promise<void> {
    const params = { label: active.row.label, cause: cause?.reason ?? null }
    await this.transition(active, [{ kind: 'run.undoing', says, params }], async (transaction) => {
      for (const step of active.steps.values()) {
        const stopped = step.state === 'waiting' || step.state === 'retrying'
        await step.update(
          {
            attemptsBefore: 0,
            ...(stopped ? { state: step.attempts > 0 ? 'failed' : 'skipped', dueAt: null } : {}),
          },
          { transaction },
        )
      }
      await active.row.update({ state: 'undoing', direction: 'back', cause }, { transaction })
    })
  }

  async givenUp(active: Active): Promise<void> {
    await this.transition(
      active,
      [
        {
          kind: 'run.given-up',
          says: `${active.row.label}: given up; what was made stays`,
          params: { label: active.row.label },
        },
      ],
      async (transaction) => {
        for (const step of active.steps.values())
          if (step.state === 'waiting') await step.update({ state: 'skipped' }, { transaction })
        await this.close(active, 'given-up', transaction)
      },
    )
  }

  /** The run stops where it is and waits for its author. */
  async halted(
    active: Active,
    says: string,
    halted: Partial<Pick<ChangeRow, 'proof' | 'cause'>>,
  ): Promise<void> {
    await this.transition(
      active,
      [
        {
          kind: 'run.halted',
          says: `${active.row.label} ${says}`,
          params: { label: active.row.label, cause: halted.cause?.reason ?? null },
        },
      ],
      async (transaction) => {
        const endedAt = isoClock(this.parts.clock.now)
        await active.row.update({ state: 'halted', ...halted, endedAt }, { transaction })
      },
    )
  }

  async done(active: Active, proof: readonly Proof[]): Promise<void> {
    await this.transition(
      active,
      [
        {
          kind: 'run.done',
          says: `${active.row.label}: done, ${countText(proof.length, 'proof holds', 'proofs hold')}`,
          params: { label: active.row.label, proofs: proof.length },
        },
      ],
      async (transaction) => {
        await active.row.update({ proof: [...proof] }, { transaction })
        await this.close(active, 'done', transaction)
      },
    )
  }

  async takenBack(active: Active, proof: readonly Proof[]): Promise<void> {
    const broken = proof.filter((item) => !item.holds)
    const says =
      broken.length === 0
        ? 'nothing is left'
        : broken.map((item) => `${item.says}: ${item.observed}`).join('; ')
    await this.transition(
      active,
      [
        {
          kind: 'run.taken-back',
          says: `${active.row.label}: taken back; ${says}`,
          params: { label: active.row.label, left: broken.length },
        },
      ],
      async (transaction) => {
        await active.row.update({ proof: [...proof] }, { transaction })
        await this.close(active, 'taken-back', transaction)
      },
    )
  }

  async keepEvidence(
    transaction: Transaction,
    change: number,
    step: string,
    key: string,
    evidence: readonly Evidence[],
  ): Promise<void> {
    if (evidence.length === 0) return
    await EvidenceRow.bulkCreate(
      evidence.map((item, index) => ({
        change,
        step,
        key,
        index,
        at: isoClock(item.at),
        ...saidOf(item),
      })),
      { transaction, ignoreDuplicates: true },
    )
  }

  /** What was seen of somebody who called and was not taken: after all that the step’s command has told. */
  async noteCall(step: StepRow, atMs: number, told: Said): Promise<void> {
    const { change, id } = step
    const key = step.key ?? ''
    const seen = await EvidenceRow.count({ where: { change, key } })
    const row = { change, step: id, key, index: 1000 + seen, at: isoClock(atMs), ...told }
    await this.parts.database.write((transaction) => EvidenceRow.create(row, { transaction }))
  }

  async settleDone(
    transaction: Transaction,
    active: Active,
    step: StepRow,
    at: string,
    result: Ended['result'],
  ): Promise<Line> {
    const { verb, args } = commandOf(step)
    const change = active.row.number
    await recordEffect(
      transaction,
      { verb, args: resolvedArgs(args, resultsOf(active)) },
      { change, step: step.id, at },
    )
    await this.parts.times.note(transaction, active.row, step, at)
    const wasUndoing = step.undoing
    await step.update(
      wasUndoing
        ? { state: 'undone', undoing: false, key: null, endedAt: at }
        : { state: 'done', key: null, endedAt: at, result: { ...result }, cause: null },
      { transaction },
    )
    return {
      kind: wasUndoing ? 'step.undone' : 'step.done',
      about: `step/${changeId(change)}/${step.id}`,
      params: { label: active.row.label, group: step.group, step: step.says, verb },
      says: `${stepText(active, step)}${wasUndoing ? ', undone' : ''}`,
    }
  }

  /** The command of a step has ended, well or not, with what it told. */
  async ended(active: Active, step: StepRow, key: string, outcome: Ended): Promise<void> {
    const { at, failure, result, evidence } = outcome
    const change = active.row.number
    await this.parts.database.write(async (transaction) => {
      await this.keepEvidence(transaction, change, step.id, key, evidence)
      const line = failure
        ? await this.settleFailed(transaction, active, step, at, failure, key)
        : await this.settleDone(transaction, active, step, isoClock(at), result)
      // The journal goes by one clock: what ended on another ended when it was heard of.
      const now = step.onTheWall ? this.parts.clock.now : at
      await writeJournal(this.parts.hub, transaction, isoClock(now), [{ change, ...line }])
    })
  }

  /** A failed command is tried again while its policy allows, on the clock of whoever carries it. */
  async settleFailed(
    transaction: Transaction,
    active: Active,
    step: StepRow,
    atMs: number,
    failure: Failure,
    key: string,
  ): Promise<Line> {
    const change = changeId(active.row.number)
    const tried = (step.undoing ? step.undoAttempts : step.attempts) - step.attemptsBefore
    const isWanted = step.undoing === (active.row.direction === 'back')
    const again = isWanted && failure.class === 'transient' && tried < step.retry.attempts
    const dueMs = atMs + 1000 * backoffSeconds(step.retry, tried, key)
    const top = {
      about: `change/${change}`,
      ...said('step', { change: active.row.label, group: step.group, step: step.says }),
    }
    await FailureRow.create(
      {
        change: active.row.number,
        step: step.id,
        attempt: step.undoing ? step.undoAttempts : step.attempts,
        undoing: step.undoing,
        at: isoClock(atMs),
        group: step.group,
        says: step.says,
        command: commandOf(step),
        cause: failure,
      },
      { transaction },
    )
    await step.update(
      {
        state: again ? 'retrying' : 'failed',
        key: null,
        dueAt: again ? isoClock(dueMs) : null,
        cause: { ...failure, chain: [...failure.chain, top] },
        endedAt: again ? null : isoClock(atMs),
      },
      { transaction },
    )
    const next = again ? `Attempt ${tried} of ${step.retry.attempts}.` : 'It is not tried again.'
    return {
      kind: again ? 'step.retrying' : 'step.failed',
      about: `step/${change}/${step.id}`,
      says: `${active.row.label}: ${step.group}: ${failure.says} ${next}`,
      params: {
        label: active.row.label,
        group: step.group,
        step: step.says,
        reason: failure.reason,
        attempt: tried,
        of: step.retry.attempts,
      },
    }
  }

  private async close(
    active: Active,
    state: 'done' | 'taken-back' | 'given-up',
    transaction: Transaction,
  ): Promise<void> {
    await active.row.update({ state, endedAt: isoClock(this.parts.clock.now) }, { transaction })
    await LockRow.destroy({ where: { change: active.row.number }, transaction })
    await ReservationRow.destroy({ where: { change: active.row.number }, transaction })
  }
}
