/** Drills: faults to practise on, one drill at a time; hints cost, and what was done is worth something. */
import { Op } from 'sequelize'
import { drillScore } from '~/core/diagnosis'
import type { Changes } from '../changes/changes'
import { Refusal } from '../changes/errors'
import { endFault, type FaultParts, putFault } from '../faults'
import type { Database } from '../records/database'
import { ChangeRow, JournalRow } from '../records/models'
import { CaseRow } from './case-row'
import { type DrillCause, type DrillKind, drillKinds } from './drill-list'
import { DrillRow } from './drill-row'
import { said } from './says'

export interface DrillParts extends FaultParts {
  readonly changes: Pick<Changes, 'draft' | 'run'>
  readonly database: Database
}

export interface DrillTold {
  readonly name: string
  readonly title: string
  readonly story: string
  readonly goal: string
  readonly cluster: string
  readonly hints: number
  /** The best that was reached; null where it was never mended. */
  readonly best: number | null
}

export interface DrillState {
  readonly number: number
  readonly name: string
  readonly title: string
  readonly story: string
  readonly goal: string
  readonly state: DrillRow['state']
  readonly startedAt: string
  readonly endedAt: string | null
  /** Those that were asked for. */
  readonly hints: readonly string[]
  readonly hintsLeft: number
  readonly named: DrillRow['named']
  readonly score: number | null
  /** The case that it led to; null while none is open. */
  readonly case: string | null
}

const kindOf = (name: string): DrillKind => {
  const kind = drillKinds.find((each) => each.name === name)
  if (!kind) throw new Refusal('not-found', said('drill.none', { name }).says)
  return kind
}

export class Drills {
  constructor(private readonly parts: DrillParts) {}

  private get now(): string {
    return new Date(this.parts.outside.now).toISOString()
  }

  async list(): Promise<readonly DrillTold[]> {
    const rows = await DrillRow.findAll({ where: { state: 'mended' } })
    return drillKinds.map(({ name, title, story, goal, cluster, hints }) => {
      const scores = rows.filter((row) => row.name === name).map(({ score }) => score ?? 0)
      return {
        name,
        title,
        story,
        goal,
        cluster,
        hints: hints.length,
        best: scores.length === 0 ? null : Math.max(...scores),
      }
    })
  }

  private async active(): Promise<DrillRow | null> {
    return DrillRow.findOne({ where: { state: 'on' }, order: [['number', 'DESC']] })
  }

  /** The drill that is under way, or the last one; null where there was none. */
  async current(): Promise<DrillState | null> {
    const row = (await this.active()) ?? (await DrillRow.findOne({ order: [['number', 'DESC']] }))
    if (!row) return null
    if (row.state === 'on') await this.settle(row)
    return this.told(row)
  }

  /** Cases that came of a drill: those of its cluster that began with it, about what its faults are about. */
  private async casesOf(row: DrillRow): Promise<readonly CaseRow[]> {
    const { cluster, causes, faults } = kindOf(row.name)
    const names = faults.map(({ about }) => about.split('/').at(-1) ?? about)
    const rows = await CaseRow.findAll({
      where: {
        cluster,
        openedAt: { [Op.gte]: row.startedAt },
        cause: { [Op.in]: [...causes] },
      },
      order: [['number', 'ASC']],
    })
    return rows.filter(({ key, troubles }) =>
      row.run
        ? troubles[0]?.subject === `run/${row.run}`
        : names.some(
            (name) => key.includes(name) || troubles.some(({ subject }) => subject.includes(name)),
          ),
    )
  }

  private async told(row: DrillRow): Promise<DrillState> {
    const kind = kindOf(row.name)
    const [first] = await this.casesOf(row)
    return {
      number: row.number,
      name: row.name,
      title: kind.title,
      story: kind.story,
      goal: kind.goal,
      state: row.state,
      startedAt: row.startedAt,
      endedAt: row.endedAt,
      hints: kind.hints.slice(0, row.hints),
      hintsLeft: kind.hints.length - row.hints,
      named: row.named,
      score: row.score,
      case: first ? `m-${first.number}` : null,
    }
  }

  /** Mended is a drill whose cases are all closed; of one that nothing mends, naming its cause is enough. */
  private async settle(row: DrillRow): Promise<void> {
    const cases = await this.casesOf(row)
    const isNamed = this.rightCauses(row).length === this.toName(kindOf(row.name)).length
    const offers = cases.some(({ troubles }) =>
      troubles.some(({ remedies }) => remedies.length > 0),
    )
    const isMended =
      cases.length > 0 &&
      (cases.every(({ state }) => state === 'closed') || (isNamed && !offers && !row.run))
    if (!isMended) return
    await this.end(row, 'mended')
  }

  private rightCauses = (row: DrillRow): readonly string[] => [
    ...new Set(row.named.filter(({ isRight }) => isRight).map(({ cause }) => cause)),
  ]

  /** Codes that all have to be named: the two of a webhook are one cause, said of a node or of its cluster. */
  private toName(kind: DrillKind): readonly DrillCause[] {
    return kind.causes.includes('webhook-unreachable') ? kind.causes.slice(0, 1) : kind.causes
  }

