/** Drafting, amending, starting and ending changes: the server’s side of the pipeline, common to pages and API. */
import { Op, type Transaction } from 'sequelize'
import {
  canonicalJson,
  type Finding,
  patchDraft,
  type Plan,
  planDigest,
  type Proof,
  type Remedy,
  type Step,
  withoutChange,
} from '~/core/changes'
import type { FleetView } from '~/core/fleet'
import { type Draft, kindNamed, kinds } from '~/core/kinds'
import type { Fleet } from '../fleet/fleet'
import type { Hub } from '../live/hub'
import type { Database } from '../records/database'
import { ChangeRow, type ChangeState, LockRow, ReservationRow, StepRow } from '../records/models'
import { changeId, type Line, writeJournal } from '../runner/journal'
import { isoClock, type Runner } from '../runner/runner'
import { Refusal, refuseIssues } from './errors'
import { stepRecords, type StepRecord, writeReservations, writeSteps } from './rows'

export type { StepRecord } from './rows'

export interface ChangesParts {
  readonly database: Database
  readonly fleet: Fleet
  readonly runner: Runner
  readonly hub: Hub
  readonly clock: { readonly now: number }
}

export interface ChangeRecord {
  readonly id: string
  readonly kind: string
  readonly label: string
  readonly title: string | null
  readonly intent: unknown
  readonly version: number
  readonly state: ChangeState
  readonly direction: 'on' | 'back'
  readonly waitsFor: string | null
  readonly createdWall: string
  readonly amendedWall: string
  readonly startedAt: string | null
  readonly endedAt: string | null
  readonly findings: readonly Finding[]
  readonly plan: Plan | null
  readonly planDigest: string | null
  readonly guardedBy: string | null
  readonly steps: readonly StepRecord[]
  readonly proof: readonly Proof[] | null
  readonly cause: ChangeRow['cause']
  /** Proven remedies that get a run past its failure; they can be taken once it has halted. */
  readonly remedies: readonly (Remedy & {
    readonly step: string
    /** Whether the run can go on with it; else what is done would have to be done differently, and it takes a new draft. */
    readonly goesOn: boolean
  })[]
  /** Why it cannot be taken back, or null. */
  readonly keepsBack: string | null
}

export interface RunRequest {
  readonly accept: readonly string[]
  readonly confirm?: string | undefined
  readonly planDigest?: string | undefined
}

/** `cluster/a` covers itself and everything below it, as does any ref in the same way. */
export const covers = (outer: string, inner: string): boolean =>
  outer === inner || below(outer, inner)

const below = (outer: string, inner: string): boolean => {
  const [kind, ...path] = outer.split('/')
  const [, ...innerPath] = inner.split('/')
  return (
    (kind === 'cluster' || kind === 'site') &&
    path.length === 1 &&
    innerPath.length > 1 &&
    innerPath[0] === path[0]
  )
}

interface Judged {
  readonly findings: readonly Finding[]
  readonly plan: Plan | null
  readonly digest: string | null
}

export class Changes {
  private readonly parts: ChangesParts
  /** Starting is one at a time, so that two drafts that each fit cannot both count the same room as free. */
  private lane: Promise<unknown> = Promise.resolve()

  constructor(parts: ChangesParts) {
    this.parts = parts
    parts.runner.startWaiting = () => this.startWaiting()
  }

  /** Reads an intent by its kind, or refuses with the fields. */
  read(kindName: string, intent: unknown): Draft {
    const kind = kindNamed(kindName)
    if (!kind)
      throw new Refusal(
        'invalid',
        `There is no change kind ${kindName.slice(0, 80)}. Known: ${kinds.map((known) => known.name).join(', ')}.`,
        [{ path: 'kind', says: 'unknown kind' }],
      )
    const read = kind.read(intent)
    if (!read.ok) throw refuseIssues(read.issues, ['intent'])
    return read.draft
  }

