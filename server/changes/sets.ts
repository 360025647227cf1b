/**
 * Sets of changes at work. A set holds no locks and has no steps: its members are changes like any other, each begun
 * when its turn comes, and where the set stands follows from where they stand. So nothing of it is held in memory but
 * the time at which it next wants to look: killed and started again, it looks at its members and goes on.
 */
import { Op } from 'sequelize'
import { countText } from '~/core/units'
import { compositeOf } from '~/core/kinds'
import { memberSteps, type SetIntent } from '~/core/sets'
import type { Failure, Said } from '~/core/contract'
import type { Proof } from '~/core/changes'
import { ChangeRow, type ChangeState } from '../records/models'
import { isoClock } from '../runner/active'
import { changeId, writeJournal } from '../runner/journal'
import { Lanes } from '../runner/lanes'
import type { BackInTurn } from './back-in-turn'
import { Refusal } from './errors'
import type { Judged } from '../judging/judge'
import type { ChangesParts } from './parts'
import { said } from './says'
import { asIs, differs, draftOf, isAlike, whyFailed } from './set-members'
import { setOf, turnAt, unmet } from './set-turns'
import { blankChange } from './blank-change'
import { start } from './start'
import { chosenWith, whyNotBack } from './take-back'

const busy: readonly ChangeState[] = ['running', 'undoing', 'waiting', 'scheduled']

export interface SetsParts {
  readonly parts: ChangesParts
  readonly back: BackInTurn
  /** Starting is one at a time. */
  readonly inLane: <T>(work: () => Promise<T>) => Promise<T>
}

const failureOf = (why: Said): Failure => ({
  class: 'permanent',
  reason: 'set',
  ...why,
  chain: [],
})

export class Sets {
  private readonly lanes = new Lanes<number>()
  /** When each set next wants to look (ms). */
  private readonly due = new Map<number, number>()

  constructor(private readonly of: SetsParts) {}

  /** The earliest time at which a set wants to look (ms), or null. */
  wakeAt(): number | null {
    return this.due.size === 0 ? null : Math.min(...this.due.values())
  }

  woken(now: number): void {
    for (const [number, at] of this.due) if (at <= now) this.look(number)
  }

  atRest(): Promise<void> {
    return this.lanes.atRest()
  }

  /** Takes up every set that was under way when the program last ended. */
  async resume(): Promise<void> {
    const rows = await ChangeRow.findAll({
      where: { state: { [Op.in]: ['running', 'undoing', 'halted'] }, members: { [Op.ne]: null } },
      attributes: ['number'],
    })
    for (const { number } of rows) this.look(number)
  }

  /** A run has ended or halted: if it is a member, its set looks. */
  async memberSettled(number: number): Promise<void> {
    const row = await ChangeRow.findByPk(number, { attributes: ['parent'] })
    if (row?.parent) this.look(row.parent)
  }

  /** Begins a set that was judged and may run. */
  async begin(row: ChangeRow, judged: Judged, accepted: readonly string[]): Promise<void> {
    const { parts } = this.of
    const intent = setOf(row)
    await this.write(
      row,
      'run.started',
      `${row.label}: running, ${countText(intent.drafts.length, 'change')}`,
      {
        state: 'running',
        direction: 'on',
        members: intent.drafts.length,
        accepted: [...accepted],
        findings: [...judged.findings],
        plan: judged.plan,
        planDigest: judged.digest,
        subjects: [],
        waitsFor: null,
        startedAt: isoClock(parts.clock.now),
        endedAt: null,
        cause: null,
        proof: null,
      },
    )
    this.look(row.number)
  }

  /** Goes on after a halt: halted members are retried, and one whose plan had become another is taken as it is now. */
  async retry(row: ChangeRow): Promise<void> {
    const children = await this.membersOf(row)
    const stuck = children.filter(({ state }) => state === 'draft')
    await this.of.parts.database.write((transaction) =>
      ChangeRow.update(
        { returned: null },
        { where: { parent: row.number, state: 'draft' }, transaction },
      ),
    )
    await this.write(row, 'run.retried', `${row.label}: goes on`, {
      state: row.direction === 'back' ? 'undoing' : 'running',
      cause: null,
      accepted: [...row.accepted, ...stuck.map(({ position }) => asIs(position ?? 0))],
    })
    for (const child of children)
      if (child.state === 'halted') await this.of.parts.runner.retry(child.number)
    this.look(row.number)
  }

