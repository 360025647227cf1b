/** Drafting, amending, starting and ending changes: the server’s side of the pipeline, common to pages and API. */
import { literal, Op, type Transaction } from 'sequelize'
import type { FleetView } from '~/core/fleet'
import { compositeOf, type Draft, kindNamed, kinds } from '~/core/kinds'
import { ChangeRow, type ChangeState, JournalRow } from '../records/models'
import { changeId, type Line, writeJournal } from '../runner/journal'
import { isoClock } from '../runner/active'
import { Refusal, refuseIssues } from './errors'
import { mustBeOwn, admit, confirmGuards, type RunRequest } from './admission'
import { amendHalted } from './amend-halted'
import type { Judged } from '../judging/judge'
import type { ChangesParts } from './parts'
import { type ChangeRecord, recordOf } from './record'
import { type ScheduleRequest, runDue, schedule, unschedule } from './schedule'
import { blankChange, siteIn } from './blank-change'
import { haltedInTheWay } from './clear-way'
import { startWaiting } from './queue'
import { start } from './start'
import { runUnattended } from './unattended'
import { setName } from '~/core/sets'
import { Sets } from './sets'
import { BackInTurn } from './back-in-turn'
import { chosenWith, laterRun, type LaterRun, laterRuns, whyNotBack } from './take-back'

export type { FailureRecord, StepRecord } from './rows'
export type { ChangeRecord } from './record'

export class Changes {
  private readonly parts: ChangesParts
  private readonly back: BackInTurn
  readonly sets: Sets
  /** What follows from the end of runs. */
  private following: Promise<void> = Promise.resolve()
  /** Starting is one at a time, so that two drafts that each fit cannot both count the same room as free. */
  private lane: Promise<unknown> = Promise.resolve()

  constructor(parts: ChangesParts) {
    this.parts = parts
    this.back = new BackInTurn(parts)
    this.sets = new Sets({ parts, back: this.back, inLane: (work) => this.inLane(work) })
    parts.runner.startWaiting = () => this.startWaiting()
    parts.runner.settled = (number) => {
      this.following = this.following
        .then(() => this.sets.memberSettled(number))
        .then(() => this.clearWays())
        .catch((error: unknown) => parts.onError(error))
    }
  }

  /** The fleet with everything that a draft must see. */
  viewFor(draft: Draft): Promise<FleetView> {
    return this.parts.fleet.viewFor(draft.objectsOf, draft.walksAt, draft.published)
  }

  /** Reads an intent by its kind, or refuses with the fields. */
  read(kindName: string, intent: unknown): Draft {
    const kind = kindNamed(kindName)
    if (!kind)
      throw new Refusal(
        'invalid',
        `There is no change kind ${kindName.slice(0, 80)}. Known: ${kinds.map((existingKind) => existingKind.name).join(', ')}.`,
        [{ path: 'kind', says: 'unknown kind' }],
      )
    const read = kind.read(this.parts.sealed(kindName, intent))
    if (!read.ok) throw refuseIssues(read.issues, ['intent'])
    return read.draft
  }

  async draft(
    kindName: string,
    intent: unknown,
    title: string | null = null,
    under: string | null = null,
    signal?: AbortSignal,
  ): Promise<ChangeRecord> {
    const draft = this.read(kindName, intent)
    const halted = under === null ? null : await this.find(under)
    const label = await this.parts.judges.label(kindName, draft)
    const row = await this.parts.database.write(async (transaction) => {
      const created = await ChangeRow.create(
        {
          ...blankChange(kindName, label, draft.intent),
          title,
          under: halted?.number ?? null,
        },
        { transaction },
      )
      await this.journal(transaction, {
        kind: 'change.drafted',
        change: created.number,
        params: { label, kind: kindName },
        says: `${label}: drafted`,
      })
      return created
    })
    return recordOf(this.parts, row, signal)
  }

  /** Several drafts as one, in the order given; they are in it from then on, and drafts no more. */
  async draftSet(ids: readonly string[]): Promise<ChangeRecord> {
    const rows = await Promise.all(
      [...new Set(ids)].map((id) => this.mustBe(id, ['draft'], 'put into a set')),
    )
    const set = await this.draft(setName, {
      drafts: rows.map(({ kind, intent }) => ({ kind, intent })),
    })
    for (const { number } of rows) await this.discard(changeId(number))
    return set
  }