  /** The fleet with everything that a draft must see. */
  async viewFor(draft: Draft): Promise<FleetView> {
    const { fleet } = this.parts
    const view = await fleet.viewFor(draft.objectsOf, draft.walksAt)
    const more = draft.offersNeed(view)
    if (more.objectsOf.length + more.walksAt.length === 0) return view
    const objectsOf = [...new Set([...draft.objectsOf, ...more.objectsOf])]
    return fleet.viewFor(objectsOf, [...new Set([...draft.walksAt, ...more.walksAt])])
  }

  judge(draft: Draft, view: FleetView): Judged {
    const findings = draft.findings(view)
    if (findings.some((finding) => finding.level === 'stop'))
      return { findings, plan: null, digest: null }
    const plan = draft.plan(view)
    return { findings, plan, digest: planDigest(plan) }
  }

  async draft(
    kindName: string,
    intent: unknown,
    title: string | null = null,
  ): Promise<ChangeRecord> {
    const draft = this.read(kindName, intent)
    const row = await this.parts.database.write(async (transaction) => {
      const created = await ChangeRow.create(
        {
          kind: kindName,
          label: draft.label,
          title,
          intent: draft.intent,
          version: 1,
          state: 'draft',
          direction: 'on',
          site: siteIn(draft.intent),
          createdAt: new Date(),
          amendedAt: new Date(),
          startedAt: null,
          endedAt: null,
          accepted: [],
          findings: null,
          plan: null,
          planDigest: null,
          proof: null,
          subjects: null,
          waitsFor: null,
          cause: null,
        },
        { transaction },
      )
      await this.journal(transaction, {
        kind: 'change.drafted',
        change: created.number,
        says: `${draft.label}: drafted`,
      })
      return created
    })
    return this.record(row)
  }

  async find(id: string): Promise<ChangeRow> {
    const number = /^c-(\d{1,12})$/.exec(id)?.[1]
    const row = number === undefined ? null : await ChangeRow.findByPk(Number(number))
    if (!row) throw new Refusal('not-found', `There is no change ${id.slice(0, 40)}.`)
    return row
  }

  async get(id: string): Promise<ChangeRecord> {
    return this.record(await this.find(id))
  }

  /** Newest first. */
  async list(
    filter: { readonly states?: readonly ChangeState[] | undefined; readonly limit?: number } = {},
  ): Promise<readonly ChangeRow[]> {
    return ChangeRow.findAll({
      where: filter.states ? { state: { [Op.in]: [...filter.states] } } : {},
      order: [['number', 'DESC']],
      limit: filter.limit ?? 500,
      attributes: { exclude: ['plan', 'findings', 'proof'] },
    })
  }

  /**
   * Amends the intent of a draft; of a halted run, if what it has done so far stays as it is.
   * `version`, where given, must be the one that was read: else somebody else was quicker.
   */
  async amend(
    id: string,
    intent: unknown,
    version: number | null,
    title?: string | null,
  ): Promise<ChangeRecord> {
    const row = await this.find(id)
    if (version !== null && version !== row.version) {
      throw new Refusal(
        'conflict',
        `${id} was amended meanwhile: it is at version ${row.version}, you read version ${version}. Read it again.`,
        [],
        { version: row.version },
      )
    }
    const draft = this.read(row.kind, intent)
    if (row.state === 'halted') return this.amendHalted(row, draft)
    if (row.state !== 'draft')
      throw new Refusal(
        'conflict',
        `${id} is ${row.state}; only drafts and halted runs can be amended.`,
      )
    await this.parts.database.write(async (transaction) => {
      const [changed] = await ChangeRow.update(
        {
          intent: draft.intent,
          label: draft.label,
          site: siteIn(draft.intent),
          version: row.version + 1,
          amendedAt: new Date(),
          ...(title === undefined ? {} : { title }),
        },
        { where: { number: row.number, version: row.version, state: 'draft' }, transaction },
      )
      if (changed === 0)
        throw new Refusal('conflict', `${id} was amended meanwhile. Read it again.`)
    })
    return this.get(id)
  }

