/**
 * The picture of the fleet that everything is checked against and drawn from: slices by site and cluster, each observed
 * anew only when its port says that it changed, and shared between pictures. Observing is lazy and joins calls that overlap.
 */
import {
  type ClusterEvent,
  type ClusterReport,
  type ConnectorClock,
  type Observe,
  type Slice,
  Unheard,
  type UsageReport,
} from '~/core/contract'
import { isoTime } from '~/core/units'
import type {
  ClusterView,
  ExpectationView,
  FleetView,
  PeerView,
  ShipmentView,
  SnapshotScheduleView,
  SiteView,
  TrafficView,
  WindowView,
} from '~/core/fleet'
import type { ApiObject } from '~/core/objects'
import type { Release } from '~/core/releases'
import { type MeteredThing, type Price, withPrices } from '~/core/spend'
import {
  ChangeRow,
  CredentialRow,
  ExpectationRow,
  LedgerRow,
  KeyRow,
  PriceRow,
  LockRow,
  ReleaseRow,
  ReservationRow,
  ClusterRow,
  ContactRow,
  WindowRow,
} from '../records/models'
import { ShipmentRow, SnapshotScheduleRow } from '../records/storage-rows'
import {
  clusterView,
  ledgerOf,
  releaseOf,
  shipmentOf,
  siteView,
  snapshotScheduleOf,
} from './observe'
import { FleetPictures } from './pictures'
import { credentialOf, reservationOf } from './register-rows'

/** What the fleet asks of the outside. */
export type FleetSources = Pick<
  Observe,
  'siteNames' | 'site' | 'cluster' | 'meter' | 'traffic' | 'peers' | 'objects' | 'events' | 'usage'
>

/** So many lists of objects are kept. */
const maxLists = 400

export class Fleet extends FleetPictures {
  private readonly outside: FleetSources
  private readonly clock: ConnectorClock
  private readonly sites = new Map<string, SiteView>()
  private readonly clusters = new Map<string, ClusterView>()
  private readonly reports = new Map<string, ClusterReport | null>()
  private readonly dirty = new Set<string>()
  private registerDirty = true
  private version = 0
  private catalogue: readonly Release[] = []
  private entered: readonly LedgerRow[] = []
  private keys: readonly string[] = []
  private keyLines: Readonly<Record<string, string>> = {}
  private credentials: FleetView['credentials'] = []
  private reservations: FleetView['reservations'] = []
  private workedOn: readonly string[] = []
  private prices: readonly Price[] = []
  /** Where machines reach Gyrarch, by site. */
  private contacts: ReadonlyMap<string, string> = new Map()
  private readonly settled = new Map<
    string,
    {
      readonly site: SiteView
      readonly prices: readonly Price[]
      readonly contacts: ReadonlyMap<string, string>
      readonly view: SiteView
    }
  >()
  private peers: readonly PeerView[] = []
  private expectations: readonly ExpectationView[] = []
  private windows: readonly WindowView[] = []
  private shipments: readonly ShipmentView[] = []
  private schedules: readonly SnapshotScheduleView[] = []
  private unheard: Record<string, string> = {}
  private siteList: readonly SiteView[] = []
  private clusterList: readonly ClusterView[] = []
  private ledger: FleetView['ledger'] = []
  private observing: Promise<void> | null = null
  /** Lists of objects as they were last asked for, each until its cluster stirs. */
  private readonly lists = new Map<string, readonly ApiObject[]>()
  /** How often each cluster has stirred: a list asked for before that is not kept. */
  private readonly stirs = new Map<string, number>()

  constructor(outside: FleetSources, clock: ConnectorClock) {
    super()
    this.outside = outside
    this.clock = clock
  }

  /** How long work took: set by who keeps it. */
  timings: () => NonNullable<FleetView['timings']> = () => ({})

  /** Told of what is not in the picture any more as it is: set by who looks. */
  touched: (slices: readonly string[]) => void = () => undefined

  /** Slices that have changed outside: `site:x`, `cluster:x`. */
  touch(slices: readonly string[]): void {
    for (const slice of slices) {
      this.dirty.add(slice)
      if (!slice.startsWith('cluster:')) continue
      const name = slice.slice('cluster:'.length)
      this.lists.delete(name)
      this.stirs.set(name, (this.stirs.get(name) ?? 0) + 1)
    }
    this.touched(slices)
  }

  /** The register, the locks or the reservations have changed. */
  touchRegister(): void {
    this.registerDirty = true
    this.touched([])
  }

  get isFresh(): boolean {
    // What is being looked at is not in the picture yet.
    return (
      this.observing === null && this.dirty.size === 0 && !this.registerDirty && this.version > 0
    )
  }

