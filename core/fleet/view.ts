/**
 * The FleetView: one immutable picture of everything that is known, as the ports reported it.
 * Slices (a site, a cluster) are versioned and shared between pictures; nothing in it is derived.
 */
import type {
  ClusterReport,
  MachineReport,
  NodeReport,
  Redirect,
  PeerReport,
  PullsAs,
  ReachReport,
  SiteReport,
  Slice,
  StorageReport,
  Taint,
  TrafficReport,
} from '../contract'
import type { ApiObject } from '../objects'
import type { Published, Release } from '../releases'
import type { RestWindow } from '../scaling'

/** What the contract reports, under the names that the fleet shows it by. */
export type {
  Balancer as BalancerView,
  Box as BoxView,
  BoxDisk as DiskView,
  Card as CardView,
  Condition,
  FirewallRule as FirewallRuleView,
  HeldAddress,
  HeldDisk,
  Host as HostView,
  Image as ImageView,
  MachineReport as MachineView,
  NameRecord as RecordView,
  Network as NetworkView,
  NodeReport as NodeView,
  PeerReport as PeerView,
  Route as RouteView,
  SiteKind,
  Taint,
  TrafficReport as TrafficView,
  TrafficSpan,
  Translation as TranslationView,
} from '../contract'

export type SizeView = SiteReport['sizes'][number]

/** A site credential as it may be shown: never the secret itself. */
export interface CredentialView {
  readonly site: string
  readonly name: string
  readonly fingerprint: string
  /** ISO time on the clock of its site. */
  readonly until: string
  /** What the site said when last asked, or null. */
  readonly checked: { readonly at: string; readonly says: string; readonly good: boolean } | null
}

/** Something that is to be reached, or not: walked again after every change. */
export interface ExpectationView {
  readonly name: string
  /** As a walk takes them. */
  readonly from: Readonly<Record<string, string>>
  readonly to: Readonly<Record<string, string>>
  readonly port: number
  readonly protocol: 'TCP' | 'UDP' | 'SCTP'
  readonly delivered: boolean
}

/** How long one kind of work took, in seconds, and on how many runs that rests. */
export interface TimingView {
  readonly runs: number
  readonly samples: number
  readonly likely: number
  readonly worst: number
}

/** A maintenance window: when something may be done to the clusters that it names or whose labels it names. */
export interface WindowView {
  readonly name: string
  /** Local, `2026-03-07T22:00`. */
  readonly start: string
  readonly zone: string
  readonly minutes: number
  /** A recurrence rule (RFC 5545); null is once. */
  readonly rule: string | null
  /** Local dates on which it is not. */
  readonly except: readonly string[]
  readonly clusters: readonly string[]
  readonly labels: Readonly<Record<string, string>>
}

/** A site as it told of itself, and when. */
export type SiteView = SiteReport & {
  readonly observedAt: string
  /** Where machines there reach Gyrarch: scheme, host and port. Absent where nobody has said. */
  readonly gyrarchAt?: string
}

/** The domain under which a cluster’s own DNS answers. */
export const clusterDomain = 'cluster.local'

export interface PoolView {
  readonly name: string
  readonly size: string
  readonly lifetime: 'on-demand' | 'spot'
  readonly range: { readonly min: number; readonly max: number } | null
  readonly taints: readonly Taint[]
  readonly nodes: readonly NodeReport[]
}

export interface ClusterView {
  readonly name: string
  readonly site: string
  readonly guarded: boolean
  readonly labels: Readonly<Record<string, string>>
  readonly release: string
  readonly controlPlane:
    | { readonly kind: 'own'; readonly members: readonly string[] }
    | { readonly kind: 'managed'; readonly tier: 'plain' | 'assured' }
  readonly endpoint: string
  readonly apiAnswers: boolean
  /** Members of an own control plane that answer. */
  readonly membersUp: number
  readonly resting: boolean
  /** ISO time; null while it runs. */
  readonly restingSince: string | null
  /** The machines it takes again when it is started. */
  readonly restingMachines: readonly MachineReport[]
  /** Its nodes as they were when it was stopped. */
  readonly restingNodes: readonly NodeReport[]
  /** When it rests by itself, or null. */
  readonly rest: { readonly zone: string; readonly windows: readonly RestWindow[] } | null
  /** Whether its pools scale by themselves, and how a pool is chosen; null is not at all. */
  readonly autoscale: {
    readonly enabled: boolean
    readonly order: 'tightest' | 'cheapest' | 'listed'
  } | null
  readonly pods: string
  readonly services: string
  readonly maxPodsPerNode: number
  /** Ranges towards which pods keep their own addresses. */
  readonly keepSource?: readonly string[]
  /** Where its nodes look for images instead, by the beginning of their names. */
  readonly redirects?: readonly Redirect[]
  /** What nodes show to registries when they pull for a namespace. */
  readonly pullsAs?: readonly PullsAs[]
  readonly drives: readonly string[]
  readonly pools: readonly PoolView[]
  readonly podCount: number
  readonly namespaces: readonly string[]
  readonly dnsAnswers: boolean
  /** When the certificates of its API end; null where nobody told. */
  readonly certificatesUntil: string | null
  readonly backups: readonly {
    readonly id: string
    readonly at: string
    readonly bytes: number
    readonly objects: number
  }[]
  /** Add-ons installed, and in which version; absent where nobody told. */
  readonly addOns?: readonly { readonly name: string; readonly version: string }[]
  /** Who asked its API for versions of objects, counted over the last day; absent where nobody told. */
  readonly apiClients?: ClusterReport['apiClients']
  /** Its replicated storage; null or absent where it has none. */
  readonly storage?: StorageReport | null
  /** How it is reached; absent where Gyrarch raised it. */
  readonly reach?: ReachReport
  readonly observedAt: string
}

