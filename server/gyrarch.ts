/** The whole application without its faces: records, outside, fleet, runner, changes. Pages and API stand on this. */
import type { Params } from '~/core/contract'
import { type AccessAsked, type AccessFile, giveAccess } from './access/access-file'
import { openClusterServers } from './cluster-api/open'
import type { ClusterServers } from './cluster-api/servers'
import { Changes } from './changes/changes'
import { Refusal } from './changes/errors'
import { Compute } from './compute/compute'
import { isLeft, loadDemo, loadDemoCredentials, loaded } from './demo/load'
import { Fleet } from './fleet/fleet'
import type { FleetPictures } from './fleet/pictures'
import type { History } from './history/history'
import { openPast, type Past } from './history/open-past'
import { ObservedTimes } from './estimates/observed-times'
import { Boot } from './boot/boot'
import { Templates } from './templates/templates'
import { Joins } from './joins/joins'
import { Credentials } from './keys/credentials'
import type { Registries } from './registries/registries'
import { Desk } from './shipments/desk'
import type { Shipments } from './shipments/shipments'
import { openStorehouse } from './shipments/storehouse'
import { Catalogue } from './releases/catalogue'
import { Judges } from './judging/judges'
import { Keys } from './keys/keys'
import { Vault } from './keys/vault'
import { Health } from './watchers/health'
import { Layers } from './layers/layers'
import { Expectations } from './wire/expectations'
import { Hub, type JournalEntry } from './live/hub'
import { type EngineLink, inThisThread } from './connectors/standin/engine-link'
import { modelsIn } from './connectors/standin/rehearsal-model'
import { Register } from './connectors/ledger/register'
import { Outside } from './connectors/standin/outside'
import { Reach } from './connectors/open-api/reach'
import { Partner } from './partner/partner'
import { ConnectorRegistry } from './ports/registry'
import { allWatchers } from './watchers/all'
import { earliest, type Watchers } from './watchers/watcher'
import type { Observe } from '~/core/contract'
import { demoScenario } from './connectors/standin/demo'
import { type Database, openDatabase } from './records/database'
import { recordMigrations } from './records/migrations'
import { newestClock } from './runner/newest-clock'
import { defineAll } from './records/all'
import { type Folder, openFolder } from './records/folder'
import { startRefusal } from './records/start-refusal'
import { type JournalFilter, type Line, readJournal, writeJournal } from './runner/journal'
import { isoClock } from './runner/active'
import { endFault, type FaultRequest, putFault } from './faults'
import { Stalls } from './stalls'
import { Rehearsals } from './rehearsal/rehearsals'
import type { Cases } from './mend/cases'
import type { Outgoing } from './mend/outgoing/outgoing'
import type { GyrarchOptions } from './options'
import type { Drills } from './mend/drills'
import { openMend } from './mend/open-mend'
import { Runner } from './runner/runner'
import { clusterOf, type ClusterView } from '~/core/fleet'
import { JumpIndex } from './fleet/jump-index'
import { treesOf } from './fleet/trees'

export const version = '0.1.0'

/** What is opened before it. */
interface Parts {
  hub: Hub
  database: Database
  outside: Outside
  fleet: Fleet
  runner: Runner
  changes: Changes
  judges: Judges
  compute: Compute
  dir: string
  vault: Vault
  reach: Reach
  partner: Partner
  post: GyrarchOptions['post']
  observe: Observe
  times: ObservedTimes
  past: Past | null
  rehearsalEngine: () => EngineLink
  onError: (error: unknown) => void
  folder: Folder
}

export class Gyrarch {
  readonly hub: Hub
  readonly database: Database
  /** The simulated outside: its clock and its faults. What is observed goes through `observe`. */
  readonly outside: Outside
  readonly observe: Observe
  readonly fleet: Fleet
  readonly runner: Runner
  readonly changes: Changes
  readonly compute: Compute
  readonly judges: Judges
  readonly catalogue: Catalogue
  readonly registries: Registries
  readonly shipments: Shipments
  readonly keys: Keys
  readonly vault: Vault
  readonly joins: Joins
  readonly boot: Boot
  readonly templates: Templates
  readonly layers: Layers
  readonly expectations: Expectations
  readonly credentials: Credentials
  readonly health: Health
  readonly jump: JumpIndex
  /** Told of errors that are the program’s own. */
  readonly onError: (error: unknown) => void
  readonly watchers: Watchers
  readonly rehearsals: Rehearsals
  readonly cases: Cases
  /** The clusters’ own API, as clients of theirs reach it. */
  readonly clusterServers: ClusterServers
  /** Clusters that were enrolled. */
  readonly reach: Reach
  /** Who has a cluster that is in no fleet yet. */
  readonly partner: Partner
  readonly drills: Drills
  readonly outgoing: Outgoing
  /** How long steps took, and how well that was foreseen. */
  readonly times: ObservedTimes
  /** How long the event loop was held. */
  readonly stalls = new Stalls()
  /** Null where nothing is kept. */
  readonly history: History | null

