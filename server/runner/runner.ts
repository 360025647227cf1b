/**
 * Durable execution of plans. Every transition is committed before and after each command; a command carries a key that
 * its connector answers once and for all. Killed at any moment and started again, the runner asks each connector how
 * the keys under way stand and goes on from there. It knows no verb by name: what a command makes, whom it is asked of
 * and whether it ends by a call are in the contract.
 *
 * What is done to a change passes its lane, one piece at a time, so a transition sees the state that the last one left;
 * changes do not wait for each other. Simulated clocks wait until every lane is empty.
 */
import { said } from './says'
import { Op, type Transaction } from 'sequelize'
import type { Proof, StepResults } from '~/core/changes'
import {
  type Command,
  type Connector,
  type ConnectorClock,
  effectOf,
  type Ended,
  type Evidence,
  type Failure,
  type Outcome,
  readCommand,
  type Ref,
  type SliceName,
  type Said,
  saidOf,
} from '~/core/contract'
import { type FleetView, stands } from '~/core/fleet'
import { kindNamed } from '~/core/kinds'
import { expectations } from '~/core/wire'
import type { Fleet } from '../fleet/fleet'
import type { Hub } from '../live/hub'
import type { ConnectorRegistry } from '../ports/registry'
import type { Database } from '../records/database'
import { ChangeRow, EvidenceRow, LockRow, ReservationRow, StepRow } from '../records/models'
import { changeId, type Line, writeJournal } from './journal'
import { recordEffect } from './attribution'
import { Lanes } from './lanes'
import { backoffSeconds, readyOn, readyToUndo, resolvedArgs, settled } from './graph-state'

interface Active {
  readonly row: ChangeRow
  readonly steps: Map<string, StepRow>
}

export interface RunnerParts {
  readonly database: Database
  readonly connectors: ConnectorRegistry
  /** The clock of Gyrarch’s own records: when a run began, halted, ended. */
  readonly clock: ConnectorClock
  readonly fleet: Fleet
  readonly hub: Hub
  /** Told of errors that are the program’s own. */
  readonly onError: (error: unknown) => void
}

export const isoClock = (ms: number): string => new Date(ms).toISOString()

export class Runner {
  private readonly parts: RunnerParts
  private readonly active = new Map<number, Active>()
  private readonly byKey = new Map<string, { change: number; step: string }>()
  private readonly lanes = new Lanes<number>()

  constructor(parts: RunnerParts) {
    this.parts = parts
    for (const connector of parts.connectors.all())
      connector.connect({
        ended: (key, outcome) => this.ended(key, outcome),
        evidence: (key, evidence) => this.evidence(key, evidence),
        changed: (slices) => this.changed(slices),
      })
  }

  /** Slices are not what they were: set by the server. */
  changed: (slices: readonly SliceName[]) => void = () => undefined

  /** Takes up every run that was under way when the program last ended. */
  async resume(): Promise<void> {
    const rows = await ChangeRow.findAll({
      where: { state: { [Op.in]: ['running', 'undoing', 'halted'] } },
      order: [['number', 'ASC']],
    })
    for (const row of rows) await this.enter(row.number, () => this.load(row))
    for (const row of rows)
      await this.enter(row.number, async () => {
        const active = this.active.get(row.number)
        if (!active) return
        await this.reconcile(active)
        if (active.row.state !== 'halted') await this.drive(active)
      })
    await this.noteBusy()
    await this.startWaiting()
  }

  // What the clocks ask.

  atRest(): Promise<void> {
    return this.lanes.atRest()
  }

  /** The next time (ms) on a connector’s clock at which a step that it carries is due again, or null. */
  wakeAt(connector: Connector): number | null {
    let earliest: number | null = null
    for (const { row, steps } of this.active.values()) {
      if (row.state === 'halted') continue
      for (const step of steps.values()) {
        if (step.state !== 'retrying' || step.dueAt === null) continue
        if (this.carrying(step) !== connector) continue
        const due = Date.parse(step.dueAt)
        if (earliest === null || due < earliest) earliest = due
      }
    }
    return earliest
  }

  woken(): void {
    for (const active of [...this.active.values()])
      void this.enter(active.row.number, async () => {
        if (active.row.state !== 'halted') await this.drive(active)
      })
  }

  private evidence(key: string, evidence: readonly Evidence[]): void {
    const where = this.byKey.get(key)
    if (!where) return
    void this.enter(where.change, async () => {
      await this.parts.database.write((transaction) =>
        this.keepEvidence(transaction, where.change, where.step, key, evidence),
      )
      this.parts.hub.emit('run', { change: where.change, steps: [where.step] })
    })
  }

  private ended(key: string, outcome: Ended): void {
    const where = this.byKey.get(key)
    if (where) void this.enter(where.change, () => this.settle(key, outcome))
  }