  async discard(id: string): Promise<void> {
    const row = await this.find(id)
    if (row.state !== 'draft')
      throw new Refusal('conflict', `${id} is ${row.state}; only drafts can be discarded.`)
    await this.parts.database.write(async (transaction) => {
      await row.destroy({ transaction })
      await this.journal(transaction, {
        kind: 'change.discarded',
        says: `${row.label}: draft ${id} discarded`,
      })
    })
  }

  /** What runs is what was read: checks and plans again, and refuses if that differs. */
  run(id: string, request: RunRequest): Promise<ChangeRecord> {
    return this.inLane(async () => {
      const row = await this.find(id)
      if (row.state !== 'draft') throw new Refusal('conflict', `${id} is ${row.state} already.`)
      const draft = this.read(row.kind, row.intent)
      const view = await this.viewFor(draft)
      const judged = this.judge(draft, view)
      const stop = judged.findings.find((finding) => finding.level === 'stop')
      if (stop || !judged.plan)
        throw new Refusal(
          'conflict',
          `${id} cannot run: ${stop?.says ?? 'it has no plan'}`,
          stop?.field === undefined ? [] : [{ path: `intent.${stop.field}`, says: stop.says }],
          { findings: judged.findings, plan: null },
        )
      const missing = judged.findings.filter(
        (finding) => finding.level === 'caution' && !request.accept.includes(finding.key),
      )
      if (missing.length > 0) {
        throw new Refusal(
          'conflict',
          `${missing.length === 1 ? 'A caution is' : `${missing.length} cautions are`} not accepted: ${missing.map((finding) => `${finding.says} (${finding.key})`).join(' ')}`,
          missing.map((finding) => ({ path: 'accept', says: finding.key })),
          { findings: judged.findings },
        )
      }
      if (request.planDigest !== undefined && request.planDigest !== judged.digest) {
        throw new Refusal(
          'conflict',
          `The plan of ${id} has changed since it was read. Read the new one.`,
          [{ path: 'planDigest', says: `is ${judged.digest ?? ''} now` }],
          { plan: judged.plan, planDigest: judged.digest, findings: judged.findings },
        )
      }
      this.confirmGuard(draft.guardedBy(view), request.confirm)
      await this.prepare(row, draft, view, judged, [...request.accept])
      return this.get(id)
    })
  }

  /**
   * Drafts and runs a change that a confirmed policy asks for: cautions are accepted, no name is typed.
   * Returns why it cannot run, or null; what cannot run is not kept.
   */
  async runUnattended(kindName: string, intent: unknown, title: string): Promise<string | null> {
    const asked = this.read(kindName, intent)
    const view = await this.viewFor(asked)
    const stop = asked.findings(view).find((finding) => finding.level === 'stop')
    if (stop) return stop.says
    const record = await this.draft(kindName, intent, title)
    try {
      await this.run(record.id, {
        accept: record.findings.map((finding) => finding.key),
        confirm: record.guardedBy ?? undefined,
      })
      return null
    } catch (error) {
      if (error instanceof Refusal) return error.message
      throw error
    }
  }

  async retry(id: string, confirm?: string): Promise<ChangeRecord> {
    const row = await this.mustBe(id, ['halted'], 'retried')
    await this.confirmRun(row, confirm)
    await this.parts.runner.retry(row.number)
    return this.get(id)
  }

  async takeBack(id: string, confirm?: string): Promise<ChangeRecord> {
    const row = await this.mustBe(id, ['halted', 'running'], 'taken back')
    const keeps = keepsBack(await StepRow.findAll({ where: { change: row.number } }))
    if (keeps !== null) throw new Refusal('conflict', keeps)
    await this.confirmRun(row, confirm)
    await this.parts.runner.takeBack(row.number)
    return this.get(id)
  }

