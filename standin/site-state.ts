/** A site as the simulator keeps it: its ground, its devices, and the machines on it. What it reports has the contract’s shape. */
import type * as contract from '../core/contract'

export type {
  Balancer,
  Card,
  FirewallRule,
  HeldAddress,
  Image,
  Network,
  Route,
  Translation,
} from '../core/contract'
export type DnsRecord = contract.NameRecord
export type Published = contract.PublishedFile
export type Disk = contract.HeldDisk

/** A record of the contract that the simulator alters in place at these keys. */
type Mutable<T, Key extends keyof T> = Omit<T, Key> & { -readonly [K in Key]: T[K] }

/** Out: taken out for work, holds nothing new. Dead: everything on it has stopped. */
export type Host = Mutable<contract.Host, 'service'>

export interface Size {
  readonly name: string
  readonly cores: number
  readonly memoryBytes: number
  readonly diskGb: number
  readonly zones: readonly string[]
  readonly hourly: number | null
  readonly gpus: number
}

export type BoxDisk = Mutable<contract.BoxDisk, 'holds'>

/** A machine that stands somewhere already, with its own disks and cards. */
export interface Box extends Omit<contract.Box, 'disks' | 'usedBy'> {
  readonly disks: BoxDisk[]
  /** What it really is, which only itself tells: its cards’ addresses, its clock, its runtime. */
  readonly inside?: {
    readonly cards: readonly {
      readonly name: string
      readonly mac: string
      readonly addresses: readonly string[]
    }[]
    readonly clockOffSeconds: number
    readonly runtime: boolean
  }
  usedBy: string | null
}

/** What a machine that runs can suffer from. */
export type Ailment = 'runtime' | 'agent' | 'clock' | 'certificate' | 'disk' | 'memory'

export interface Machine {
  readonly name: string
  readonly zone: string
  host: string | null
  readonly size: string
  readonly cores: number
  readonly memoryBytes: number
  readonly diskGb: number
  readonly gpus: number
  readonly lifetime: 'on-demand' | 'spot'
  readonly release: string
  readonly cluster: string
  readonly apart: string | null
  readonly network: string
  readonly box: string | null
  power: 'off' | 'starting' | 'on' | 'failed'
  /** Whether its node agent runs and waits for, or talks to, an API. */
  agent: boolean
  address: string | null
  /** Its agent cannot reach its cluster’s API. */
  cutOff?: boolean
  /** Its agent is older than its cluster’s API takes. */
  tooOld?: boolean
  /** Seconds its clock is behind; absent is none. */
  skewSeconds?: number
  /** What it suffers from while it runs, and since when (ms). */
  ailments?: Partial<Record<Ailment, number>>
  /** Since when it has no power, in clock time. */
  offSince?: number
  /** What it was handed at first boot. */
  bootData?: {
    readonly bytes: number
    readonly instance: string
    readonly handed: 'inline' | 'pointer'
  }
  readonly createdAt: number
}

export interface ManagedControlPlane {
  readonly cluster: string
  readonly tier: 'plain' | 'assured'
  readonly release: string
  readonly address: string
}

/** One billable thing and the time in which it was there (ms); null is until now. */
export interface Metered {
  readonly what: 'machine' | 'disk' | 'tier' | 'balancer' | 'address' | 'host'
  readonly name: string
  readonly cluster: string | null
  readonly zone?: string
  readonly size?: string
  readonly cores?: number
  readonly lifetime?: 'on-demand' | 'spot'
  readonly gb?: number
  readonly tier?: string
  readonly from: number
  readonly until: number | null
}

export interface Site {
  readonly name: string
  readonly title: string
  readonly kind: 'hall' | 'cloud' | 'edge'
  readonly arch: string
  readonly domain: string
  readonly connected: boolean
  zones: string[]
  overcommit: number
  reservePerZone: number
  quotaCores: number | null
  quotaBalancers: number | null
  quotaAddresses: number | null
  networks: contract.Network[]
  routes: contract.Route[]
  sizes: Size[]
  images: contract.Image[]
  hosts: Host[]
  nameServers: { readonly address: string; readonly answers: boolean }[]
  timeServers: { readonly name: string; readonly answers: boolean }[]
  readonly nameDomain: string
  /** The registry that stands here, where it has a name of its own. */
  readonly registryHost?: string
  records: DnsRecord[]
  storageClasses: { readonly name: string; readonly zones: readonly string[] }[]
  /** Most bytes of boot data a machine can be handed, after encoding; null has no limit. `cutAt` is what really arrives. */
  readonly bootData: { readonly limitBytes: number | null; readonly base64: boolean }
  bootDataCutAt: number | null
  published: Published[]
  balancers: contract.Balancer[]
  /** Fingerprints of the credentials it takes, and until when (ms). */
  credentials: { readonly fingerprint: string; readonly until: number }[]
  boxes: Box[]
  machines: Machine[]
  addresses: contract.HeldAddress[]
  disks: Disk[]
  readonly managedTiers: readonly {
    readonly tier: 'plain' | 'assured'
    readonly hourly: number
    readonly availability?: number | null
  }[]
  /** The address the first managed control plane gets; later ones count down. */
  readonly managedFrom: string | null
  controlPlanes: ManagedControlPlane[]
  readonly prices: {
    readonly diskGbMonth: number
    readonly kwh: number
    readonly hostMonth: number
    readonly spotShare: number
    readonly balancerHour: number
  }
  /** Sizes of which a zone has none left, as `zone/size`. */
  soldOut: string[]
  firewall?: readonly contract.FirewallRule[]
  translations?: readonly contract.Translation[]
  /** The address under which it goes out to the wide-area uplink. */
  readonly egress?: string
  /** Largest packet its uplink carries (bytes). */
  readonly mtu?: number
  /** What was there from when until when, for the bill. */
  meter?: readonly Metered[]
}