  /** The step of a run that waits for a call under a name, if one does. */
  private awaiting(change: number, call: Ref, isOpen: boolean): StepRow | undefined {
    return [...(this.active.get(change)?.steps.values() ?? [])].find((step) => {
      if (isOpen && (step.state !== 'running' || step.undoing)) return false
      const read = readCommand(step.command.verb, step.command.args)
      return read.ok && read.definition.awaits?.(read.args) === call
    })
  }

  /** What a step waits for has called: it ends, well or not. False if nothing waits for that call. */
  called(
    change: number,
    call: Ref,
    outcome: Pick<Ended, 'result' | 'failure'> & { readonly told: Said },
  ): Promise<boolean> {
    return this.enter(change, async () => {
      const step = this.awaiting(change, call, true)
      if (!step || step.key === null) return false
      const at = this.carrying(step).clock.now
      const { told, result, failure } = outcome
      await this.settle(step.key, {
        known: true,
        ended: true,
        at,
        result,
        failure,
        evidence: [{ at, ...told }],
      })
      return true
    })
  }

  /** What was seen of somebody who called and was not taken yet. */
  noteCall(change: number, call: Ref, told: Said): Promise<void> {
    return this.enter(change, async () => {
      const step = this.awaiting(change, call, false)
      if (!step || step.key === null) return
      const seen = await EvidenceRow.count({ where: { change, key: step.key } })
      await this.parts.database.write((transaction) =>
        EvidenceRow.create(
          {
            change,
            step: step.id,
            key: step.key ?? '',
            index: 1000 + seen,
            at: isoClock(this.carrying(step).clock.now),
            ...told,
          },
          { transaction },
        ),
      )
      this.parts.hub.emit('run', { change, steps: [step.id] })
    })
  }

  // What people ask. Each resolves once the transition is committed.

  /** Starts a change whose locks, reservations and steps were written in `prepare`. */
  begin(number: number): Promise<void> {
    return this.enter(number, async () => {
      const row = await ChangeRow.findByPk(number)
      if (!row) return
      this.parts.fleet.touchRegister()
      const active = await this.load(row)
      await this.noteBusy()
      this.parts.hub.emit('run', { change: number, steps: [] })
      await this.drive(active)
    })
  }

