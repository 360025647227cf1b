/**
 * Durable execution of plans. Every transition is committed before and after each command; a command carries a key that
 * its port answers once and for all. Killed at any moment and started again, the runner asks each port how the keys
 * under way stand and goes on from there.
 *
 * All of the runner’s work passes one lane, one piece at a time, so a transition sees the state that the last one left.
 * The outside’s clock waits until the lane is empty.
 */
import { Op, type Transaction } from 'sequelize'
import type { Failure, Proof } from '~/core/changes'
import { type FleetView, leftovers } from '~/core/fleet'
import { kindNamed } from '~/core/kinds'
import { expectations } from '~/core/wire'
import type { Fleet } from '../fleet/fleet'
import type { Hub } from '../live/hub'
import type { CommandPort, Evidence, Outcome } from '../ports/port'
import type { Database } from '../records/database'
import { ChangeRow, EvidenceRow, LockRow, ReservationRow, StepRow } from '../records/models'
import { changeId, type Line, writeJournal } from './journal'
import { ledgerCommand } from '../connectors/ledger/register'
import { backoffSeconds, readyOn, readyToUndo, resolvedArgs, settled } from './graph-state'

type Ended = Outcome & { readonly known: true; readonly ended: true }

interface Active {
  readonly row: ChangeRow
  readonly steps: Map<string, StepRow>
}

export interface RunnerParts {
  readonly database: Database
  readonly outside: CommandPort & { readonly now: number; busy(isBusy: boolean): Promise<void> }
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
  private lane: Promise<unknown> = Promise.resolve()
  private pending = 0

  constructor(parts: RunnerParts) {
    this.parts = parts
  }

  /** Takes up every run that was under way when the program last ended. */
  async resume(): Promise<void> {
    await this.enter(async () => {
      const rows = await ChangeRow.findAll({
        where: { state: { [Op.in]: ['running', 'undoing', 'halted'] } },
        order: [['number', 'ASC']],
      })
      for (const row of rows) await this.load(row)
      for (const active of this.active.values()) await this.reconcile(active)
      for (const active of this.active.values())
        if (active.row.state !== 'halted') await this.drive(active)
      await this.noteBusy()
    })
    await this.startWaiting()
  }

  // What the clock asks.

  async atRest(): Promise<void> {
    while (this.pending > 0) await this.lane
  }

  wakeAt(): number | null {
    let least: number | null = null
    for (const { row, steps } of this.active.values()) {
      if (row.state === 'halted') continue
      for (const step of steps.values()) {
        if (step.state !== 'retrying' || step.dueAt === null) continue
        const due = Date.parse(step.dueAt)
        if (least === null || due < least) least = due
      }
    }
    return least
  }

  woken(): void {
    void this.enter(async () => {
      for (const active of [...this.active.values()])
        if (active.row.state !== 'halted') await this.drive(active)
    })
  }

  evidence(key: string, evidence: readonly Evidence[]): void {
    void this.enter(async () => {
      const where = this.byKey.get(key)
      if (!where) return
      await this.parts.database.write((transaction) =>
        this.keepEvidence(transaction, where.change, where.step, key, evidence),
      )
      this.parts.hub.emit('run', { change: where.change, steps: [where.step] })
    })
  }

  ended(key: string, outcome: Ended): void {
    void this.enter(() => this.settle(key, outcome))
  }

  /** A machine that a run waits for has called: its step ends, well or not. False if nothing waits for it. */
  called(change: number, machine: string, says: string, failure: Failure | null): Promise<boolean> {
    return this.enter(async () => {
      const active = this.active.get(change)
      const step =
        active &&
        [...active.steps.values()].find(
          (other) =>
            other.state === 'running' &&
            !other.undoing &&
            other.command.verb === 'join.await' &&
            other.command.args['machine'] === machine,
        )
      if (!step || step.key === null) return false
      const at = this.parts.outside.now
      await this.settle(step.key, {
        known: true,
        ended: true,
        at,
        result: { address: step.command.args['address'], calledAt: isoClock(at) },
        failure,
        evidence: [{ at, says }],
      })
      return true
    })
  }