  /** The fleet as a tree; made once for each picture of the fleet. */
  readonly tree = treesOf()

  private readonly folder: Folder

  private constructor(parts: Parts) {
    this.folder = parts.folder
    this.hub = parts.hub
    this.database = parts.database
    this.onError = parts.onError
    this.jump = new JumpIndex((cluster) => parts.fleet.objectsOf(cluster))
    this.outside = parts.outside
    this.observe = parts.observe
    this.times = parts.times
    this.fleet = parts.fleet
    this.runner = parts.runner
    this.changes = parts.changes
    this.compute = parts.compute
    this.judges = parts.judges
    this.catalogue = new Catalogue(parts.database)
    const store = openStorehouse({
      ...parts,
      catalogue: this.catalogue,
      token: (purpose) => parts.vault.token(purpose),
    })
    this.registries = store.registries
    this.shipments = store.shipments
    this.vault = parts.vault
    this.reach = parts.reach
    this.partner = parts.partner
    this.clusterServers = openClusterServers(parts)
    const changed = (kind: string) => (says: string, params: Params) => {
      parts.fleet.touchRegister()
      return this.journalLine({ kind, says, params })
    }
    const { database, changes, fleet, vault } = parts
    this.credentials = new Credentials(
      database,
      vault,
      parts.outside,
      changed('credential.changed'),
    )
    const watching = {
      ...parts,
      clock: parts.outside.clock,
      journal: (line: Line) => this.journalLine(line),
    }
    this.health = new Health(watching, () => this.cases.nodes())
    this.history = parts.past?.history ?? null
    const mend = openMend(watching)
    ;({ cases: this.cases, drills: this.drills, outgoing: this.outgoing } = mend)
    this.watchers = allWatchers(this.health, this.cases, watching, parts.past?.observer ?? null)
    this.joins = new Joins({
      ...parts,
      clock: parts.outside.clock,
      wall: () => Date.now(),
      journal: (line) => this.journalLine(line),
    })
    this.boot = new Boot({
      changes: parts.changes,
      fleet: parts.fleet,
      vault: parts.vault,
      now: () => parts.outside.now,
    })
    this.rehearsals = new Rehearsals({ ...parts, open: modelsIn(parts.rehearsalEngine) })
    const said = (kind: string) => (says: string, params: Params) =>
      this.journalLine({ kind, says, params })
    this.templates = new Templates(database, changes, fleet, said('template.changed'))
    this.layers = new Layers(parts.database, parts.judges, said('layers.changed'))
    this.expectations = new Expectations(database, said('expectation.changed'), () =>
      fleet.touchRegister(),
    )
    this.keys = new Keys(database, changed('key.changed'))
  }

  /** Opens the data of a folder. Rejects with a `StartRefusal` where a person can do something about it. */
  static async open(options: GyrarchOptions): Promise<Gyrarch> {
    const folder = await openFolder(options.dir, options.fresh)
    try {
      return await Gyrarch.openIn(folder, options)
    } catch (error) {
      await folder.close()
      throw startRefusal(error, options.dir)
    }
  }

