/**
 * Durable execution of plans. Every transition is committed before and after each command; a command carries a key that
 * its connector answers once and for all. Killed at any moment and started again, the runner asks each connector how
 * the keys under way stand and goes on from there. It knows no verb by name: what a command makes, whom it is asked of
 * and whether it ends by a call are in the contract.
 *
 * What is done to a change passes its lane, one piece at a time, so a transition sees the state that the last one left;
 * changes do not wait for each other. Simulated clocks wait until every lane is empty.
 */
import { Op } from 'sequelize'
import {
  type Connector,
  type Ended,
  type Evidence,
  type Failure,
  type Outcome,
  type Ref,
  type SliceName,
  type Said,
} from '~/core/contract'
import { storageCode } from '../records/start-refusal'
import { ChangeRow, StepRow } from '../records/models'
import { actingAs } from '../actor'
import { changeId } from './journal'
import { type Active, isoClock, isForClock, runningIn, resultsOf, stepAwaiting } from './active'
import { Lanes } from './lanes'
import type { RunnerParts } from './parts'
import { backProofs, proofsOf } from './proofs'
import { commandOf, RunRecords } from './run-records'
import { readyOn, readyToUndo, resolvedArgs, settled } from './graph-state'

export class Runner {
  private readonly parts: RunnerParts
  private readonly active = new Map<number, Active>()
  private readonly byKey = new Map<string, { change: number; step: string }>()
  private readonly lanes = new Lanes<number>()
  private readonly records: RunRecords
  /** Runs that a disk stopped in the middle, full or failing. */
  private readonly unwritten = new Set<number>()
  /** What waited for ended runs being started. */
  private starting: Promise<void> = Promise.resolve()

  constructor(parts: RunnerParts) {
    this.parts = parts
    this.records = new RunRecords(parts)
    for (const connector of parts.connectors.all())
      connector.connect({
        ended: (key, outcome) => actingAs('gyrarch', () => this.ended(key, outcome)),
        evidence: (key, evidence) => actingAs('gyrarch', () => this.evidence(key, evidence)),
        changed: (slices) => this.changed(slices),
      })
  }

  /** Slices are not what they were: set by the server. */
  changed: (slices: readonly SliceName[]) => void = () => undefined

  /** Takes up every run that was under way when the program last ended. */
  async resume(): Promise<void> {
    const rows = await ChangeRow.findAll({
      where: { state: { [Op.in]: ['running', 'undoing', 'halted'] }, members: null },
      order: [['number', 'ASC']],
    })
    for (const row of rows) await this.enter(row.number, () => this.load(row))
    for (const { number } of rows)
      await this.enter(number, async () => {
        const active = this.active.get(number)
        if (active) await this.takeUp(active)
      })
    await this.noteBusy()
    await this.startWaiting()
  }

  private async takeUp(active: Active): Promise<void> {
    await this.reconcile(active)
    if (active.row.state !== 'halted') await this.drive(active)
  }

  /** Takes up runs whose records could not be written, from what was; throws while they still cannot. */
  async takeUpUnwritten(): Promise<void> {
    for (const number of [...this.unwritten]) {
      this.unwritten.delete(number)
      await this.enter(number, async () => {
        const row = await ChangeRow.findByPk(number)
        if (row && this.active.has(number)) await this.takeUp(await this.load(row))
      })
    }
  }

  /** Nothing is in hand any more, and what waited for a run that has ended has begun. */
  async atRest(): Promise<void> {
    await this.lanes.atRest()
    await this.starting
    await this.lanes.atRest()
  }