  /** Takes the members back, the last that began first. */
  async takeBack(row: ChangeRow): Promise<void> {
    await this.write(row, 'run.back', `${row.label}: being taken back`, {
      state: 'undoing',
      direction: 'back',
      cause: null,
    })
    this.look(row.number)
  }

  /** Ends it as it is; halted members are given up too. */
  async giveUp(row: ChangeRow): Promise<void> {
    await this.write(row, 'run.given-up', `${row.label}: given up`, {
      state: 'given-up',
      endedAt: isoClock(this.of.parts.clock.now),
    })
    for (const child of await this.membersOf(row))
      if (child.state === 'halted') await this.of.parts.runner.giveUp(child.number)
  }

  membersOf(row: Pick<ChangeRow, 'number'>): Promise<readonly ChangeRow[]> {
    return ChangeRow.findAll({ where: { parent: row.number }, order: [['position', 'ASC']] })
  }

  private look(number: number): void {
    this.due.delete(number)
    void this.lanes
      .enter(number, () => this.goOn(number), this.of.parts.onError)
      .catch(() => undefined)
  }

  private async goOn(number: number): Promise<void> {
    const row = await ChangeRow.findByPk(number)
    if (!row?.members) return
    if (row.direction === 'back') {
      if (row.state === 'undoing') await this.goBack(row)
      return
    }
    if (row.state !== 'running' && row.state !== 'halted') return
    const intent = setOf(row)
    const children = await this.membersOf(row)
    const failed = children.find(
      ({ state, returned }) => state === 'halted' || (state === 'draft' && returned),
    )
    const isBusy = children.some(({ state }) => busy.includes(state))
    if (failed && (intent.onFailure === 'halt' || !isBusy)) {
      const isOver = children.length >= intent.drafts.length || intent.onFailure === 'halt'
      if (isOver) {
        if (!isBusy) await this.halt(row, whyFailed(failed))
        return
      }
    }
    // A member that had failed has been seen to: the set goes on.
    if (row.state === 'halted' && !failed)
      await this.write(row, 'run.retried', `${row.label}: goes on`, {
        state: 'running',
        cause: null,
      })
    if (row.state !== 'running') return
    await this.beginNext(row, intent, children)
  }

  private async beginNext(
    row: ChangeRow,
    intent: SetIntent,
    children: readonly ChangeRow[],
  ): Promise<void> {
    const { parts } = this.of
    // One that was made but not begun when the program was killed comes first.
    const unbegun = children.find(({ state, returned }) => state === 'draft' && !returned)
    const position = unbegun?.position ?? children.length
    const running = children.filter(({ state }) => busy.includes(state)).length
    if (position >= intent.drafts.length) {
      if (running === 0) await this.finish(row, children)
      return
    }
    if (running >= intent.atOnce) return
    const wave = (at: number | null): number | null => intent.drafts[at ?? -1]?.wave ?? null
    const own = wave(position)
    // A wave ends before the next begins.
    if (
      own !== null &&
      children.some(({ state, position: at }) => busy.includes(state) && (wave(at) ?? own) < own)
    )
      return
    const wait = await turnAt(parts, row, intent, children, position)
    if (wait !== null) {
      this.due.set(row.number, wait)
      return
    }
    const broken = await unmet(parts, intent, children)
    if (broken) {
      await this.halt(row, broken)
      return
    }
    const child = unbegun ?? (await this.make(row, intent, position))
    const objection = await this.of.inLane(() => this.start(row, child))
    if (objection) {
      const at = isoClock(parts.clock.now)
      await parts.database.write((transaction) =>
        child.update({ returned: { ...objection, at } }, { transaction }),
      )
    }
    this.look(row.number)
  }

  private make(row: ChangeRow, intent: SetIntent, position: number): Promise<ChangeRow> {
    const { parts } = this.of
    const member = intent.drafts[position]
    const label = draftOf(member?.kind ?? '', member?.intent)?.label ?? member?.kind ?? ''
    return parts.database.write((transaction) =>
      ChangeRow.create(
        { ...blankChange(member?.kind ?? '', label, member?.intent), parent: row.number, position },
        { transaction },
      ),
    )
  }

