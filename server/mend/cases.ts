/**
 * Cases: opened by themselves for what is broken for longer than a moment, one for each cause; they follow their symptom,
 * name the next cause when the first has gone, and close when the symptom has, with what closed them.
 */
import { Op } from 'sequelize'
import type { Observe, SliceName } from '~/core/contract'
import { casesOf } from '~/core/diagnosis'
import type { FleetView } from '~/core/fleet'
import { Refusal } from '../changes/errors'
import type { Database } from '../records/database'
import { ChangeRow } from '../records/models'
import type { Judges } from '../judging/judges'
import type { KnownTrouble } from '../judging/troubles'
import { changeId } from '../runner/journal'
import { Looker, type LookerParts } from '../watchers/looker'
import type { Watcher } from '../watchers/watcher'
import { CaseRow } from './case-row'
import { healedIn, isStillNamed, kept, troubleKey } from './case-troubles'
import { eventObjects, logsOf } from './gathered'
import { said } from './says'

export interface CaseParts extends LookerParts {
  readonly observe: Pick<Observe, 'nodeLog' | 'podLog'>
  readonly judges: Judges
  readonly database: Database
}

/** So long after something stirred it is looked at (ms). */
const stirMs = 20_000
/** So long a symptom must last before a case is opened by itself (ms). */
const lastsMs = 60_000
const mostClosed = 200
/** A look of more than this is followed by a rest of so many times as long (wall ms). */
const longMs = 1500
const restFactor = 9

export const caseId = (number: number): string => `m-${number}`

export class Cases implements Watcher {
  private dueAt: number | null = null
  private readonly stale = new Set<string>()
  private isFirst = true
  /** A large fleet is not looked at without a pause, however fast its clock runs: wall time (ms). */
  private notBefore = 0
  /** What each cluster suffers from, as it was looked at last. */
  private readonly troubles = new Map<string, readonly KnownTrouble[]>()
  /** Since when symptoms have been seen that no case is open for yet (ms). */
  private readonly seenSince = new Map<string, number>()
  private readonly looker: Looker

  constructor(private readonly parts: CaseParts) {
    this.looker = new Looker(() => this.once(), parts.onError, 'gyrarch')
  }

  wakeAt(): number | null {
    return this.dueAt
  }

  look(): void {
    if (performance.now() < this.notBefore) this.lookSoon(true)
    else this.looker.look()
  }

  atRest(): Promise<void> {
    return this.looker.atRest()
  }

  /** The program has started: everything is looked at once. */
  registered(): void {
    if (this.isFirst) this.lookSoon()
  }

  stirred(slices: readonly SliceName[]): void {
    const clusters = slices.flatMap((slice) =>
      slice.startsWith('cluster:') ? [slice.slice('cluster:'.length)] : [],
    )
    for (const name of clusters) this.stale.add(name)
    // What is at a site may stop the way of any node there.
    if (slices.some((slice) => slice.startsWith('site:')))
      for (const name of this.troubles.keys()) this.stale.add(name)
    if (this.stale.size > 0) this.lookSoon()
  }

  /** Shortly; put off, no sooner than that. */
  private lookSoon(isPutOff = false): void {
    const due = this.parts.clock.now + stirMs
    this.dueAt = isPutOff ? due : Math.min(this.dueAt ?? Infinity, due)
  }

  /** What a cluster suffers from now. */
  async troublesOf(cluster: string): Promise<readonly KnownTrouble[]> {
    const { fleet, observe, judges } = this.parts
    const view = await fleet.viewFor([cluster], [`cluster/${cluster}`])
    const shown = view.clusters.find(({ name }) => name === cluster)
    if (!shown || shown.resting) return []
    const objects = (await fleet.objectsOf(cluster)) ?? []
    const events = eventObjects((await fleet.eventsOf(cluster)) ?? [])
    const logs = await logsOf(observe, shown, objects)
    return judges.troubles({ cluster, events, logs }, view)
  }

  private async once(): Promise<void> {
    const from = performance.now()
    await this.lookAtAll()
    const took = performance.now() - from
    if (took > longMs) this.notBefore = performance.now() + restFactor * took
  }

  private async lookAtAll(): Promise<void> {
    this.dueAt = null
    const view = await this.parts.fleet.view()
    const names = view.clusters.map(({ name }) => name)
    const isLooked = (name: string): boolean =>
      this.isFirst || this.stale.has(name) || (this.troubles.get(name) ?? []).length > 0
    const asked = names.filter(isLooked)
    this.isFirst = false
    this.stale.clear()
    for (const name of this.troubles.keys()) if (!names.includes(name)) this.troubles.delete(name)
    for (const name of asked) this.troubles.set(name, await this.troublesOf(name))
    await this.settle(view)
  }