/** A range of the address ledger and who holds it. */
export interface LedgerEntry {
  readonly domain: string
  readonly range: string
  readonly name: string
  readonly holder: string
  readonly kind: 'network' | 'pods' | 'services' | 'peer'
}

/** Room, names and addresses that a run takes from everybody else until the ports report them. */
export interface Reservation {
  readonly kind: 'address' | 'machine' | 'name' | 'range'
  readonly site: string
  readonly domain?: string
  readonly zone?: string
  /** The address, range or name taken. */
  readonly what: string
  /** Of a machine: what it takes from quota and hosts. */
  readonly cores?: number
  readonly memoryBytes?: number
}

/** Snapshots that are taken by themselves. */
export interface SnapshotScheduleView {
  readonly cluster: string
  readonly volume: string
  /** Local, `2026-03-03T03:00`. */
  readonly start: string
  readonly zone: string
  readonly rule: string
  /** So many of them stay; the oldest go first. */
  readonly keep: number
}

/** A shipment that is packed, or being packed: what lies on its drives. */
export interface ShipmentView {
  readonly name: string
  readonly site: string
  readonly release: string | null
  /** ISO time. */
  readonly packedAt: string
  readonly images: readonly { readonly name: string; readonly digest: string }[]
  /** In order; a drive is named by its place, counted from 1. Bytes in the sizes of the catalogue. */
  readonly drives: readonly {
    readonly medium: string
    readonly bytes: number
    readonly blobs: number
  }[]
}

export interface FleetView {
  readonly version: number
  /** ISO time of the stand-ins' clock. */
  readonly now: string
  readonly sites: readonly SiteView[]
  readonly clusters: readonly ClusterView[]
  readonly ledger: readonly LedgerEntry[]
  readonly catalogue: readonly Release[]
  /** All that is published, for those who asked for it (`published`). */
  readonly published?: Published
  /** What was packed for sites that nothing can be sent to. */
  readonly shipments?: readonly ShipmentView[]
  readonly snapshotSchedules?: readonly SnapshotScheduleView[]
  readonly sshKeys: readonly string[]
  /** Public halves by name, where they are known. */
  readonly sshPublic: Readonly<Record<string, string>>
  readonly credentials: readonly CredentialView[]
  /** What running changes have taken but the ports do not report yet. */
  readonly reservations: readonly (Reservation & { readonly change: string })[]
  /** Clusters that were asked and did not tell anything, with the ISO time they last did. */
  readonly unheard: Readonly<Record<string, string>>
  /** Refs that running changes are working on. */
  readonly workedOn: readonly string[]
  /** Partners and APIs outside that are known to listen. */
  readonly peers?: readonly PeerReport[]
  readonly expectations?: readonly ExpectationView[]
  readonly windows?: readonly WindowView[]
  /** How long work took, by `verb|site|size`; absent before anything was observed. */
  readonly timings?: Readonly<Record<string, TimingView>>
  /** Who called whom over the last day, of those clusters that were asked (`walks:cluster/bramble`). */
  readonly traffic?: Readonly<Record<string, Slice<readonly TrafficReport[]>>>
  /** What the APIs of some clusters list, for those who asked for it (`objects:cedar`); read by `listedObjects`, which tells who did not ask from who is not answered. */
  readonly objects?: Readonly<Record<string, Slice<readonly ApiObject[]>>>
}

/** Where clusters are shown that stand at no site of the fleet. */
export const elsewhere = 'elsewhere' as const

export const siteOf = (view: FleetView, name: string): SiteView | undefined =>
  view.sites.find((site) => site.name === name)
export const clusterOf = (view: FleetView, name: string): ClusterView | undefined =>
  view.clusters.find((cluster) => cluster.name === name)
export const nodesOf = (cluster: ClusterView): readonly NodeReport[] =>
  cluster.pools.flatMap((pool) => pool.nodes)