  private async end(row: DrillRow, state: 'mended' | 'given-up'): Promise<void> {
    const { active } = await this.parts.outside.faults()
    for (const id of row.faults)
      if (active.some((fault) => fault.id === id)) await endFault(this.parts, id)
    const right = row.named.filter(({ isRight }) => isRight).at(-1)
    const all = this.rightCauses(row).length >= this.toName(kindOf(row.name)).length
    const score = drillScore({
      isMended: state === 'mended',
      minutesToCause:
        right && all ? (Date.parse(right.at) - Date.parse(row.startedAt)) / 60_000 : null,
      hints: row.hints,
      wrongCauses: row.named.filter(({ isRight }) => !isRight).length,
      probes: await this.probes(row),
      harm: await this.harm(row),
    })
    await this.parts.database.write((transaction) =>
      row.update({ state, endedAt: this.now, score }, { transaction }),
    )
    const { title } = kindOf(row.name)
    await this.parts.journalLine({
      kind: 'drill.ended',
      ...said('drill.ended', { title, state, score }),
    })
  }

  /** Looks that were asked for about its cluster meanwhile. */
  private probes(row: DrillRow): Promise<number> {
    return JournalRow.count({
      where: {
        kind: 'case.probed',
        about: `cluster/${kindOf(row.name).cluster}`,
        at: { [Op.gte]: row.startedAt, [Op.lte]: this.now },
      },
    })
  }

  /** Changes that were run in its cluster meanwhile and are of no kind that any of its cases offers. */
  private async harm(row: DrillRow): Promise<number> {
    const cases = await this.casesOf(row)
    const offered = new Set(
      cases.flatMap(({ troubles }) =>
        troubles.flatMap(({ remedies }) =>
          remedies.flatMap(({ change }) => ('kind' in change ? [change.kind] : [])),
        ),
      ),
    )
    const changes = await ChangeRow.findAll({
      where: { startedAt: { [Op.gte]: row.startedAt, [Op.lte]: this.now } },
      attributes: ['kind', 'intent', 'title'],
    })
    const { cluster } = kindOf(row.name)
    return changes.filter(
      ({ kind, intent, title }) =>
        title === null && !offered.has(kind) && JSON.stringify(intent).includes(`"${cluster}"`),
    ).length
  }

  async start(name: string): Promise<DrillState> {
    const kind = kindOf(name)
    const before = await this.active()
    if (before) {
      await this.settle(before)
      if (before.state === 'on')
        throw new Refusal(
          'conflict',
          said('drill.other', { title: kindOf(before.name).title }).says,
        )
    }
    const run = kind.run ? await this.begin(kind.run, kind.title) : null
    const faults: string[] = []
    for (const { fault, about } of kind.faults)
      faults.push(
        await putFault(this.parts, {
          fault,
          about,
          mode: 'permanent',
          times: 1,
          afterSeconds: run ? 0 : 5,
        }),
      )
    const row = await this.parts.database.write((transaction) =>
      DrillRow.create(
        {
          name,
          state: 'on',
          startedAt: this.now,
          endedAt: null,
          faults,
          run,
          hints: 0,
          named: [],
          score: null,
        },
        { transaction },
      ),
    )
    return this.told(row)
  }

  /** Somebody begins a change: nothing is wrong with it yet. */
  private async begin({ kind, intent }: NonNullable<DrillKind['run']>, title: string) {
    const { changes } = this.parts
    const { id, findings, guardedBy } = await changes.draft(kind, intent, title)
    await changes.run(id, {
      accept: findings.map(({ key }) => key),
      ...(guardedBy === null ? {} : { confirm: guardedBy }),
    })
    return id
  }

  private async under(): Promise<DrillRow> {
    const row = await this.active()
    if (row) await this.settle(row)
    if (row?.state !== 'on') throw new Refusal('conflict', said('drill.nothing-on').says)
    return row
  }

  async hint(): Promise<DrillState> {
    const row = await this.under()
    if (row.hints >= kindOf(row.name).hints.length)
      throw new Refusal('conflict', said('drill.no-hint').says)
    await this.parts.database.write((transaction) =>
      row.update({ hints: row.hints + 1 }, { transaction }),
    )
    const { title, hints } = kindOf(row.name)
    await this.parts.journalLine({
      kind: 'drill.hint',
      ...said('drill.hint', { title, hint: hints[row.hints - 1] ?? '' }),
    })
    return this.told(row)
  }

  /** Names a cause, right or wrong. */
  async name(cause: DrillCause): Promise<DrillState> {
    const row = await this.under()
    const isRight = kindOf(row.name).causes.includes(cause)
    await this.parts.database.write((transaction) =>
      row.update({ named: [...row.named, { cause, at: this.now, isRight }] }, { transaction }),
    )
    await this.settle(row)
    return this.told(row)
  }

  /** Those that have ended, the newest first. */
  async ended() {
    const rows = await DrillRow.findAll({
      where: { endedAt: { [Op.ne]: null } },
      order: [['number', 'DESC']],
      limit: 20,
    })
    return rows.map(({ number, name, startedAt, score }) => ({
      number,
      title: kindOf(name).title,
      startedAt,
      score: score ?? 0,
    }))
  }

  async giveUp(): Promise<DrillState> {
    const row = await this.under()
    await this.end(row, 'given-up')
    return this.told(row)
  }
}