  /** Whether a run is at work on a subject: what it does is no case. */
  private isWorkedOn(view: FleetView, { cluster, subject }: KnownTrouble): boolean {
    const [kind, ...rest] = subject.split('/')
    const refs = [`cluster/${cluster}`, `${kind ?? ''}/${cluster}/${rest.join('/')}`]
    return view.workedOn.some((ref) => refs.includes(ref) || ref.startsWith(`pool/${cluster}/`))
  }

  /** What a case has become whose cause is not the first any more: what its subjects suffer from now, if that is mostly theirs. */
  private turnedInto(
    row: CaseRow,
    byKey: ReadonlyMap<string, readonly KnownTrouble[]>,
    claimed: ReadonlySet<string>,
    open: readonly CaseRow[],
  ): string | undefined {
    const subjects = new Set(row.troubles.map(troubleKey))
    return [...byKey].find(([key, troubles]) => {
      if (claimed.has(key) || open.some((each) => each.key === key)) return false
      const shared = troubles.filter((trouble) => subjects.has(troubleKey(trouble))).length
      return 2 * shared >= Math.max(subjects.size, troubles.length)
    })?.[0]
  }

  /** Opens, follows and closes cases by what was seen. */
  private async settle(view: FleetView): Promise<void> {
    const now = Date.parse(view.now)
    const all = [...this.troubles.values()].flat()
    const byKey = casesOf(all)
    const open = await CaseRow.findAll({ where: { state: 'open' }, order: [['number', 'ASC']] })
    const claimed = new Set<string>()
    for (const row of open) {
      const key = byKey.has(row.key) ? row.key : this.turnedInto(row, byKey, claimed, open)
      const troubles = key === undefined ? undefined : byKey.get(key)
      if (key === undefined || !troubles) {
        if (!isStillNamed(row, all)) await this.close(row, view)
        continue
      }
      claimed.add(key)
      // What a run does meanwhile is no other cause.
      const isOurs = troubles.every((trouble) => this.isWorkedOn(view, trouble))
      if (!isOurs) await this.follow(row, key, troubles, view)
    }
    const fresh = [...byKey].filter(([key]) => !claimed.has(key))
    for (const key of this.seenSince.keys())
      if (!fresh.some(([candidate]) => candidate === key)) this.seenSince.delete(key)
    for (const [key, troubles] of fresh) {
      const since = this.seenSince.get(key) ?? now
      this.seenSince.set(key, since)
      const isOurs = troubles.every((trouble) => this.isWorkedOn(view, trouble))
      if (now - since >= lastsMs && !isOurs) {
        this.seenSince.delete(key)
        await this.open(key, troubles, view, 'gyrarch')
      } else this.dueAt = Math.min(this.dueAt ?? Infinity, now + lastsMs)
    }
  }

  private async open(
    key: string,
    given: readonly KnownTrouble[],
    view: FleetView,
    openedBy: string,
  ): Promise<CaseRow> {
    const troubles = kept(given)
    const [first] = troubles
    if (!first) throw new Error('a case is about something')
    const since = troubles.flatMap((trouble) => trouble.since ?? []).toSorted()[0] ?? view.now
    const row = await this.parts.database.write((transaction) =>
      CaseRow.create(
        {
          state: 'open',
          key,
          cluster: first.cluster,
          cause: first.diagnosis.causes[0]?.cause ?? null,
          about: first.diagnosis.causes[0]?.about ?? first.subject,
          openedAt: view.now,
          since,
          closedAt: null,
          closedBy: null,
          openedBy,
          who: '',
          troubles,
          notes: [],
        },
        { transaction },
      ),
    )
    await this.parts.journal({
      kind: 'case.opened',
      about: `cluster/${first.cluster}`,
      says: said('case.opened', {
        id: caseId(row.number),
        symptom: first.diagnosis.symptom,
      }).says,
    })
    return row
  }

  /** The same case as it is now; where its cause is another, that is noted. */
  private async follow(
    row: CaseRow,
    key: string,
    given: readonly KnownTrouble[],
    view: FleetView,
  ): Promise<void> {
    const troubles = kept(given)
    const [first] = troubles
    const cause = first?.diagnosis.causes[0]
    if (key === row.key && JSON.stringify(troubles) === JSON.stringify(row.troubles)) return
    const healed = healedIn(row.troubles, troubles)
    const turned =
      healed.length > 0 && cause
        ? [
            {
              at: view.now,
              by: 'gyrarch',
              says: said('case.turned', { healed, next: cause.says }).says,
            },
          ]
        : []
    await this.parts.database.write((transaction) =>
      row.update(
        {
          key,
          troubles,
          cause: cause?.cause ?? null,
          about: cause?.about ?? first?.subject ?? row.about,
          notes: [...row.notes, ...turned],
        },
        { transaction },
      ),
    )
  }