  /** The picture as of now: observes what has changed first. */
  async view(): Promise<FleetView> {
    // The second round is for what changed during the first; a fleet that never rests is drawn as it was a moment ago.
    for (let round = 0; round < 2 && !this.isFresh; round++) {
      this.observing ??= this.observe().finally(() => {
        this.observing = null
      })
      await this.observing
    }
    return this.last()
  }

  /** What a cluster lists, or since when nothing is heard of it. */
  protected async objectSlice(name: string, view: FleetView): Promise<Slice<readonly ApiObject[]>> {
    const value = await this.objectsOf(name)
    if (value) return { state: 'known', version: this.stirs.get(name) ?? 0, at: view.now, value }
    return {
      state: 'unheard',
      since: Object.hasOwn(view.unheard, name) ? (view.unheard[name] ?? view.now) : view.now,
      why: 'its API does not answer',
    }
  }

  /** Who called whom in a cluster over the last day. */
  trafficOf(name: string): Promise<readonly TrafficView[]> {
    return this.outside.traffic(name)
  }

  /** What a cluster’s API lists, or null if it does not answer. */
  async objectsOf(name: string): Promise<readonly ApiObject[] | null> {
    const apiObjects = this.lists.get(name)
    if (apiObjects) {
      this.lists.delete(name)
      this.lists.set(name, apiObjects)
      return apiObjects
    }
    const stirs = this.stirs.get(name)
    const list = (await this.outside.objects(name, {})) as readonly ApiObject[] | null
    if (list && stirs === this.stirs.get(name)) {
      this.lists.set(name, list)
      // The list that was asked for longest ago goes first.
      for (const oldest of this.lists.keys()) {
        if (this.lists.size <= maxLists) break
        this.lists.delete(oldest)
      }
    }
    return list
  }

  /** What one site has counted for its bill. */
  async meter(site: string): Promise<readonly MeteredThing[]> {
    return (await this.outside.meter(site)) ?? []
  }

  /** What happened in a cluster, as its API lists it. */
  eventsOf(name: string): Promise<readonly ClusterEvent[] | null> {
    return this.outside.events(name)
  }

  /** What the pods of each workload used over the last day. */
  usageOf(name: string): Promise<readonly UsageReport[] | null> {
    return this.outside.usage(name)
  }

  /** The last picture, with the clock’s time; what changed since is not in it. */
  last(): FleetView {
    const now = isoTime(this.clock.now)
    return {
      version: this.version,
      now,
      sites: this.siteList,
      clusters: this.clusterList,
      ledger: this.ledger,
      catalogue: this.catalogue,
      sshKeys: this.keys,
      sshPublic: this.keyLines,
      credentials: this.credentials,
      reservations: this.reservations,
      unheard: this.unheard,
      workedOn: this.workedOn,
      peers: this.peers,
      expectations: this.expectations,
      windows: this.windows,
      ...(this.schedules.length === 0 ? {} : { snapshotSchedules: this.schedules }),
      ...(this.shipments.length === 0 ? {} : { shipments: this.shipments }),
      ...(Object.keys(this.timings()).length === 0 ? {} : { timings: this.timings() }),
    }
  }

  /** Asks a cluster; one that cannot be reached at all keeps what it told last, with the time. */
  private async ask(name: string): Promise<void> {
    try {
      this.reports.set(name, await this.outside.cluster(name))
      delete this.unheard[name]
    } catch (error) {
      if (!(error instanceof Unheard)) throw error
      this.unheard = {
        [name]: this.clusters.get(name)?.observedAt ?? isoTime(this.clock.now),
        ...this.unheard,
      }
    }
  }

  /** Looks at what has changed; if that fails it stays to be looked at. */
  private async observe(): Promise<void> {
    const slices = [...this.dirty]
    this.dirty.clear()
    const register = this.registerDirty
    this.registerDirty = false
    try {
      await this.lookAt([...slices], register)
    } catch (error) {
      for (const slice of slices) this.dirty.add(slice)
      this.registerDirty ||= register
      throw error
    }
  }

  private async lookAt(slices: string[], register: boolean): Promise<void> {
    const isFirst = this.version === 0
    if (isFirst) {
      // In the order in which the outside lists them, whatever has stirred first.
      slices.unshift(...(await this.outside.siteNames()).map((name) => `site:${name}`))
      this.catalogue = (await ReleaseRow.findAll({ order: [['released', 'ASC']] })).map(releaseOf)
    }
    const rest = register || isFirst
    if (rest) this.entered = await LedgerRow.findAll({ order: [['id', 'ASC']] })
    const unique = new Set(slices)
    await this.lookAtSites(unique)
    const rows = await ClusterRow.findAll({ order: [['rowid', 'ASC']] })
    await this.lookAtClusters(rows, unique, register)
    if (rest) await this.readSettings()
    if (isFirst || slices.some((slice) => slice.startsWith('site:')))
      this.peers = await this.outside.peers()
    if (rest) await this.readExpectations()
    if (register) await this.readRegister()
    this.siteList = [...this.sites.values()].map((site) => this.withSettings(site))
    this.clusterList = rows.flatMap((row) => this.clusters.get(row.name) ?? [])
    this.ledger = ledgerOf(this.entered, this.siteList, this.clusterList)
    this.version++
  }

