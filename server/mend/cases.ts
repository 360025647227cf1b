/**
 * Cases: opened by themselves for what is broken for longer than a moment, one for each cause; they follow their symptom,
 * name the next cause when the first has gone, and close when the symptom has, with what closed them.
 */
import type { Observe, SliceName } from '~/core/contract'
import { casesOf, dueAfterStart, type Log, mendOf } from '~/core/diagnosis'
import { type FleetView, nodesOf } from '~/core/fleet'
import type { DiagnosedNode } from '~/core/keeping'
import { record } from '~/core/objects'
import { Refusal } from '../changes/errors'
import type { Database } from '../records/database'
import type { Hub } from '../live/hub'
import type { Judges } from '../judging/judges'
import type { KnownTrouble } from '../judging/troubles'
import { Looker, type LookerParts } from '../watchers/looker'
import type { Watcher } from '../watchers/watcher'
import { CaseRow } from './case-row'
import { caseId, CaseRecords } from './case-records'
import { isAboutRef, isStillNamed, recoveringOf, stillIn, troubleKey } from './case-troubles'
import { FindingTroubles, isFinding } from './finding-troubles'
import { eventObjects, logsOf } from './gathered'
import { probed, readLog } from './probing'
import { isRun, RunTroubles } from './run-troubles'
import { said } from './says'
import { slowSites } from './slow-sites'

export interface CaseParts extends LookerParts {
  readonly hub: Hub
  readonly observe: Pick<Observe, 'nodeLog' | 'podLog' | 'probe'>
  readonly judges: Judges
  readonly database: Database
}