  /** Failed steps are tried again, with a fresh allowance of attempts; so is an undo that halted. */
  retry(number: number): Promise<void> {
    return this.enter(number, async () => {
      const active = this.active.get(number)
      if (!active) return
      await this.transition(
        active,
        [{ kind: 'run.retried', says: `${active.row.label}: retried from where it halted` }],
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
      await this.noteBusy()
      await this.drive(active)
    })
  }

  takeBack(number: number): Promise<void> {
    return this.enter(number, async () => {
      const active = this.active.get(number)
      if (!active) return
      await this.turnBack(active, `${active.row.label}: being taken back`, null)
    })
  }

  private async turnBack(active: Active, says: string, cause: Failure | null): Promise<void> {
    await this.transition(active, [{ kind: 'run.undoing', says }], async (transaction) => {
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
    await this.noteBusy()
    await this.drive(active)
  }

  giveUp(number: number): Promise<void> {
    return this.enter(number, async () => {
      const active = this.active.get(number)
      if (!active) return
      await this.transition(
        active,
        [{ kind: 'run.given-up', says: `${active.row.label}: given up; what was made stays` }],
        async (transaction) => {
          for (const step of active.steps.values())
            if (step.state === 'waiting') await step.update({ state: 'skipped' }, { transaction })
          await this.close(active, 'given-up', transaction)
        },
      )
      await this.closed(number)
    })
  }

  /** Takes over a halted run’s amended steps. */
  reload(number: number): Promise<void> {
    return this.enter(number, async () => {
      const row = await ChangeRow.findByPk(number)
      if (row) await this.load(row)
      this.parts.fleet.touchRegister()
    })
  }

  /** Called once locks were released: set by the server to start what waits for them. */
  startWaiting: () => Promise<void> = async () => undefined

  // Inside the lane.

  private enter<T>(change: number, work: () => Promise<T>): Promise<T> {
    return this.lanes.enter(change, work, (error) => this.parts.onError(error))
  }

  private commandOf(step: StepRow): Command {
    return step.undoing && step.undo ? step.undo : step.command
  }

  private carrying(step: StepRow): Connector {
    return this.parts.connectors.carrying(this.commandOf(step))
  }

  private async load(row: ChangeRow): Promise<Active> {
    const steps = await StepRow.findAll({
      where: { change: row.number },
      order: [['position', 'ASC']],
    })
    const active: Active = { row, steps: new Map(steps.map((step) => [step.id, step])) }
    for (const step of steps)
      if (step.key !== null) this.byKey.set(step.key, { change: row.number, step: step.id })
    this.active.set(row.number, active)
    return active
  }

  /** After a start: how do the commands stand that were under way? */
  private async reconcile(active: Active): Promise<void> {
    for (const step of active.steps.values()) {
      if (step.state !== 'running' || step.key === null) continue
      const outcome: Outcome = await this.carrying(step).lookup(step.key)
      if (!outcome.known) await this.issue(active, step)
      else if (outcome.ended) await this.settle(step.key, outcome)
      else
        await this.parts.database.write((transaction) =>
          this.keepEvidence(
            transaction,
            active.row.number,
            step.id,
            step.key ?? '',
            outcome.evidence,
          ),
        )
    }
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

  private async keepEvidence(
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

  /** Starts everything that may start now; ends or halts the run when nothing is left to do or to wait for. */
  private async drive(active: Active): Promise<void> {
    const steps = [...active.steps.values()]
    const back = active.row.direction === 'back'
    const nowFor = (step: StepRow): number =>
      this.parts.connectors.carrying(back && step.undo ? step.undo : step.command).clock.now
    const ready = back ? readyToUndo(steps, nowFor) : readyOn(steps, nowFor)
    if (ready.length > 0) {
      await this.parts.database.write(async (transaction) => {
        for (const step of ready) {
          // The key is new for each attempt; the attempt is committed before the port hears of it.
          const attempt = back ? step.undoAttempts + 1 : step.attempts + 1
          const key = `${changeId(active.row.number)}/${step.id}/${back ? 'undo' : 'do'}/${attempt}`
          await step.update(
            {
              state: 'running',
              undoing: back,
              key,
              dueAt: null,
              startedAt: step.startedAt ?? isoClock(nowFor(step)),
              ...(back ? { undoAttempts: attempt } : { attempts: attempt, cause: null }),
            },
            { transaction },
          )
          this.byKey.set(key, { change: active.row.number, step: step.id })
        }
      })
      this.parts.hub.emit('run', { change: active.row.number, steps: ready.map((step) => step.id) })
      for (const step of ready) await this.issue(active, step)
      return
    }
    if (steps.some((step) => step.state === 'running' || step.state === 'retrying')) return
    if (back) await this.endBack(active, steps)
    else await this.endOn(active, steps)
  }

  private async issue(active: Active, step: StepRow): Promise<void> {
    if (step.key === null) return
    const command = this.commandOf(step)
    const origin = {
      change: active.row.number,
      attempt: step.undoing ? step.undoAttempts : step.attempts,
    }
    await this.parts.connectors
      .carrying(command)
      .issue(step.key, command.verb, resolvedArgs(command.args, resultsOf(active)), origin)
  }

  /** Records how a command ended and goes on. */
  private async settle(key: string, outcome: Ended): Promise<void> {
    const where = this.byKey.get(key)
    const active = where && this.active.get(where.change)
    const step = where && active?.steps.get(where.step)
    if (!where || !active || !step || step.key !== key || step.state !== 'running') return
    const at = isoClock(outcome.at)
    await this.parts.database.write(async (transaction) => {
      await this.keepEvidence(transaction, where.change, step.id, key, outcome.evidence)
      const line = outcome.failure
        ? await this.settleFailed(transaction, active, step, outcome.at, outcome.failure, key)
        : await this.settleDone(transaction, active, step, at, outcome.result)
      await writeJournal(this.parts.hub, transaction, at, [{ change: where.change, ...line }])
    })
    this.byKey.delete(key)
    this.parts.hub.emit('run', { change: where.change, steps: [step.id] })
    await this.drive(active)
  }

  private async settleDone(
    transaction: Transaction,
    active: Active,
    step: StepRow,
    at: string,
    result: Ended['result'],
  ): Promise<Line> {
    const { verb, args } = this.commandOf(step)
    const change = active.row.number
    await recordEffect(
      transaction,
      { verb, args: resolvedArgs(args, resultsOf(active)) },
      { change, step: step.id, at },
    )
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
      says: `${stepText(active, step)}${wasUndoing ? ', undone' : ''}`,
    }
  }

  /** A failed command is tried again while its policy allows, on the clock of whoever carries it. */
  private async settleFailed(
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
    }
  }

  private async expected(view: FleetView): Promise<readonly Proof[]> {
    if ((view.expectations ?? []).length === 0) return []
    const whole = await this.parts.fleet.withExpected(view)
    return expectations(whole).map((one) => ({
      says: `${one.name}: ${one.wanted ? 'reached' : 'not reached'}`,
      holds: one.holds,
      observed: one.says,
    }))
  }

  private async endOn(active: Active, steps: readonly StepRow[]): Promise<void> {
    if (active.row.state !== 'running') return
    const failed = steps.filter((step) => step.state === 'failed')
    const first = failed[0]
    const at = isoClock(this.parts.clock.now)
    if (
      first &&
      active.row.plan?.steps.some((step) => step.id === first.id && step.turnsBack === true)
    ) {
      await this.turnBack(
        active,
        `${active.row.label} turns back by itself: ${first.cause?.says ?? first.says}`,
        first.cause,
      )
      return
    }
    if (first) {
      const says = first.cause?.says ?? first.says
      await this.halt(active, says, { cause: first.cause, endedAt: at })
      return
    }
    if (!settled(steps)) return
    const read = kindNamed(active.row.kind)?.read(active.row.intent)
    if (!read?.ok)
      throw new Error(`change ${active.row.number} holds an intent that its kind does not read`)
    this.parts.fleet.touchRegister()
    const view = await this.parts.fleet.viewFor(read.draft.objectsOf, read.draft.walksAt)
    const proven = read.draft.prove(
      view,
      Object.fromEntries(steps.map((step) => [step.id, step.result ?? {}])),
    )
    // What is expected is walked again after every change; it is shown, but a change is not undone for what others broke.
    const proof = [...proven, ...(await this.expected(view))]
    const broken = proven.filter((item) => !item.holds)
    if (broken.length > 0) {
      const cause = said('proofs.broken', {
        proofs: proof.length,
        broken: broken.map((item) => `${item.says}: ${item.observed}`),
      })
      await this.halt(active, cause.says, {
        proof: [...proof],
        cause: { class: 'permanent', reason: 'proof', ...cause, chain: [] },
        endedAt: at,
      })
      return
    }
    await this.transition(
      active,
      [{ kind: 'run.done', says: `${active.row.label}: done, ${proof.length} proofs hold` }],
      async (transaction) => {
        await active.row.update({ proof: [...proof] }, { transaction })
        await this.close(active, 'done', transaction)
      },
    )
    await this.closed(active.row.number)
  }

  /** A run stops where it is and waits for its author. */
  private async halt(
    active: Active,
    says: string,
    halted: Partial<Pick<ChangeRow, 'proof' | 'cause' | 'endedAt'>>,
  ): Promise<void> {
    await this.transition(
      active,
      [{ kind: 'run.halted', says: `${active.row.label} halted: ${says}` }],
      async (transaction) => {
        await active.row.update({ state: 'halted', ...halted }, { transaction })
      },
    )
    await this.noteBusy()
  }

  private async endBack(active: Active, steps: readonly StepRow[]): Promise<void> {
    if (active.row.state !== 'undoing') return
    const stuck = steps.find((step) => step.state === 'failed' && step.undoing)
    if (stuck) {
      await this.transition(
        active,
        [
          {
            kind: 'run.halted',
            says: `${active.row.label}: taking back halted: ${stuck.cause?.says ?? stuck.says}`,
          },
        ],
        async (transaction) => {
          await active.row.update(
            { state: 'halted', cause: stuck.cause, endedAt: isoClock(this.parts.clock.now) },
            { transaction },
          )
        },
      )
      await this.noteBusy()
      return
    }
    await this.transition(
      active,
      [
        {
          kind: 'run.taken-back',
          says: `${active.row.label}: taken back; ${await this.leftBehind(active)}`,
        },
      ],
      (transaction) => this.close(active, 'taken-back', transaction),
    )
    await this.closed(active.row.number)
  }

  /** What a run that was taken back has left after all: whatever its commands make and the fleet still shows. */
  private async leftBehind(active: Active): Promise<string> {
    this.parts.fleet.touchRegister()
    const view = await this.parts.fleet.view()
    const results = resultsOf(active)
    const made = [...active.steps.values()].flatMap(
      ({ command }) =>
        effectOf({ verb: command.verb, args: resolvedArgs(command.args, results) }).makes,
    )
    const left = [...new Set(made)].filter((about) => stands(view, about) === true)
    return left.length === 0 ? 'nothing is left' : `left: ${left.join(', ')}`
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

  private async closed(number: number): Promise<void> {
    this.active.delete(number)
    this.parts.fleet.touchRegister()
    this.parts.hub.emit('state', [])
    await this.noteBusy()
    // Not awaited: what waits is checked anew, which enters this lane again.
    void this.startWaiting().catch((error: unknown) => this.parts.onError(error))
  }

  /** Tells every connector whether a run is under way: whoever carries none of its steps may be asked by the next. */
  private async noteBusy(): Promise<void> {
    const isBusy = [...this.active.values()].some(
      ({ row }) => row.state === 'running' || row.state === 'undoing',
    )
    for (const connector of this.parts.connectors.all()) await connector.busy?.(isBusy)
  }
}

const stepText = (active: Active, step: StepRow): string =>
  `${active.row.label}: ${step.group}: ${step.says}`

const resultsOf = (active: Active): StepResults =>
  Object.fromEntries([...active.steps.values()].map((step) => [step.id, step.result ?? {}]))
