/**
 * The FleetView: one immutable picture of everything that is known, as the ports reported it.
 * Slices (a site, a cluster) are versioned and shared between pictures; nothing in it is derived.
 */
import type { ApiObject } from '../objects'
import type { Release } from '../releases'
import type { RestWindow } from '../scaling'

export type SiteKind = 'hall' | 'cloud' | 'edge'

/** A block that names an address range at a site, or that a partner has outside it. */
export interface NetworkView {
  readonly name: string
  readonly range: string
  readonly zone?: string
  readonly role: 'management' | 'nodes' | 'frontage' | 'storage' | 'private' | 'peer' | 'uplink'
  readonly vlan?: number
  readonly gateway?: string
  readonly dhcp?: string
  readonly pool?: string
  readonly mtu?: number
  /** The name server its DHCP server hands out; the site’s first where absent. */
  readonly nameServer?: string
  /** Whether its DHCP server answered when last asked; absent means yes. */
  readonly dhcpAnswers?: boolean
}

export interface RouteView {
  readonly network: string
  readonly to: string
  readonly via: string
}

export interface RecordView {
  readonly name: string
  readonly type: string
  readonly ttl: number
  readonly value: string
}

export interface BalancerView {
  readonly name: string
  readonly address: string
  readonly port: number
  readonly cluster: string | null
  readonly service: string
  /** Further ports it answers on. */
  readonly ports?: readonly number[]
  /** Made by the load balancer itself, for a service. */
  readonly made?: boolean
}

/** A site credential as it may be shown: never the secret itself. */
export interface CredentialView {
  readonly site: string
  readonly name: string
  readonly fingerprint: string
  /** ISO time on the stand-ins’ clock. */
  readonly until: string
  /** What the site said when last asked, or null. */
  readonly checked: { readonly at: string; readonly says: string; readonly good: boolean } | null
}

export interface HostView {
  readonly name: string
  readonly zone: string
  readonly cores: number
  readonly memoryBytes: number
  readonly diskGb: number
  readonly idleWatts: number
  readonly fullWatts: number
  /** Out: taken out for work. Dead: it has stopped. Absent: in service. */
  readonly service?: 'in' | 'out' | 'dead'
}

export interface SizeView {
  readonly name: string
  readonly cores: number
  readonly memoryBytes: number
  readonly diskGb: number
  /** Zones that offer it. */
  readonly zones: readonly string[]
  /** Zones that offer it and had none left when last asked. */
  readonly soldOut: readonly string[]
  /** Units an hour on demand; null where power is paid instead. */
  readonly hourly: number | null
}

export interface ImageView {
  readonly name: string
  readonly release: string
  readonly arch: string
  readonly minimumDiskGb: number
}

export interface DiskView {
  readonly identifier: string
  readonly shownAs: string
  readonly sizeGb: number
  readonly removable: boolean
  /** What lies on it, or null when it is blank. */
  readonly holds: string | null
}

export interface CardView {
  readonly name: string
  readonly mac: string
  readonly address: string | null
  readonly network: string | null
  /** How many others hold the same address, as the ledger says. */
  readonly sharedWith: number
}

/** A machine that exists already and waits to be taken into use. */
export interface BoxView {
  readonly name: string
  readonly zone: string
  readonly arch: string
  readonly cores: number
  readonly memoryBytes: number
  readonly disks: readonly DiskView[]
  readonly cards: readonly CardView[]
  /** An operating system runs on it: it joins by a script. Absent is no. */
  readonly prepared?: boolean
  readonly usedBy: string | null
}

export interface MachineView {
  readonly name: string
  readonly zone: string
  readonly host: string | null
  readonly size: string
  readonly cores: number
  readonly memoryBytes: number
  readonly diskGb: number
  readonly lifetime: 'on-demand' | 'spot'
  readonly power: 'off' | 'starting' | 'on' | 'failed'
  readonly address: string | null
  /** The cluster its tags name, or null. */
  readonly cluster: string | null
  /** The node roles apart from others of one control plane, or null. */
  readonly apart?: string | null
}

export interface HeldAddress {
  readonly address: string
  readonly network: string
  readonly for: string
  readonly cluster: string | null
  readonly how: 'static' | 'dhcp' | 'virtual'
}

export interface HeldDisk {
  readonly name: string
  readonly sizeGb: number
  readonly machine: string | null
  readonly cluster: string | null
  readonly zone?: string
}

/** A rule of a site’s firewall, as it is set. */
export interface FirewallRuleView {
  readonly name: string
  /** Lower is asked first. */
  readonly priority: number
  readonly direction: 'in' | 'out'
  readonly action: 'allow' | 'deny'
  readonly from?: readonly string[]
  readonly to?: readonly string[]
  readonly protocol: 'tcp' | 'udp' | 'sctp' | 'any'
  readonly ports?: readonly string[]
  readonly members?: readonly string[]
  readonly enabled?: boolean
}

export interface TranslationView {
  readonly name: string
  readonly priority: number
  readonly kind: 'keep' | 'translate'
  readonly from?: readonly string[]
  readonly to?: readonly string[]
  readonly becomes?: string
  readonly protocol?: 'tcp' | 'udp' | 'any'
}

/** Somebody outside who listens. */
export interface PeerView {
  readonly name: string
  readonly address: string
  readonly ports: readonly number[]
  readonly protocol: 'tcp' | 'udp'
  readonly site?: string
  readonly accepts?: readonly string[]
  readonly routes?: readonly string[]
}