  /** Judges a member by the fleet as it is now and starts it; tells why it does not. */
  private async start(row: ChangeRow, child: ChangeRow): Promise<Said | null> {
    const { parts } = this.of
    const position = child.position ?? 0
    const draft = draftOf(child.kind, child.intent)
    if (!draft) return said('set.unreadable', { kind: child.kind })
    const judged = await parts.judges.judge(child.kind, draft)
    const { view } = judged
    const stop = judged.findings.find(({ level }) => level === 'stop')
    if (stop || !judged.plan) return said('returned.stopped', { stop: stop?.says ?? '' })
    const isTaken = row.accepted.includes(asIs(position))
    const keyOf = compositeOf(row.kind, row.intent)?.keyOf ?? (() => '')
    const fresh = judged.findings.filter(
      (finding) => finding.level === 'caution' && !row.accepted.includes(keyOf(position, finding)),
    )
    if (fresh.length > 0 && !isTaken)
      return said('returned.cautions', { cautions: fresh.map(({ says }) => says) })
    const read = row.plan ? memberSteps(row.plan, position) : []
    if (!isTaken && !isAlike(read, judged.plan.steps, position))
      return differs(read, judged.plan.steps, position)
    await start(
      parts,
      child,
      view,
      judged,
      judged.findings.map(({ key }) => key),
    )
    return null
  }

  private async finish(row: ChangeRow, children: readonly ChangeRow[]): Promise<void> {
    const proof = children.map(({ number, label, state, proof: own }): Proof => ({
      says: `${changeId(number)}: ${label}`,
      holds: state === 'done',
      observed:
        state === 'done'
          ? countText((own ?? []).length, 'proof holds', 'proofs hold')
          : state.replace('-', ' '),
    }))
    const isWhole = children.every(({ state }) => state === 'done')
    await this.write(
      row,
      isWhole ? 'run.done' : 'run.given-up',
      `${row.label}: ${isWhole ? 'done' : 'ended without some of its changes'}`,
      {
        state: isWhole ? 'done' : 'given-up',
        endedAt: isoClock(this.of.parts.clock.now),
        proof,
        cause: null,
      },
    )
  }

  private async halt(row: ChangeRow, why: Said): Promise<void> {
    if (row.state === 'halted') return
    await this.write(row, 'run.halted', `${row.label} halted: ${why.says}`, {
      state: 'halted',
      cause: failureOf(why),
    })
  }

  private async goBack(row: ChangeRow): Promise<void> {
    const children = [...(await this.membersOf(row))].reverse()
    for (const child of children) {
      if (child.state === 'taken-back' || child.state === 'draft') continue
      if (child.state === 'undoing') return
      if (child.state === 'waiting') {
        await this.of.parts.database.write((transaction) =>
          child.update({ state: 'draft', waitsFor: null }, { transaction }),
        )
        continue
      }
      if (child.state === 'halted' && child.direction === 'back') {
        await this.halt(row, whyFailed(child))
        return
      }
      const why = await this.sendBack(child)
      if (why === 'nothing') continue
      if (why) await this.halt(row, said('set.not-back', { change: changeId(child.number), why }))
      return
    }
    await this.write(row, 'run.taken-back', `${row.label}: taken back`, {
      state: 'taken-back',
      endedAt: isoClock(this.of.parts.clock.now),
      cause: null,
    })
  }

  /** Begins to take a member back; `nothing` where it did nothing that could be, else why it cannot be, or null. */
  private async sendBack(child: ChangeRow): Promise<string | null> {
    const why = await whyNotBack(child)
    if (why !== null) return child.state === 'given-up' ? 'nothing' : why
    try {
      await chosenWith(child, [])
      await this.of.back.begin([child])
      return null
    } catch (error) {
      if (error instanceof Refusal) return error.message
      throw error
    }
  }

  private async write(
    row: ChangeRow,
    kind: string,
    says: string,
    values: Partial<ChangeRow>,
  ): Promise<void> {
    const { database, hub, clock } = this.of.parts
    await database.write(async (transaction) => {
      await row.update(values, { transaction })
      await writeJournal(hub, transaction, isoClock(clock.now), [
        { kind, change: row.number, says, params: { label: row.label } },
      ])
    })
    hub.emit('run', { change: row.number, steps: [] })
  }
}