  async giveUp(id: string): Promise<ChangeRecord> {
    const row = await this.mustBe(id, ['halted'], 'given up')
    await this.parts.runner.giveUp(row.number)
    return this.get(id)
  }

  /** Takes a waiting change out of the queue: it is a draft again. */
  async unqueue(id: string): Promise<ChangeRecord> {
    const row = await this.mustBe(id, ['waiting'], 'taken out of the queue')
    await this.parts.database.write((transaction) =>
      row.update({ state: 'draft', waitsFor: null }, { transaction }),
    )
    return this.get(id)
  }

  async record(row: ChangeRow): Promise<ChangeRecord> {
    const read = kindNamed(row.kind)?.read(row.intent)
    const view = await (read?.ok ? this.viewFor(read.draft) : this.parts.fleet.view())
    const fresh = row.state === 'draft' && read?.ok ? this.judge(read.draft, view) : null
    const steps = fresh ? [] : await stepRecords(row.number)
    const plan = fresh ? fresh.plan : row.plan
    return {
      id: changeId(row.number),
      kind: row.kind,
      label: row.label,
      title: row.title,
      intent: row.intent,
      version: row.version,
      state: row.state,
      direction: row.direction,
      waitsFor: row.waitsFor,
      createdWall: row.createdAt.toISOString(),
      amendedWall: row.amendedAt.toISOString(),
      startedAt: row.startedAt,
      endedAt: row.endedAt,
      findings: fresh ? fresh.findings : (row.findings ?? []),
      plan,
      planDigest: fresh ? fresh.digest : row.planDigest,
      guardedBy: read?.ok ? read.draft.guardedBy(view) : null,
      steps,
      proof: row.proof,
      cause: row.cause,
      remedies:
        (row.state === 'halted' ||
          (row.state === 'running' && steps.some((step) => step.state === 'failed'))) &&
        row.direction === 'on' &&
        read?.ok &&
        plan
          ? this.remedies(row, read.draft, plan, view, steps)
          : [],
      keepsBack: fresh
        ? null
        : keepsBack(
            steps.map((step) => ({
              state: step.state,
              says: step.says,
              final: plan?.steps.find((planned) => planned.id === step.id)?.final ?? false,
            })),
          ),
    }
  }

  private remedies(
    row: ChangeRow,
    draft: Draft,
    plan: Plan,
    view: FleetView,
    steps: readonly StepRecord[],
  ): ChangeRecord['remedies'] {
    const without = withoutChange(view, plan, String(row.number))
    return steps
      .filter((step) => step.state === 'failed' && step.cause)
      .slice(0, 4)
      .flatMap((step) => {
        const planned = plan.steps.find((other) => other.id === step.id)
        if (!step.cause || !planned) return []
        return draft.answers(without, step.cause, planned).map((remedy) => ({
          ...remedy,
          step: step.id,
          goesOn: this.goesOnWith(row, remedy, without, plan, steps),
        }))
      })
  }

  /** Whether a remedy’s plan does everything that is done already in the same way. */
  private goesOnWith(
    row: ChangeRow,
    remedy: Remedy,
    view: FleetView,
    plan: Plan,
    steps: readonly StepRecord[],
  ): boolean {
    if (!('patchDraft' in remedy.change)) return false
    const read = kindNamed(row.kind)?.read(patchDraft(row.intent, remedy.change.patchDraft))
    if (!read?.ok) return false
    const done = plan.steps.filter((step) =>
      steps.some((other) => other.id === step.id && other.state === 'done'),
    )
    return doneDifferently(done, read.draft.plan(view)) === null
  }