/** So long after something stirred it is looked at (ms). */
const stirMs = 20_000
/** So long a symptom must last before a case is opened by itself (ms). */
const lastsMs = 60_000
/** Drafts whose findings have a case are looked at this often (ms). */
const draftsMs = 300_000
const mostClosed = 200
/** From so many nodes on a fleet is large. */
const largeFrom = 1000
/** A look of more than this is followed by a rest of so many times as long (wall ms). */
const longMs = 1500
const restFactor = 9

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
  /** What the fleet itself suffers from: runs that halted, walks that do not end as expected, findings with a case. */
  private ofFleet: readonly KnownTrouble[] = []
  private isFleetStale = true
  /** When clusters are looked at again though nothing stirs: pods that are not well have had their time then (ms). */
  private readonly dueAgain = new Map<string, number>()
  /** What somebody looked at for a case, by cluster: it is read at every look from then on. */
  private readonly alsoRead = new Map<string, ReadonlySet<string>>()
  private readonly looker: Looker
  private readonly records: CaseRecords
  private readonly runs: RunTroubles
  private readonly findings: FindingTroubles

  constructor(private readonly parts: CaseParts) {
    this.looker = new Looker(() => this.once(), parts.onError, 'gyrarch')
    this.records = new CaseRecords(parts)
    this.runs = new RunTroubles(parts.changes)
    this.findings = new FindingTroubles(parts.changes)
    parts.hub.on('journal', ({ kind }) => {
      if (kind.startsWith('run.') || kind === 'expectation.changed') this.fleetStirred()
    })
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
    if (this.stale.size > 0) this.fleetStirred()
  }

  private fleetStirred(): void {
    this.isFleetStale = true
    this.lookSoon()
  }

  /** Shortly; put off, no sooner than that. */
  private lookSoon(isPutOff = false): void {
    const due = this.parts.clock.now + stirMs
    this.dueAt = isPutOff ? due : Math.min(this.dueAt ?? Infinity, due)
  }

  /** What a cluster suffers from now. */
  async troublesOf(cluster: string, more: readonly Log[] = []): Promise<readonly KnownTrouble[]> {
    const { fleet, observe, judges } = this.parts
    const view = await fleet.viewFor([cluster], [`cluster/${cluster}`])
    const shown = view.clusters.find(({ name }) => name === cluster)
    if (!shown || shown.resting) return []
    const objects = (await fleet.objectsOf(cluster)) ?? []
    const { now } = this.parts.clock
    const due = dueAfterStart(objects.map(record), now)
    if (due !== null) this.dueAgain.set(cluster, due)
    const events = eventObjects((await fleet.eventsOf(cluster)) ?? [])
    const logs = [...(await logsOf(observe, shown, objects)), ...more]
    for (const ref of this.alsoRead.get(cluster) ?? [])
      if (!logs.some(({ from }) => from === ref))
        logs.push(...(await readLog(observe, cluster, ref)))
    const traffic = (await fleet.trafficOf(cluster)) ?? []
    return judges.troubles({ cluster, events, logs, traffic }, view)
  }

  private async once(): Promise<void> {
    const from = performance.now()
    await this.lookAtAll()
    const took = performance.now() - from
    const { clusters } = await this.parts.fleet.view()
    const nodes = clusters.reduce((sum, cluster) => sum + nodesOf(cluster).length, 0)
    if (nodes > largeFrom && took > longMs) this.notBefore = performance.now() + restFactor * took
  }

  private async lookAtAll(): Promise<void> {
    this.dueAt = null
    for (const [name, at] of this.dueAgain) {
      if (at > this.parts.clock.now) continue
      this.dueAgain.delete(name)
      this.stale.add(name)
    }
    const view = await this.parts.fleet.view()
    const names = view.clusters.map(({ name }) => name)
    const isLooked = (name: string): boolean =>
      this.isFirst || this.stale.has(name) || (this.troubles.get(name) ?? []).length > 0
    const asked = names.filter(isLooked)
    this.isFirst = false
    this.stale.clear()
    for (const name of this.troubles.keys()) if (!names.includes(name)) this.troubles.delete(name)
    for (const name of asked) this.troubles.set(name, await this.troublesOf(name))
    if (this.isFleetStale || this.ofFleet.length > 0) await this.lookAtFleet()
    await this.settle(view)
    for (const at of this.dueAgain.values()) this.dueAt = Math.min(this.dueAt ?? Infinity, at)
  }

  private async lookAtFleet(): Promise<void> {
    this.isFleetStale = false
    const open = await this.records.open()
    const { fleet, judges } = this.parts
    const expected = await judges.brokenExpectations(await fleet.withExpected(await fleet.view()))
    this.ofFleet = [
      ...(await this.runs.now(open)),
      ...expected,
      ...(await this.findings.now(open)),
      ...(await slowSites(this.parts.clock.now)),
    ]
    // Nobody tells of drafts that are changed.
    if (this.ofFleet.some(({ subject }) => isFinding(subject)))
      this.dueAt = Math.min(this.dueAt ?? Infinity, this.parts.clock.now + draftsMs)
  }

  private get all(): readonly KnownTrouble[] {
    return [...[...this.troubles.values()].flat(), ...this.ofFleet]
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
    const { all } = this
    const byKey = casesOf(all)
    const open = await this.records.open()
    const claimed = new Set<string>()
    for (const row of open) {
      const recovering = byKey.has(row.key) ? [] : recoveringOf(row, all)
      if (recovering.length > 0) {
        for (const { key } of recovering) claimed.add(key)
        await this.records.followed(row, row.key, stillIn(row, recovering), view)
        continue
      }
      const key = byKey.has(row.key) ? row.key : this.turnedInto(row, byKey, claimed, open)
      const troubles = key === undefined ? undefined : byKey.get(key)
      if (key === undefined || !troubles) {
        if (!isStillNamed(row, all)) await this.records.closed(row, view)
        continue
      }
      claimed.add(key)
      // What a run does meanwhile is no other cause.
      const isOurs = troubles.every((trouble) => this.isWorkedOn(view, trouble))
      if (!isOurs) await this.records.followed(row, key, troubles, view)
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
        await this.records.opened(key, troubles, view, 'gyrarch')
      } else this.dueAt = Math.min(this.dueAt ?? Infinity, now + lastsMs)
    }
  }

  // What people do with cases.

  /** The open case about something: `cluster/name`, `node/cluster/name`, `deployment/cluster/namespace/name`, `run/c-12`, `expectation/name`. */
  async openAbout(ref: string | null): Promise<string | null> {
    if (ref === null || !ref.includes('/')) return null
    const rows = await this.records.open()
    const row = rows.find(({ troubles }) => troubles.some((trouble) => isAboutRef(trouble, ref)))
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

  /** Nodes that an open case is about, with the cause that explains most. */
  async nodes(): Promise<readonly DiagnosedNode[]> {
    const rows = await CaseRow.findAll({ where: { state: 'open' } })
    return rows.flatMap(({ number, troubles }) =>
      troubles.flatMap(({ cluster, subject, diagnosis }): readonly DiagnosedNode[] => {
        const [kind, node = ''] = subject.split('/')
        const [cause] = diagnosis.causes
        if (kind !== 'node' || !cause) return []
        return [{ cluster, node, case: caseId(number), cause: cause.says, mend: mendOf(cause) }]
      }),
    )
  }

  async read(id: string): Promise<CaseRow> {
    const number = Number(/^m-(\d{1,9})$/.exec(id)?.[1] ?? -1)
    const row = await CaseRow.findByPk(number)
    if (!row) throw new Refusal('not-found', said('case.none', { id }).says)
    return row
  }

  /** A case about something, opened by hand: the one that is open already where there is one. */
  async openFor(cluster: string, subject: string, by: string): Promise<CaseRow> {
    const view = await this.parts.fleet.view()
    const trouble = await this.troubleNow(view, cluster, subject)
    const about = cluster === '' ? subject : `${cluster}: ${subject}`
    if (!trouble)
      throw new Refusal('invalid', said('case.well', { about }).says, [
        { path: 'about', says: said('case.well', { about }).says },
      ])
    const existing = await CaseRow.findOne({ where: { state: 'open', key: trouble.key } })
    const same = this.all.filter(({ key }) => key === trouble.key)
    return existing ?? (await this.records.opened(trouble.key, same, view, by))
  }

  /** What is wrong with a subject now; of the fleet itself, or of something in a cluster. */
  private async troubleNow(
    view: FleetView,
    cluster: string,
    subject: string,
  ): Promise<KnownTrouble | undefined> {
    if (isFinding(subject)) {
      const stands = await this.findings.of(subject)
      this.lookSoon()
      if (stands)
        this.ofFleet = [...this.ofFleet.filter((each) => each.subject !== subject), stands]
      return stands ?? undefined
    }
    if (isRun(subject) || subject.startsWith('expectation/')) {
      await this.lookAtFleet()
      return this.ofFleet.find((each) => each.subject === subject)
    }
    if (!view.clusters.some(({ name }) => name === cluster))
      throw new Refusal('invalid', said('case.unknown', { about: cluster }).says, [
        { path: 'cluster', says: said('case.unknown', { about: cluster }).says },
      ])
    const troubles = await this.troublesOf(cluster)
    this.troubles.set(cluster, troubles)
    return troubles.find((each) => each.subject === subject)
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

  /** Looks at what would tell the causes of a case apart, and at everything anew with what was read. */
  async probe(id: string, by: string): Promise<CaseRow> {
    const row = await this.read(id)
    const [first] = row.troubles
    const next = first?.diagnosis.next ?? null
    if (row.state !== 'open' || !first || !next)
      throw new Refusal('conflict', said('probe.none', { id }).says)
    const { fleet, observe } = this.parts
    const objects = (await fleet.objectsOf(row.cluster)) ?? []
    const { refs, logs } = await probed(observe, row.cluster, next.probe, next.about, objects)
    this.alsoRead.set(row.cluster, new Set([...(this.alsoRead.get(row.cluster) ?? []), ...refs]))
    const troubles = await this.troublesOf(row.cluster, logs)
    this.troubles.set(row.cluster, troubles)
    const now = troubles.find((trouble) => troubleKey(trouble) === troubleKey(first))
    const { says, params } = said('probe.read', {
      probe: next.says,
      lines: logs.reduce((sum, { lines }) => sum + lines.length, 0),
      cause: now?.diagnosis.causes[0]?.says ?? null,
      share: now?.diagnosis.causes[0]?.share ?? 0,
    })
    await this.parts.journal({ kind: 'case.probed', about: `cluster/${row.cluster}`, says, params })
    await this.settle(await fleet.view())
    return this.write(id, { note: says }, by)
  }
}