  async find(id: string): Promise<ChangeRow> {
    const number = /^c-(\d{1,12})$/.exec(id)?.[1]
    const row = number === undefined ? null : await ChangeRow.findByPk(Number(number))
    if (!row) throw new Refusal('not-found', `There is no change ${id.slice(0, 40)}.`)
    return row
  }

  async get(id: string, signal?: AbortSignal): Promise<ChangeRecord> {
    return recordOf(this.parts, await this.find(id), signal)
  }

  /** Newest first. */
  async list(
    filter: {
      readonly states?: readonly ChangeState[] | undefined
      readonly limit?: number
      /** Without those that run in a set. */
      readonly ownOnly?: boolean
    } = {},
  ): Promise<readonly ChangeRow[]> {
    return ChangeRow.findAll({
      where: {
        ...(filter.states ? { state: { [Op.in]: [...filter.states] } } : {}),
        ...(filter.ownOnly ? { parent: null } : {}),
      },
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
    if (row.state === 'halted' && !row.members) {
      await amendHalted(this.parts, row, draft)
      return this.get(changeId(row.number))
    }
    if (row.state !== 'draft')
      throw new Refusal(
        'conflict',
        `${id} is ${row.state}; only drafts and halted runs of one change can be amended.`,
      )
    const label = await this.parts.judges.label(row.kind, draft)
    // In the lane of those that run: what runs is one version, whole.
    await this.inLane(() =>
      this.parts.database.write(async (transaction) => {
        const [changed] = await ChangeRow.update(
          {
            intent: draft.intent,
            label,
            site: siteIn(draft.intent),
            version: literal('version + 1'),
            returned: null,
            amendedAt: new Date(),
            ...(title === undefined ? {} : { title }),
          },
          {
            // Who names no version says the last word.
            where: { number: row.number, state: 'draft', ...(version === null ? {} : { version }) },
            transaction,
          },
        )
        if (changed === 0)
          throw new Refusal('conflict', `${id} was amended meanwhile. Read it again.`)
      }),
    )
    return this.get(id)
  }

  /** Whether a change of this id was drafted once and is not there any more. */
  async wasDiscarded(id: string): Promise<boolean> {
    const number = /^c-(\d{1,12})$/.exec(id)?.[1]
    return (
      number !== undefined &&
      (await ChangeRow.findByPk(Number(number))) === null &&
      (await JournalRow.count({ where: { kind: 'change.drafted', change: Number(number) } })) > 0
    )
  }

  /** In the lane of those that run: a draft is run or discarded, never half of both. */
  discard(id: string): Promise<void> {
    return this.inLane(async () => {
      const row = await this.find(id)
      mustBeOwn(row)
      if (row.state !== 'draft')
        throw new Refusal('conflict', `${id} is ${row.state}; only drafts can be discarded.`)
      await this.parts.database.write(async (transaction) => {
        await row.destroy({ transaction })
        await this.journal(transaction, {
          kind: 'change.discarded',
          change: row.number,
          params: { label: row.label, kind: row.kind },
          says: `${row.label}: draft ${id} discarded`,
        })
      })
    })
  }

  /** What runs is what was read: checks and plans again, and refuses if that differs. */
  async run(id: string, request: RunRequest): Promise<ChangeRecord> {
    const begun = await this.inLane(async () => {
      const row = await this.find(id)
      mustBeOwn(row)
      if (row.state !== 'draft') throw new Refusal('conflict', `${id} is ${row.state} already.`)
      const draft = this.read(row.kind, row.intent)
      const judged = await this.parts.judges.judge(row.kind, draft)
      const { view } = judged
      admit(id, draft, view, judged, request)
      await this.begin(row, view, judged, request.accept)
      return this.get(id)
    })
    if (begun.state !== 'waiting') return begun
    await this.clearWays()
    return this.get(id)
  }

  private async clearWays(): Promise<void> {
    for (const { number } of await haltedInTheWay()) await this.giveUp(changeId(number))
  }

  /**
   * Drafts and runs a change that a confirmed policy asks for: cautions are accepted, no name is typed.
   * Returns why it cannot run, or null; what cannot run is not kept.
   */
  runUnattended(kindName: string, intent: unknown, title: string): Promise<string | null> {
    return runUnattended(this, this.parts.judges, { kind: kindName, intent, title })
  }

  async retry(id: string, confirm?: RunRequest['confirm']): Promise<ChangeRecord> {
    const row = await this.mustBe(id, ['halted'], 'retried')
    await this.confirmRun(row, confirm)
    if (row.members) await this.sets.retry(row)
    else await this.parts.runner.retry(row.number)
    return this.get(id)
  }

  /**
   * Undoes what a run has done, one that has ended well among them. Later runs that stand on what it made go first, the
   * latest before the others, and only if they are named.
   */
  async takeBack(
    id: string,
    confirm?: RunRequest['confirm'],
    named: readonly string[] = [],
  ): Promise<ChangeRecord> {
    const row = await this.find(id)
    const why = await whyNotBack(row)
    if (why !== null) throw new Refusal('conflict', why)
    if (row.members) {
      await this.confirmRun(row, confirm)
      await this.sets.takeBack(row)
      return this.get(id)
    }
    const all = await chosenWith(row, named)
    for (const candidate of all) await this.confirmRun(candidate, confirm)
    await this.back.begin(all)
    return this.get(id)
  }

  /** Resolves when nothing that follows from the end of a run is being done. */
  async atRest(): Promise<void> {
    await this.following
    await this.back.atRest()
    await this.sets.atRest()
  }

  /** Whether and how a run can be taken back now. */
  async wayBack(
    id: string,
  ): Promise<{ readonly later: readonly LaterRun[]; readonly whyNot: string | null }> {
    const row = await this.find(id)
    const whyNot = await whyNotBack(row)
    return { later: whyNot === null ? (await laterRuns(row)).map(laterRun) : [], whyNot }
  }

  async giveUp(id: string): Promise<ChangeRecord> {
    const row = await this.mustBe(id, ['halted'], 'given up')
    if (row.members) await this.sets.giveUp(row)
    else await this.parts.runner.giveUp(row.number)
    return this.get(id)
  }

  /** Takes a waiting change out of the queue: it is a draft again. */
  async unqueue(id: string): Promise<ChangeRecord> {
    await this.inLane(() => this.leaveQueue(id))
    return this.get(id)
  }

  private async leaveQueue(id: string): Promise<void> {
    const row = await this.mustBe(id, ['waiting'], 'taken out of the queue')
    mustBeOwn(row)
    await this.parts.database.write((transaction) =>
      row.update({ state: 'draft', waitsFor: null }, { transaction }),
    )
  }

  private begin(
    row: ChangeRow,
    view: FleetView,
    judged: Judged,
    accepted: readonly string[],
  ): Promise<void> {
    return compositeOf(row.kind, row.intent)
      ? this.sets.begin(row, judged, accepted)
      : start(this.parts, row, view, judged, [...accepted])
  }

  /** Has a draft run by itself at a time, or when a window next opens. */
  schedule(id: string, request: ScheduleRequest): Promise<ChangeRecord> {
    return this.inLane(async () => {
      const row = await this.mustBe(id, ['draft'], 'scheduled')
      mustBeOwn(row)
      await schedule(this.parts, row, this.read(row.kind, row.intent), request)
      return this.get(id)
    })
  }

  /** Takes a change off the schedule: it is a draft again. */
  async unschedule(id: string): Promise<ChangeRecord> {
    await this.inLane(async () =>
      unschedule(this.parts, await this.mustBe(id, ['scheduled'], 'taken off the schedule')),
    )
    return this.get(id)
  }

  /** Starts what is due by now, or gives it back to its author; tells when the next is due (ms), or null. */
  runDue(): Promise<number | null> {
    return this.inLane(() =>
      runDue(
        this.parts,
        (row) => this.read(row.kind, row.intent),
        (row, view, judged) => this.begin(row, view, judged, row.accepted),
      ),
    )
  }

  /** What waited for a lock is checked anew; if its plan is another one now, it goes back to its author. */
  private startWaiting(): Promise<void> {
    return this.inLane(() => startWaiting(this.parts, (row) => this.read(row.kind, row.intent)))
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

  private async confirmRun(row: ChangeRow, confirm: RunRequest['confirm']): Promise<void> {
    const read = kindNamed(row.kind)?.read(row.intent)
    if (read?.ok) confirmGuards(read.draft.guards(await this.parts.fleet.view()), confirm)
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