  private async amendHalted(row: ChangeRow, draft: Draft): Promise<ChangeRecord> {
    const id = changeId(row.number)
    const { plan: old } = row
    if (!old || row.direction === 'back')
      throw new Refusal('conflict', `${id} is being taken back; finish that first.`)
    const view = withoutChange(await this.viewFor(draft), old, String(row.number))
    const judged = this.judge(draft, view)
    const stop = judged.findings.find((finding) => finding.level === 'stop')
    if (stop || !judged.plan)
      throw new Refusal(
        'conflict',
        `Amended like this it could not run: ${stop?.says ?? 'it has no plan'}`,
        [],
        { findings: judged.findings },
      )
    const { plan } = judged
    const rows = await StepRow.findAll({ where: { change: row.number } })
    const stuck = doneDifferently(
      rows.filter((step) => step.state === 'done'),
      plan,
    )
    if (stuck)
      throw new Refusal(
        'conflict',
        `“${stuck.group}: ${stuck.says}” is done and would have to be done differently. Take the run back and draft it anew.`,
      )
    await this.parts.database.write(async (transaction) => {
      // The register is Gyrarch’s own: it is simply written again where the amendment changes it.
      const next = new Map(plan.steps.map((step) => [step.id, step]))
      const keep = new Set(
        rows
          .filter(
            (step) =>
              step.state === 'done' &&
              canonicalJson(next.get(step.id)?.command) === canonicalJson(step.command),
          )
          .map((step) => step.id),
      )
      await StepRow.destroy({
        where: { change: row.number, id: { [Op.notIn]: [...keep] } },
        transaction,
      })
      // Attempts go on counting: a key that was used once is answered with its first result for ever.
      const tried = new Map(rows.map((step) => [step.id, step.attempts]))
      await writeSteps(
        transaction,
        row.number,
        plan.steps.filter((step) => !keep.has(step.id)),
        plan.steps,
        tried,
      )
      await ReservationRow.destroy({ where: { change: row.number }, transaction })
      await writeReservations(transaction, row.number, plan)
      await row.update(
        {
          intent: draft.intent,
          label: draft.label,
          version: row.version + 1,
          amendedAt: new Date(),
          plan,
          planDigest: judged.digest,
          findings: [...judged.findings],
        },
        { transaction },
      )
      await this.journal(transaction, {
        kind: 'run.amended',
        change: row.number,
        says: `${draft.label}: amended while halted; ${keep.size} done steps stay`,
      })
    })
    await this.parts.runner.reload(row.number)
    return this.get(id)
  }

  /** Locks, reservations and steps in one transaction; or, if a lock is taken, a place in the queue. */
  private async prepare(
    row: ChangeRow,
    draft: Draft,
    view: FleetView,
    judged: Judged,
    accepted: string[],
  ): Promise<void> {
    const { plan } = judged
    if (!plan) return
    const subjects = [...draft.subjects(view)].sort()
    const started = await this.parts.database.write(async (transaction) => {
      const held = await LockRow.findAll({ transaction })
      const clash = held.find((lock) =>
        subjects.some((subject) => covers(subject, lock.ref) || covers(lock.ref, subject)),
      )
      const common = {
        accepted,
        findings: [...judged.findings],
        plan,
        planDigest: judged.digest,
        subjects,
        direction: 'on' as const,
      }
      if (clash) {
        await row.update(
          { ...common, state: 'waiting', waitsFor: changeId(clash.change) },
          { transaction },
        )
        await this.journal(transaction, {
          kind: 'run.waiting',
          change: row.number,
          about: clash.ref,
          says: `${row.label} waits: ${changeId(clash.change)} is at work on ${clash.ref}`,
        })
        return false
      }
      await LockRow.bulkCreate(
        subjects.map((ref) => ({ ref, change: row.number })),
        { transaction },
      )
      await writeReservations(transaction, row.number, plan)
      await writeSteps(transaction, row.number, plan.steps, plan.steps)
      await row.update(
        {
          ...common,
          state: 'running',
          waitsFor: null,
          startedAt: isoClock(this.parts.clock.now),
          endedAt: null,
          cause: null,
        },
        { transaction },
      )
      await this.journal(transaction, {
        kind: 'run.started',
        change: row.number,
        says: `${row.label}: running, ${plan.steps.length} steps`,
      })
      return true
    })
    if (started) await this.parts.runner.begin(row.number)
    else this.parts.hub.emit('run', { change: row.number, steps: [] })
  }