  /** The sites that stirred, as they are now; reports of clusters that stirred are asked for anew. */
  private async lookAtSites(slices: ReadonlySet<string>): Promise<void> {
    for (const slice of slices) {
      if (!slice.startsWith('site:')) {
        this.reports.delete(slice.slice('cluster:'.length))
        continue
      }
      const name = slice.slice('site:'.length)
      const site = await this.outside.site(name)
      if (site) this.sites.set(name, siteView(site, this.clock.now))
      else this.sites.delete(name)
    }
  }

  private async lookAtClusters(
    rows: readonly ClusterRow[],
    slices: ReadonlySet<string>,
    register: boolean,
  ): Promise<void> {
    const { now } = this.clock
    const listed = new Set(rows.map((row) => row.name))
    for (const name of [...this.clusters.keys()]) if (!listed.has(name)) this.clusters.delete(name)
    for (const row of rows) {
      const stirred = register || slices.has(`cluster:${row.name}`)
      if (!stirred && this.clusters.has(row.name)) continue
      if (!this.reports.has(row.name)) await this.ask(row.name)
      this.clusters.set(row.name, clusterView(row, this.reports.get(row.name) ?? null, now))
    }
  }

  private async readExpectations(): Promise<void> {
    const rows = await ExpectationRow.findAll({ order: [['name', 'ASC']] })
    this.expectations = rows.map(({ name, from, to, port, protocol, delivered }) => ({
      name,
      from,
      to,
      port,
      protocol,
      delivered,
    }))
  }

  /** What only Gyrarch itself keeps: keys, credentials, what runs have reserved and what they work on. */
  private async readRegister(): Promise<void> {
    const keyRows = await KeyRow.findAll({ order: [['name', 'ASC']] })
    this.keys = keyRows.map((row) => row.name)
    this.keyLines = Object.fromEntries(
      keyRows.flatMap((row) => (row.line === null ? [] : [[row.name, row.line] as const])),
    )
    const order: [string, 'ASC'][] = [
      ['site', 'ASC'],
      ['name', 'ASC'],
    ]
    this.credentials = (await CredentialRow.findAll({ order })).map(credentialOf)
    this.reservations = (await ReservationRow.findAll()).map(reservationOf)
    // A halted run keeps its locks but is at work on nothing.
    const running = await ChangeRow.findAll({
      where: { state: ['running', 'undoing'] },
      attributes: ['number'],
    })
    const atWork = new Set(running.map((row) => row.number))
    this.workedOn = (await LockRow.findAll()).flatMap((row) =>
      atWork.has(row.change) ? [row.ref] : [],
    )
  }

  /** A site with what the register says of it: the same object as before while both are. */
  private withSettings(site: SiteView): SiteView {
    const before = this.settled.get(site.name)
    if (before?.site === site && before.prices === this.prices && before.contacts === this.contacts)
      return before.view
    const { prices, contacts } = this
    const gyrarchAt = contacts.get(site.name)
    const view = {
      ...withPrices(
        site,
        prices.filter((price) => price.site === site.name),
      ),
      ...(gyrarchAt === undefined ? {} : { gyrarchAt }),
    }
    this.settled.set(site.name, { site, prices, contacts, view })
    return view
  }

  /** What the register keeps of sites: prices, and where machines reach Gyrarch. */
  private async readSettings(): Promise<void> {
    this.prices = (await PriceRow.findAll()).map(({ site, item, units }) => ({
      site,
      item,
      units,
    }))
    this.shipments = (await ShipmentRow.findAll({ order: [['packedAt', 'ASC']] })).map((row) =>
      shipmentOf(row),
    )
    this.schedules = (await SnapshotScheduleRow.findAll({ order: [['volume', 'ASC']] })).map(
      (row) => snapshotScheduleOf(row),
    )
    this.windows = (await WindowRow.findAll({ order: [['name', 'ASC']] })).map((row) =>
      row.get({ plain: true }),
    )
    this.contacts = new Map(
      (await ContactRow.findAll()).map(({ site, address }) => [site, address]),
    )
  }
}