  /** The next time (ms) on a connector’s clock at which a step that it carries is due again, or null. */
  wakeAt(connector: Connector): number | null {
    const due = [...this.active.values()].flatMap(({ row, steps }) =>
      row.state === 'halted'
        ? []
        : [...steps.values()]
            .filter((step) => step.state === 'retrying' && this.carrying(step) === connector)
            .flatMap((step) => (step.dueAt === null ? [] : [Date.parse(step.dueAt)])),
    )
    return due.length === 0 ? null : Math.min(...due)
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
        this.records.keepEvidence(transaction, where.change, where.step, key, evidence),
      )
      this.parts.hub.emit('run', { change: where.change, steps: [where.step] })
    })
  }

  private ended(key: string, outcome: Ended): void {
    const where = this.byKey.get(key)
    if (where) void this.enter(where.change, () => this.settle(key, outcome))
  }

  /** What a step waits for has called: it ends, well or not. False if nothing waits for that call. */
  called(
    change: number,
    call: Ref,
    outcome: Pick<Ended, 'result' | 'failure'> & { readonly told: Said },
  ): Promise<boolean> {
    return this.enter(change, async () => {
      const step = stepAwaiting(this.active.get(change), call, true)
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
      const step = stepAwaiting(this.active.get(change), call, false)
      if (!step || step.key === null) return
      await this.records.noteCall(step, this.carrying(step).clock.now, told)
      this.parts.hub.emit('run', { change, steps: [step.id] })
    })
  }

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
      await this.records.retried(active)
      await this.noteBusy()
      await this.drive(active)
    })
  }

  takeBack(number: number): Promise<void> {
    return this.enter(number, async () => {
      const active = this.active.get(number)
      if (active) await this.turnBack(active, `${active.row.label}: being taken back`, null)
    })
  }

  private async turnBack(active: Active, says: string, cause: Failure | null): Promise<void> {
    await this.records.turnedBack(active, says, cause)
    for (const step of runningIn(active)) this.carrying(step).leaveOff?.(step.key ?? '')
    await this.noteBusy()
    await this.drive(active)
  }

  giveUp(number: number): Promise<void> {
    return this.enter(number, async () => {
      const active = this.active.get(number)
      if (!active) return
      await this.records.givenUp(active)
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

  /** Locks were released: set by the server to start what waits for them. */
  startWaiting: () => Promise<void> = async () => undefined

  /** A run has ended or halted: set by whoever goes on from there. */
  settled: (number: number) => void = () => undefined

  // Inside the lane.

  private enter<T>(change: number, work: () => Promise<T>): Promise<T> {
    return this.lanes.enter(change, work, (error) => {
      if (storageCode(error) !== null) this.unwritten.add(change)
      this.parts.onError(error)
    })
  }

  private readonly carrying = (step: StepRow): Connector =>
    this.parts.connectors.carrying(commandOf(step))

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
          this.records.keepEvidence(
            transaction,
            active.row.number,
            step.id,
            step.key ?? '',
            outcome.evidence,
          ),
        )
    }
  }

  /** Starts everything that may start now; ends or halts the run when nothing is left to do or to wait for. */
  private async drive(active: Active): Promise<void> {
    const steps = [...active.steps.values()]
    const back = active.row.direction === 'back'
    const carrierOf = (step: StepRow): Connector =>
      this.parts.connectors.carrying(back && step.undo ? step.undo : step.command)
    const ready = (back ? readyToUndo : readyOn)(steps, (step) => carrierOf(step).clock.now)
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
              startedAt: step.startedAt ?? isoClock(carrierOf(step).clock.now),
              onTheWall: carrierOf(step).isReal === true,
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
    const command = commandOf(step)
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
    await this.records.ended(active, step, key, outcome)
    this.byKey.delete(key)
    this.parts.hub.emit('run', { change: where.change, steps: [step.id] })
    await this.drive(active)
  }

  private async endOn(active: Active, steps: readonly StepRow[]): Promise<void> {
    if (active.row.state !== 'running') return
    const failed = steps.filter((step) => step.state === 'failed')
    const first = failed[0]
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
      await this.records.halted(active, `halted: ${first.cause?.says ?? first.says}`, {
        cause: first.cause,
      })
      await this.halted(active.row.number)
      return
    }
    if (!settled(steps)) return
    const { proof, objection } = await proofsOf(this.parts, active)
    if (objection) {
      await this.records.halted(active, `halted: ${objection.says}`, {
        proof: [...proof],
        cause: { class: 'permanent', reason: 'proof', ...objection, chain: [] },
      })
      await this.halted(active.row.number)
      return
    }
    await this.records.done(active, proof)
    await this.closed(active.row.number)
  }

  private async endBack(active: Active, steps: readonly StepRow[]): Promise<void> {
    if (active.row.state !== 'undoing') return
    const stuck = steps.find((step) => step.state === 'failed' && step.undoing)
    if (stuck) {
      const says = `taking back halted: ${stuck.cause?.says ?? stuck.says}`
      await this.records.halted(active, says, { cause: stuck.cause })
      await this.halted(active.row.number)
      return
    }
    await this.records.takenBack(active, await backProofs(this.parts, active))
    await this.closed(active.row.number)
  }

  private async halted(number: number): Promise<void> {
    await this.noteBusy()
    this.settled(number)
  }

  private async closed(number: number): Promise<void> {
    this.active.delete(number)
    this.parts.fleet.touchRegister()
    this.parts.hub.emit('state', [])
    await this.noteBusy()
    this.settled(number)
    // Not awaited here: what waits is checked anew, which enters this lane again. Clocks wait for it (`atRest`).
    this.starting = this.starting.then(() => this.startWaiting()).catch(this.parts.onError)
  }

  /** Tells every connector whether a run is under way: whoever carries none of its steps may be asked by the next. */
  private async noteBusy(): Promise<void> {
    const isBusy = [...this.active.values()].some((active) => isForClock(active, this.carrying))
    for (const connector of this.parts.connectors.all()) await connector.busy?.(isBusy)
  }
}
