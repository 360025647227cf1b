/** A site as the simulator keeps it: its ground, its devices, and the machines on it. */

export interface Network {
  readonly name: string
  readonly range: string
  readonly role: 'management' | 'nodes' | 'frontage' | 'storage' | 'private'
  readonly zone?: string
  readonly vlan?: number
  readonly gateway?: string
  readonly dhcp?: string
  readonly pool?: string
  readonly mtu?: number
  /** The name server that its DHCP server hands out; the site’s first where absent. */
  readonly nameServer?: string
  /** Whether its DHCP server answers; absent means yes. */
  readonly dhcpAnswers?: boolean
}

export interface Route {
  readonly network: string
  readonly to: string
  readonly via: string
}

export interface DnsRecord {
  readonly name: string
  readonly type: string
  readonly ttl: number
  readonly value: string
}

/** What stands between an address outside and nodes: a virtual address, its port, and who made it for whom. */
export interface Balancer {
  readonly name: string
  readonly address: string
  readonly port: number
  readonly cluster: string | null
  readonly service: string
  /** Further ports it answers on. */
  readonly ports?: readonly number[]
  /** Made by the load balancer itself, for a service; goes with that. */
  readonly made?: boolean
}

export interface FirewallRule {
  readonly name: string
  /** Lower is asked first. */
  readonly priority: number
  readonly direction: 'in' | 'out'
  readonly action: 'allow' | 'deny'
  readonly from?: readonly string[]
  readonly to?: readonly string[]
  readonly protocol: 'tcp' | 'udp' | 'sctp' | 'any'
  readonly ports?: readonly string[]
  /** The machines it is on; absent is all. */
  readonly members?: readonly string[]
  readonly enabled?: boolean
}

export interface Translation {
  readonly name: string
  readonly priority: number
  readonly kind: 'keep' | 'translate'
  readonly from?: readonly string[]
  readonly to?: readonly string[]
  readonly becomes?: string
  readonly protocol?: 'tcp' | 'udp' | 'any'
}

export interface Host {
  readonly name: string
  readonly zone: string
  readonly cores: number
  readonly memoryBytes: number
  readonly diskGb: number
  readonly idleWatts: number
  readonly fullWatts: number
  /** Out: taken out for work, holds nothing new. Dead: everything on it has stopped. */
  service?: 'in' | 'out' | 'dead'
}

export interface Size {
  readonly name: string
  readonly cores: number
  readonly memoryBytes: number
  readonly diskGb: number
  readonly zones: readonly string[]
  readonly hourly: number | null
  readonly gpus: number
}

export interface Image {
  readonly name: string
  readonly release: string
  readonly arch: string
  readonly minimumDiskGb: number
}

export interface BoxDisk {
  readonly identifier: string
  readonly shownAs: string
  readonly sizeGb: number
  readonly removable: boolean
  holds: string | null
}

export interface Card {
  readonly name: string
  readonly mac: string
  readonly address: string | null
  readonly network: string | null
  readonly sharedWith: number
}

/** A machine that stands somewhere already, with its own disks and cards. */
export interface Box {
  readonly name: string
  readonly zone: string
  readonly arch: string
  readonly cores: number
  readonly memoryBytes: number
  readonly disks: BoxDisk[]
  readonly cards: readonly Card[]
  /** An operating system runs on it. */
  readonly prepared?: boolean
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
  /** Seconds its clock is behind; absent is none. */
  skewSeconds?: number
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

export interface HeldAddress {
  readonly address: string
  readonly network: string
  readonly for: string
  readonly cluster: string | null
  readonly how: 'static' | 'dhcp' | 'virtual'
}

export interface Published {
  readonly name: string
  readonly bytes: number
  readonly digest: string
  readonly cluster: string
}

export interface Disk {
  readonly name: string
  readonly sizeGb: number
  readonly machine: string | null
  readonly cluster: string | null
  /** Where its store is; absent on disks that belong to no zone. */
  readonly zone?: string
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
  networks: Network[]
  routes: Route[]
  sizes: Size[]
  images: Image[]
  hosts: Host[]
  nameServers: { readonly address: string; readonly answers: boolean }[]
  timeServers: { readonly name: string; readonly answers: boolean }[]
  readonly nameDomain: string
  records: DnsRecord[]
  storageClasses: { readonly name: string; readonly zones: readonly string[] }[]
  /** Most bytes of boot data a machine can be handed, after encoding; null has no limit. `cutAt` is what really arrives. */
  readonly bootData: { readonly limitBytes: number | null; readonly base64: boolean }
  bootDataCutAt: number | null
  published: Published[]
  balancers: Balancer[]
  /** Fingerprints of the credentials it takes, and until when (ms). */
  credentials: { readonly fingerprint: string; readonly until: number }[]
  boxes: Box[]
  machines: Machine[]
  addresses: HeldAddress[]
  disks: Disk[]
  readonly managedTiers: readonly { readonly tier: 'plain' | 'assured'; readonly hourly: number }[]
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
  firewall?: readonly FirewallRule[]
  translations?: readonly Translation[]
  /** The address under which it goes out to the wide-area uplink. */
  readonly egress?: string
  /** Largest packet its uplink carries (bytes). */
  readonly mtu?: number
  /** What was there from when until when, for the bill. */
  meter?: readonly Metered[]
}