  /** What it saw of a machine that called and was not taken yet. */
  noteCall(change: number, machine: string, says: string): Promise<void> {
    return this.enter(async () => {
      const step = [...(this.active.get(change)?.steps.values() ?? [])].find(
        (other) => other.command.verb === 'join.await' && other.command.args['machine'] === machine,
      )
      if (!step || step.key === null) return
      const seen = await EvidenceRow.count({ where: { change, key: step.key } })
      await this.parts.database.write((transaction) =>
        EvidenceRow.create(
          {
            change,
            step: step.id,
            key: step.key ?? '',
            index: 1000 + seen,
            at: isoClock(this.parts.outside.now),
            says,
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
    return this.enter(async () => {
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
    return this.enter(async () => {
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
    return this.enter(async () => {
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
    return this.enter(async () => {
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
    return this.enter(async () => {
      const row = await ChangeRow.findByPk(number)
      if (row) await this.load(row)
      this.parts.fleet.touchRegister()
    })
  }

  /** Called once locks were released: set by the server to start what waits for them. */
  startWaiting: () => Promise<void> = async () => undefined
  /** Gyrarch’s own register was written to. */
  registered: () => void = () => undefined

  // Inside the lane.

  private enter<T>(work: () => Promise<T>): Promise<T> {
    this.pending++
    const turn = this.lane.then(work)
    this.lane = turn
      .catch((error: unknown) => this.parts.onError(error))
      .finally(() => {
        this.pending--
      })
    return turn
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
      const command = step.undoing ? step.undo : step.command
      if (!command) continue
      const outcome: Outcome =
        command.port === 'ledger' ? { known: false } : await this.parts.outside.lookup(step.key)
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
        isoClock(this.parts.outside.now),
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
        says: item.says,
      })),
      { transaction, ignoreDuplicates: true },
    )
  }

  /** Starts everything that may start now; ends or halts the run when nothing is left to do or to wait for. */
  private async drive(active: Active): Promise<void> {
    const steps = [...active.steps.values()]
    const { now } = this.parts.outside
    const back = active.row.direction === 'back'
    const ready = back ? readyToUndo(steps, now) : readyOn(steps, now)
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
              startedAt: step.startedAt ?? isoClock(now),
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
    const command = step.undoing ? step.undo : step.command
    if (!command || step.key === null) return
    const results = Object.fromEntries(
      [...active.steps.values()].map((other) => [other.id, other.result ?? {}]),
    )
    const args = resolvedArgs(command.args, results)
    if (command.port !== 'ledger') {
      await this.parts.outside.issue(step.key, command.verb, args)
      return
    }
    const { now } = this.parts.outside
    const outcome = await ledgerCommand(this.parts.database, command.verb, args, {
      change: active.row.number,
      attempt: step.undoing ? step.undoAttempts : step.attempts,
      now,
    })
    if ('waits' in outcome) return
    this.parts.fleet.touchRegister()
    this.registered()
    await this.settle(step.key, {
      known: true,
      ended: true,
      at: now,
      result: outcome.result,
      failure: null,
      evidence: [{ at: now, says: outcome.says }],
    })
  }

  /** Records how a command ended and goes on. */
  private async settle(key: string, outcome: Ended): Promise<void> {
    const where = this.byKey.get(key)
    const active = where && this.active.get(where.change)
    const step = where && active?.steps.get(where.step)
    if (!where || !active || !step || step.key !== key || step.state !== 'running') return
    const at = isoClock(outcome.at)
    const lines: Line[] = []
    await this.parts.database.write(async (transaction) => {
      await this.keepEvidence(transaction, where.change, step.id, key, outcome.evidence)
      if (!outcome.failure) {
        await step.update(
          step.undoing
            ? { state: 'undone', undoing: false, key: null, endedAt: at }
            : { state: 'done', key: null, endedAt: at, result: { ...outcome.result }, cause: null },
          { transaction },
        )
        lines.push({
          kind: step.undoing ? 'step.undone' : 'step.done',
          about: `step/${changeId(where.change)}/${step.id}`,
          says: `${active.row.label}: ${step.group}: ${step.says}${step.state === 'undone' ? ', undone' : ''}`,
        })
      } else {
        const tried = (step.undoing ? step.undoAttempts : step.attempts) - step.attemptsBefore
        const wanted = step.undoing === (active.row.direction === 'back')
        const again = wanted && outcome.failure.class === 'transient' && tried < step.retry.attempts
        const due = again
          ? isoClock(outcome.at + 1000 * backoffSeconds(step.retry, tried, key))
          : null
        const cause: Failure = {
          ...outcome.failure,
          chain: [
            ...outcome.failure.chain,
            {
              about: `change/${changeId(where.change)}`,
              says: `${active.row.label}: ${step.group}: ${step.says}`,
            },
          ],
        }
        await step.update(
          {
            state: again ? 'retrying' : 'failed',
            key: null,
            dueAt: due,
            cause,
            endedAt: again ? null : at,
          },
          { transaction },
        )
        lines.push({
          kind: again ? 'step.retrying' : 'step.failed',
          about: `step/${changeId(where.change)}/${step.id}`,
          says: `${active.row.label}: ${step.group}: ${outcome.failure.says} ${again ? `Attempt ${tried} of ${step.retry.attempts}.` : 'It is not tried again.'}`,
        })
      }
      await writeJournal(
        this.parts.hub,
        transaction,
        at,
        lines.map((line) => ({ change: where.change, ...line })),
      )
    })
    this.byKey.delete(key)
    this.parts.hub.emit('run', { change: where.change, steps: [step.id] })
    await this.drive(active)
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
    const at = isoClock(this.parts.outside.now)
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
      await this.transition(
        active,
        [
          {
            kind: 'run.halted',
            says: `${active.row.label} halted: ${first.cause?.says ?? first.says}`,
          },
        ],
        async (transaction) => {
          await active.row.update(
            { state: 'halted', cause: first.cause, endedAt: at },
            { transaction },
          )
        },
      )
      await this.noteBusy()
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
      const says = `${broken.length} of ${proof.length} proofs do not hold: ${broken.map((item) => `${item.says}: ${item.observed}`).join('; ')}`
      await this.transition(
        active,
        [{ kind: 'run.halted', says: `${active.row.label} halted: ${says}` }],
        async (transaction) => {
          await active.row.update(
            {
              state: 'halted',
              proof: [...proof],
              cause: { class: 'permanent', reason: 'proof', says, chain: [] },
              endedAt: at,
            },
            { transaction },
          )
        },
      )
      await this.noteBusy()
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
            { state: 'halted', cause: stuck.cause, endedAt: isoClock(this.parts.outside.now) },
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
          says: `${active.row.label}: taken back; ${await this.leftBehind(active.row)}`,
        },
      ],
      (transaction) => this.close(active, 'taken-back', transaction),
    )
    await this.closed(active.row.number)
  }

  /** What a run that was taken back has left at its site after all. */
  private async leftBehind(row: ChangeRow): Promise<string> {
    const { name, site: siteName } = row.intent as {
      readonly name?: unknown
      readonly site?: unknown
    }
    this.parts.fleet.touchRegister()
    const view = await this.parts.fleet.view()
    const site = view.sites.find((other) => other.name === siteName)
    if (!site) return 'nothing is left'
    const left = leftovers(site, view.clusters).filter((item) => item.was === name)
    return left.length === 0
      ? `nothing is left at ${site.name}`
      : `left at ${site.name}: ${left.map((item) => `${item.kind} ${item.name}`).join(', ')}`
  }

  private async close(
    active: Active,
    state: 'done' | 'taken-back' | 'given-up',
    transaction: Transaction,
  ): Promise<void> {
    await active.row.update({ state, endedAt: isoClock(this.parts.outside.now) }, { transaction })
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

  private async noteBusy(): Promise<void> {
    await this.parts.outside.busy(
      [...this.active.values()].some(
        ({ row }) => row.state === 'running' || row.state === 'undoing',
      ),
    )
  }
}