/** A time in which a call fared alike; rates a second. */
export interface TrafficSpan {
  readonly from: string
  readonly until: string | null
  readonly perSecond: number
  readonly failing: number
  /** The hop where what fails ends, and who decides it. */
  readonly at: string
  readonly by: string
  readonly source: string
  readonly destination: string
  readonly port: number
  readonly leaving: {
    readonly source: string
    readonly destination: string
    readonly port: number
  } | null
  /** Rules and translations on its way, as `site/name`. */
  readonly met: readonly string[]
}

export interface TrafficView {
  /** `namespace/workload`, or an address outside. */
  readonly from: string
  /** `namespace/service`, or an address. */
  readonly to: string
  readonly port: number
  /** What is asked, as its callers ask it. */
  readonly method: string
  readonly path: string
  readonly medianMs: number
  readonly spans: readonly TrafficSpan[]
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

export interface SiteView {
  readonly name: string
  readonly title: string
  readonly kind: SiteKind
  readonly arch: string
  readonly domain: string
  readonly connected: boolean
  readonly zones: readonly string[]
  readonly overcommit: number
  /** Hosts of each zone that are kept free for failover. */
  readonly reservePerZone: number
  readonly quotaCores: number | null
  readonly quotaBalancers: number | null
  readonly quotaAddresses: number | null
  readonly networks: readonly NetworkView[]
  readonly routes: readonly RouteView[]
  readonly nameServers: readonly { readonly address: string; readonly answers: boolean }[]
  readonly timeServers: readonly { readonly name: string; readonly answers: boolean }[]
  readonly nameDomain: string
  readonly records: readonly RecordView[]
  readonly storageClasses: readonly { readonly name: string; readonly zones: readonly string[] }[]
  readonly bootData: { readonly limitBytes: number | null; readonly base64: boolean }
  readonly published: readonly {
    readonly name: string
    readonly bytes: number
    readonly digest: string
    readonly cluster: string
  }[]
  readonly balancers: readonly BalancerView[]
  readonly sizes: readonly SizeView[]
  readonly images: readonly ImageView[]
  readonly hosts: readonly HostView[]
  readonly boxes: readonly BoxView[]
  readonly machines: readonly MachineView[]
  readonly addresses: readonly HeldAddress[]
  readonly disks: readonly HeldDisk[]
  readonly managedTiers: readonly { readonly tier: 'plain' | 'assured'; readonly hourly: number }[]
  /** Managed control planes that exist, with the cluster they serve. */
  readonly controlPlanes: readonly {
    readonly cluster: string
    readonly tier: 'plain' | 'assured'
    readonly release: string
    readonly address: string
  }[]
  readonly prices: {
    readonly diskGbMonth: number
    readonly kwh: number
    readonly hostMonth: number
    readonly spotShare: number
    readonly balancerHour: number
  }
  readonly firewall?: readonly FirewallRuleView[]
  readonly translations?: readonly TranslationView[]
  /** The address under which it goes out to the wide-area uplink. */
  readonly egress?: string
  /** Largest packet its uplink carries (bytes). */
  readonly mtu?: number
  readonly observedAt: string
}

export interface Condition {
  readonly type: string
  readonly status: 'True' | 'False' | 'Unknown'
  readonly reason: string
  readonly message: string
  readonly since: string
}

export interface Taint {
  readonly key: string
  readonly value: string
  readonly effect: 'NoSchedule' | 'PreferNoSchedule' | 'NoExecute'
}

export interface NodeView {
  readonly name: string
  readonly pool: string
  readonly zone: string
  readonly roles: readonly string[]
  readonly machine: string
  readonly address: string
  readonly release: string
  readonly conditions: readonly Condition[]
  readonly cordoned: boolean
  readonly cpuMilli: number
  readonly memoryBytes: number
  readonly allocatableCpuMilli: number
  readonly allocatableMemoryBytes: number
  readonly requestedCpuMilli: number
  readonly requestedMemoryBytes: number
  readonly pods: number
  readonly createdAt: string
}

export interface PoolView {
  readonly name: string
  readonly size: string
  readonly lifetime: 'on-demand' | 'spot'
  readonly range: { readonly min: number; readonly max: number } | null
  readonly taints: readonly Taint[]
  readonly nodes: readonly NodeView[]
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
  readonly restingMachines: readonly MachineView[]
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

export interface FleetView {
  readonly version: number
  /** ISO time of the stand-ins' clock. */
  readonly now: string
  readonly sites: readonly SiteView[]
  readonly clusters: readonly ClusterView[]
  readonly ledger: readonly LedgerEntry[]
  readonly catalogue: readonly Release[]
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
  readonly peers?: readonly PeerView[]
  readonly expectations?: readonly ExpectationView[]
  /** Who called whom over the last day, of those clusters that were asked (`walks:cluster/bramble`). */
  readonly traffic?: Readonly<Record<string, readonly TrafficView[]>>
  /** What the APIs of some clusters list, for those who asked for it (`objects:cedar`); absent elsewhere. */
  readonly objects?: Readonly<Record<string, readonly ApiObject[]>>
}

export const siteOf = (view: FleetView, name: string): SiteView | undefined =>
  view.sites.find((site) => site.name === name)
export const clusterOf = (view: FleetView, name: string): ClusterView | undefined =>
  view.clusters.find((cluster) => cluster.name === name)
export const nodesOf = (cluster: ClusterView): readonly NodeView[] =>
  cluster.pools.flatMap((pool) => pool.nodes)