  /** What waited for a lock is checked anew; if its plan is another one now, it goes back to its author. */
  private startWaiting(): Promise<void> {
    return this.inLane(async () => {
      const rows = await ChangeRow.findAll({
        where: { state: 'waiting' },
        order: [['number', 'ASC']],
      })
      for (const row of rows) {
        const draft = this.read(row.kind, row.intent)
        const view = await this.viewFor(draft)
        const judged = this.judge(draft, view)
        if (judged.plan && judged.digest === row.planDigest) {
          await this.prepare(row, draft, view, judged, row.accepted)
          continue
        }
        const held = await LockRow.findAll()
        const subjects = draft.subjects(view)
        if (
          held.some((lock) =>
            subjects.some((subject) => covers(subject, lock.ref) || covers(lock.ref, subject)),
          )
        )
          continue
        await this.parts.database.write(async (transaction) => {
          await row.update({ state: 'draft', waitsFor: null }, { transaction })
          await this.journal(transaction, {
            kind: 'change.returned',
            change: row.number,
            says: `${row.label}: its plan changed while it waited; it is a draft again`,
          })
        })
        this.parts.hub.emit('run', { change: row.number, steps: [] })
      }
    })
  }

  private async mustBe(
    id: string,
    states: readonly ChangeState[],
    done: string,
  ): Promise<ChangeRow> {
    const row = await this.find(id)
    if (!states.includes(row.state))
      throw new Refusal('conflict', `${id} is ${row.state}; it cannot be ${done} now.`)
    return row
  }

  private async confirmRun(row: ChangeRow, confirm: string | undefined): Promise<void> {
    const read = kindNamed(row.kind)?.read(row.intent)
    if (read?.ok) this.confirmGuard(read.draft.guardedBy(await this.parts.fleet.view()), confirm)
  }

  private confirmGuard(guardedBy: string | null, confirm: string | undefined): void {
    if (guardedBy !== null && confirm !== guardedBy) {
      throw new Refusal('forbidden', `${guardedBy} is guarded. Type its name to go on.`, [
        { path: 'confirm', says: `must be ${guardedBy}` },
      ])
    }
  }

  private journal(transaction: Transaction, line: Line): Promise<void> {
    return writeJournal(this.parts.hub, transaction, isoClock(this.parts.clock.now), [line])
  }

  private inLane<T>(work: () => Promise<T>): Promise<T> {
    const turn = this.lane.then(work)
    this.lane = turn.catch(() => undefined)
    return turn
  }
}

/** The first done step, outside the register, that a plan would have done otherwise; null if there is none. */
function doneDifferently<S extends { readonly id: string; readonly command: Step['command'] }>(
  done: readonly S[],
  plan: Plan,
): S | null {
  const next = new Map(plan.steps.map((step) => [step.id, step]))
  const replaced = new Set(plan.steps.flatMap((step) => step.replaces ?? []))
  return (
    done.find(
      (step) =>
        !replaced.has(step.id) &&
        step.command.port !== 'ledger' &&
        canonicalJson(next.get(step.id)?.command) !== canonicalJson(step.command),
    ) ?? null
  )
}

const siteIn = (intent: unknown): string | null => {
  const site =
    typeof intent === 'object' && intent !== null
      ? (intent as Record<string, unknown>)['site']
      : null
  return typeof site === 'string' ? site : null
}

/** Why a run cannot be taken back: a step that is done and final. */
function keepsBack(
  steps: readonly { readonly state: string; readonly final: boolean; readonly says: string }[],
): string | null {
  const done = steps.find(
    (step) => step.final && step.state !== 'waiting' && step.state !== 'skipped',
  )
  return done ? `“${done.says}” cannot be undone, so this run cannot be taken back.` : null
}
