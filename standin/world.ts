/** Everything the simulated outside consists of, as plain data that can be stored and restored. */

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

/** Somebody outside who listens. */
export interface Peer {
  readonly name: string
  readonly address: string
  readonly ports: readonly number[]
  readonly protocol: 'tcp' | 'udp'
  readonly site?: string
  readonly accepts?: readonly string[]
  readonly routes?: readonly string[]
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
  readonly inside?: { readonly cards: readonly { readonly name: string; readonly mac: string; readonly addresses: readonly string[] }[]; readonly clockOffSeconds: number; readonly runtime: boolean }
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
  bootData?: { readonly bytes: number; readonly instance: string; readonly handed: 'inline' | 'pointer' }
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
  cluster: string | null
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
  readonly prices: { readonly diskGbMonth: number; readonly kwh: number; readonly hostMonth: number; readonly spotShare: number; readonly balancerHour: number }
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

export interface Condition {
  readonly type: string
  readonly status: 'True' | 'False' | 'Unknown'
  readonly reason: string
  readonly message: string
  readonly since: number
}

export interface Taint {
  readonly key: string
  readonly value: string
  readonly effect: 'NoSchedule' | 'PreferNoSchedule' | 'NoExecute'
}

export interface Node {
  readonly name: string
  readonly pool: string
  readonly zone: string
  readonly roles: readonly string[]
  readonly machine: string
  readonly address: string
  release: string
  conditions: Condition[]
  cordoned: boolean
  readonly labels: Readonly<Record<string, string>>
  readonly taints: readonly Taint[]
  readonly cpuMilli: number
  readonly memoryBytes: number
  readonly gpus: number
  readonly allocatableCpuMilli: number
  readonly allocatableMemoryBytes: number
  /** Which block of the pod range it has, from 0. */
  readonly block: number
  readonly createdAt: number
}

/** An object of the API as it was written, without its status. */
export interface Manifest {
  readonly apiVersion: string
  readonly kind: string
  readonly metadata: { readonly name: string; readonly namespace?: string; readonly labels?: Readonly<Record<string, string>>; readonly annotations?: Readonly<Record<string, string>>; readonly [field: string]: unknown }
  readonly [field: string]: unknown
}

/** What a workload’s pods are made from, at one time in its life. */
export interface Revision {
  readonly number: number
  readonly hash: string
  readonly template: Readonly<Record<string, unknown>>
  readonly at: number
}

export interface Workload {
  readonly namespace: string
  readonly name: string
  readonly kind: 'Deployment' | 'StatefulSet' | 'DaemonSet' | 'CronJob' | 'Job'
  /** As somebody wrote it; absent on those that came with the platform. */
  readonly manifest?: Manifest
  /** Oldest first, the last one is meant now; absent while there was only ever one. */
  readonly revisions?: readonly Revision[]
  /** When a pod of it last became ready or went (ms). */
  progressedAt?: number
  /** How many of a job’s pods have ended well. */
  completed?: number
  readonly replicas: number
  readonly cpuMilli: number
  readonly memoryBytes: number
  readonly gpus: number
  readonly image: string
  readonly serviceAccount: string
  readonly port: number | null
  readonly tolerations: readonly { readonly key: string; readonly value: string }[]
  /** Pool that alone may hold it, or null. */
  readonly pool: string | null
  readonly createdAt: number
}

export interface Pod {
  readonly namespace: string
  readonly name: string
  readonly workload: string
  node: string | null
  /** The one node a daemon’s pod is for, while it waits for room there. */
  wants?: string
  phase: 'Pending' | 'Running' | 'Succeeded'
  /** Which revision it was made from; absent while there was only ever one. */
  hash?: string
  /** Its start is held up on its node: what its container waits for. */
  trouble?: { readonly reason: string; readonly message: string }
  /** Runs, but is not ready for what it serves. */
  unready?: boolean
  restarts?: number
  /** Why it waits, in the scheduler’s words. */
  waits: string | null
  ip: string | null
  readonly cpuMilli: number
  readonly memoryBytes: number
  readonly gpus: number
  readonly createdAt: number
  startedAt: number | null
}

export interface ClusterEvent {
  readonly at: number
  readonly type: 'Normal' | 'Warning'
  readonly reason: string
  readonly about: string
  readonly message: string
}

export interface Service {
  readonly namespace: string
  readonly name: string
  readonly address: string
  readonly port: number
  readonly workload: string
}

export interface Cluster {
  readonly name: string
  readonly site: string
  readonly release: string
  readonly managed: boolean
  readonly endpoint: string
  readonly pods: string
  readonly services: string
  readonly apiAddress: string
  readonly dnsAddress: string
  readonly maxPodsPerNode: number
  /** Machines that are members of an own control plane. */
  members: string[]
  apiUp: boolean
  namespaces: string[]
  nodes: Node[]
  workloads: Workload[]
  running: Pod[]
  serviceList: Service[]
  events: ClusterEvent[]
  nextBlock: number
  nextName: number
  tokens: number
  /** Objects that were written to it and that no controller turns into pods. */
  objects?: readonly Manifest[]
  /** Who wrote which field last, by object and by path; what is not listed came with the platform. */
  owners?: Readonly<Record<string, Readonly<Record<string, string>>>>
  storageClass?: { readonly name: string; readonly zones: readonly string[] }
  /** Ranges towards which pods keep their own addresses. */
  keepSource?: readonly string[]
  /** Who of its workloads calls whom, steadily. */
  readonly flows?: readonly Flow[]
  /** How each call has fared, span by span, by `from to:port`. */
  traffic?: Readonly<Record<string, readonly Span[]>>
  /** Services that wait for an address, and why. */
  frontsWaiting?: Readonly<Record<string, string>>
  /** When its API’s and agents’ certificates end (ms). */
  certificatesUntil: number
  /** Load of workloads over the day, by `namespace/name`: minutes after midnight UTC and requests a second. */
  load?: Readonly<Record<string, readonly (readonly [number, number])[]>>
  /** When each autoscaler last changed replicas, and when it will next (ms). */
  scaledAt?: Readonly<Record<string, number>>
  scaleNext?: Readonly<Record<string, number>>
  /** The last changes of autoscalers that have rules of their own, newest last. */
  scaleChanges?: Readonly<Record<string, readonly { readonly at: number; readonly by: number }[]>>
  /** Stopped: what it had and takes again. */
  resting?: { readonly since: number; readonly machines: readonly Machine[]; readonly nodes: readonly Node[]; readonly controlPlanes: readonly ManagedControlPlane[] }
  backups: { readonly id: string; readonly at: number; readonly bytes: number; readonly objects: number; readonly body: string }[]
  readonly createdAt: number
}

export interface Flow {
  /** `namespace/workload`, or an address outside. */
  readonly from: string
  /** `namespace/service`, `route:namespace/route`, or an address. */
  readonly to: string
  readonly port: number
  readonly perSecond: number
  readonly method?: string
  readonly path?: string
}

/** A time in which a flow fared alike. Rates are a second. */
export interface Span {
  readonly from: number
  readonly until: number | null
  readonly perSecond: number
  readonly failing: number
  /** Where what fails ends, and who decides it; empty while nothing fails. */
  readonly at: string
  readonly by: string
  readonly source: string
  readonly destination: string
  readonly port: number
  /** As it left its site, before any translation; null if it never does. */
  readonly leaving: { readonly source: string; readonly destination: string; readonly port: number } | null
  /** Firewall rules and translations on its way, as `site/name`. */
  readonly met: readonly string[]
}

export interface Fault {
  readonly id: string
  readonly kind: FaultKind
  /** What it is about, as `site/tarn-north`, `zone/north-1`, `machine/…`, `image/site/release`, `size/site/zone/size`. */
  readonly about: string
  readonly mode: 'transient' | 'permanent'
  /** How often it still strikes; null for always. */
  left: number | null
  readonly since: number
  /** What stood where the fault was put, as JSON: put back when it is taken away. */
  was?: string
}

export const faultKinds = [
  'machine-unavailable',
  'image-missing',
  'size-withdrawn',
  'no-stock',
  'quota-lowered',
  'hosts-out',
  'store-full',
  'pool-empty',
  'dhcp-silent',
  'name-server-wrong',
  'time-silent',
  'boot-data-cut',
  'runtime-fails',
  'agent-silent',
  'route-missing',
  'certificate-expired',
  'machine-dies',
  'machine-off',
  'host-dies',
  'spot-taken',
  'answers-fail',
] as const

export type FaultKind = (typeof faultKinds)[number]

/** A command under way or done. */
export interface Operation {
  readonly key: string
  readonly verb: string
  readonly args: Readonly<Record<string, unknown>>
  readonly startedAt: number
  stage: number
  endedAt: number | null
  result: Record<string, unknown> | null
  failure: OperationFailure | null
  readonly evidence: { readonly at: number; readonly says: string }[]
}

export interface OperationFailure {
  readonly class: 'transient' | 'permanent'
  readonly reason: string
  readonly says: string
  /** From the lowest object up. */
  readonly chain: readonly { readonly about: string; readonly says: string }[]
}

export type SimEvent =
  | { readonly at: number; readonly seq: number; readonly kind: 'stage'; readonly key: string }
  | { readonly at: number; readonly seq: number; readonly kind: 'pod-runs'; readonly cluster: string; readonly pod: string }
  | { readonly at: number; readonly seq: number; readonly kind: 'pod-fails'; readonly cluster: string; readonly pod: string }
  | { readonly at: number; readonly seq: number; readonly kind: 'pod-ends'; readonly cluster: string; readonly pod: string }
  | { readonly at: number; readonly seq: number; readonly kind: 'scale'; readonly cluster: string; readonly autoscaler: string }
  | { readonly at: number; readonly seq: number; readonly kind: 'cron'; readonly cluster: string; readonly workload: string }
  | { readonly at: number; readonly seq: number; readonly kind: 'fault'; readonly fault: Fault }
  | { readonly at: number; readonly seq: number; readonly kind: 'power'; readonly site: string; readonly machine: string; readonly what: 'unheard' | 'evict' | 'failover' | 'up' | 'taken' }

export interface World {
  readonly seed: number
  /** What registries hold: digests by repository and tag. Absent in worlds from before there were any: then every image is there. */
  images?: Readonly<Record<string, Readonly<Record<string, string>>>>
  /** Partners outside who listen. */
  peers?: readonly Peer[]
  readonly sites: Record<string, Site>
  readonly clusters: Record<string, Cluster>
  faults: Fault[]
  /** Commands as they were when the world was stored; the simulator keeps the living ones. */
  readonly operations: Readonly<Record<string, Operation>>
}