  private static async openIn(folder: Folder, options: GyrarchOptions): Promise<Gyrarch> {
    const { dir, nodes = 0, onError = () => undefined } = options
    const hub = new Hub(Date.now())
    const database = await openDatabase(folder.records, recordMigrations, defineAll)
    await loadDemo(database, nodes)
    folder.mustHoldWorld(await isLeft('world'))
    const outside = await Outside.open({
      dir,
      link: options.link,
      scenario: demoScenario(),
      nodes,
      notBefore: await newestClock(),
      mayBegin: await isLeft('world'),
      ...(options.seed === undefined ? {} : { seed: options.seed }),
    })
    await loaded(database, 'world')
    await database.checkpoint()
    const registered = (): void => {
      fleet.touchRegister()
      watchers.registered()
    }
    const register = new Register(database, outside.clock, registered)
    const desk = new Desk(outside.clock)
    const vault = new Vault(dir, options.keyFile)
    const reach = new Reach({ ...options, database, vault, onError })
    const connectors = new ConnectorRegistry(register, desk, outside, reach.connector)
    reach.tell(connectors, registered)
    const observe = connectors.observe()
    const fleet = new Fleet(observe, outside.clock)
    const times = await ObservedTimes.open(database)
    fleet.timings = () => times.timings
    const judges = new Judges(fleet, options.judgeWorker)
    const { clock } = outside
    const runner = new Runner({ database, connectors, clock, fleet, judges, hub, times, onError })
    const changes = new Changes({
      database,
      fleet,
      judges,
      runner,
      hub,
      clock,
      sealed: (kind, intent) => reach.sealed(kind, intent),
      scheduleChanged: () => watchers.registered(),
      onError,
    })
    const gyrarch = new Gyrarch({
      hub,
      database,
      outside,
      observe,
      times,
      fleet,
      runner,
      changes,
      judges,
      dir,
      compute: new Compute(options.computeProcess, onError),
      vault,
      reach,
      partner: new Partner({ ...options, clock, onError }),
      folder,
      post: options.post,
      past: await openPast(options, { fleet, outside, database }),
      rehearsalEngine: options.rehearsalEngine ?? inThisThread,
      onError,
    })
    const { watchers } = gyrarch
    gyrarch.keepClock()
    if (await isLeft('credentials')) {
      await loadDemoCredentials(database, gyrarch.vault, outside)
      // The register may have been read while they were being entered.
      fleet.touchRegister()
    }
    await gyrarch.credentials.markUnopened()
    await gyrarch.resume(desk, options.clockRuns ?? true)
    return gyrarch
  }

  /** What was under way when it last ended goes on. */
  private async resume(desk: Desk, clockRuns: boolean): Promise<void> {
    desk.open(this.shipments)
    await this.reach.start()
    this.partner.start()
    await this.runner.resume()
    void this.shipments.intake.resume().catch(this.onError)
    await this.changes.sets.resume()
    this.watchers.registered()
    this.outgoing.start()
    if (clockRuns) this.outside.start()
  }

  /** The clock minds what is under way, and tells when time has passed. */
  private keepClock(): void {
    const { runner, fleet, hub, watchers, outside, changes, onError } = this
    runner.changed = (slices) => {
      fleet.touch(slices)
      hub.emit('state', slices)
      watchers.stirred(slices)
    }
    this.reach.keep(runner)
    outside.keep({
      atRest: async () => {
        await runner.atRest()
        await runner.takeUpUnwritten()
        await watchers.atRest()
        await changes.atRest()
        await runner.atRest()
      },
      wakeAt: () => earliest(runner.wakeAt(outside), watchers.wakeAt()),
      woken: (now: number) => {
        runner.woken()
        watchers.woken(now)
      },
      clock: () => {
        hub.emit('clock')
        void this.registries.passed(outside.now).catch(onError)
      },
      failed: onError,
    })
  }

  /** The fleet as it is, or as it was at a time (ISO). */
  async fleetAt(time: string | null | undefined): Promise<FleetPictures> {
    if (time === null || time === undefined || time === '') return this.fleet
    if (!this.history) throw new Refusal('not-found', 'No history is kept.')
    return this.history.at(time)
  }

  async cluster(name: string, fleet: FleetPictures = this.fleet): Promise<ClusterView> {
    const cluster = clusterOf(await fleet.view(), name)
    if (!cluster) throw new Refusal('not-found', `There is no cluster ${name.slice(0, 80)}.`)
    return cluster
  }

  /** The access file of a cluster for a subject, good for so many seconds on the wall. */
  access(name: string, asked?: AccessAsked): Promise<AccessFile> {
    return giveAccess(this, name, asked)
  }

  putFault(request: FaultRequest): Promise<string> {
    return putFault(this, request)
  }

  endFault(id: string): Promise<void> {
    return endFault(this, id)
  }

  async journalLine(line: Line): Promise<void> {
    await this.database.write((transaction) =>
      writeJournal(this.hub, transaction, isoClock(this.outside.now), [line]),
    )
  }

  /** Journal lines: after a sequence number oldest first, else newest first. */
  journal(filter: JournalFilter): Promise<readonly JournalEntry[]> {
    return readJournal(filter)
  }

  async close(): Promise<void> {
    // The runner finishes what it has in hand while the outside can still answer.
    this.outside.halt()
    await this.rehearsals.close()
    await this.partner.close()
    await this.reach.close()
    await this.clusterServers.close()
    await this.registries.close()
    await this.shipments.intake.atRest()
    await this.runner.atRest()
    await this.watchers.atRest()
    await this.runner.atRest()
    await this.outgoing.close()
    await this.outside.close()
    await this.history?.close()
    this.stalls.end()
    await this.compute.close()
    await this.judges.close()
    await this.database.close()
    await this.folder.close()
  }
}