  /** The symptom has gone: what was changed about it last is what closed it. */
  private async close(row: CaseRow, view: FleetView): Promise<void> {
    const closedBy = await this.whatEnded(row, view)
    await this.parts.database.write((transaction) =>
      row.update({ state: 'closed', closedAt: view.now, closedBy }, { transaction }),
    )
    await this.parts.journal({
      kind: 'case.closed',
      about: `cluster/${row.cluster}`,
      says: said('case.closed', { id: caseId(row.number), by: closedBy }).says,
    })
  }

  private async whatEnded(row: CaseRow, view: FleetView): Promise<string> {
    const changes = await ChangeRow.findAll({
      where: { state: 'done', endedAt: { [Op.gte]: row.openedAt, [Op.lte]: view.now } },
      order: [['endedAt', 'DESC']],
      limit: 100,
    })
    const site = view.clusters.find(({ name }) => name === row.cluster)?.site ?? ''
    const offered = row.troubles.flatMap(({ remedies }) =>
      remedies.flatMap(({ change }) => ('kind' in change ? [change.kind] : [])),
    )
    const near = changes.filter(({ intent }) => {
      const told = JSON.stringify(intent)
      return told.includes(`"${row.cluster}"`) || told.includes(`"${site}"`)
    })
    const change = near.find(({ kind }) => offered.includes(kind)) ?? near[0]
    return change
      ? said('case.healed-by', { change: changeId(change.number), title: change.kind }).says
      : said('case.healed-itself').says
  }

  // What people do with cases.

  /** The open case of a node or a cluster (`node/cluster/name`, `cluster/name`); null where none is. */
  async openAbout(ref: string | null): Promise<string | null> {
    const [kind, cluster = '', name = ''] = (ref ?? '').split('/')
    if (kind !== 'node' && kind !== 'cluster') return null
    const rows = await CaseRow.findAll({ where: { state: 'open' }, order: [['number', 'ASC']] })
    const row = rows.find(({ troubles }) =>
      troubles.some(
        (trouble) =>
          trouble.cluster === cluster && (kind === 'cluster' || trouble.subject === `node/${name}`),
      ),
    )
    return row ? caseId(row.number) : null
  }

  openCount(): Promise<number> {
    return CaseRow.count({ where: { state: 'open' } })
  }

  /** Open ones first, the newest of each first. */
  async list(): Promise<readonly CaseRow[]> {
    const order: [string, string][] = [['number', 'DESC']]
    const open = await CaseRow.findAll({ where: { state: 'open' }, order })
    const closed = await CaseRow.findAll({ where: { state: 'closed' }, order, limit: mostClosed })
    return [...open, ...closed]
  }

  async read(id: string): Promise<CaseRow> {
    const number = Number(/^m-(\d{1,9})$/.exec(id)?.[1] ?? -1)
    const row = await CaseRow.findByPk(number)
    if (!row) throw new Refusal('not-found', said('case.none', { id }).says)
    return row
  }

  /** A case about something of a cluster, opened by hand: the one that is open already where there is one. */
  async openFor(cluster: string, subject: string, by: string): Promise<CaseRow> {
    const view = await this.parts.fleet.view()
    if (!view.clusters.some(({ name }) => name === cluster))
      throw new Refusal('invalid', said('case.unknown', { about: cluster }).says, [
        { path: 'cluster', says: said('case.unknown', { about: cluster }).says },
      ])
    const troubles = await this.troublesOf(cluster)
    this.troubles.set(cluster, troubles)
    const trouble = troubles.find((each) => each.subject === subject)
    const about = `${cluster}: ${subject}`
    if (!trouble)
      throw new Refusal('invalid', said('case.well', { about }).says, [
        { path: 'about', says: said('case.well', { about }).says },
      ])
    const existing = await CaseRow.findOne({ where: { state: 'open', key: trouble.key } })
    const same = [...this.troubles.values()].flat().filter(({ key }) => key === trouble.key)
    return existing ?? (await this.open(trouble.key, same, view, by))
  }

  /** Who is on it, and what they note. */
  async write(id: string, of: { who?: string; note?: string }, by: string): Promise<CaseRow> {
    const row = await this.read(id)
    const at = new Date(this.parts.clock.now).toISOString()
    const note = of.note === undefined ? [] : [{ at, by, says: of.note }]
    await this.parts.database.write((transaction) =>
      row.update(
        { notes: [...row.notes, ...note], ...(of.who === undefined ? {} : { who: of.who }) },
        { transaction },
      ),
    )
    return row
  }
}
