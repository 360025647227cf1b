/** A cluster as the simulator keeps it: its nodes, what was written to it, and the calls within it. */
import type { Manifest, PullsAs, Redirect, Taint } from '../core/contract'

export type { Taint } from '../core/contract'
import type { Machine, ManagedControlPlane } from './site-state'
import type { Storage } from './storage/state'

export interface Condition {
  readonly type: string
  readonly status: 'True' | 'False' | 'Unknown'
  readonly reason: string
  readonly message: string
  readonly since: number
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
  taints: readonly Taint[]
  /** It was ready, and has no pod network any more. */
  lacksNetwork?: boolean
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
export type { Manifest }

/** What a workload’s pods are made from, at one time in its life. */
export interface Revision {
  readonly number: number
  readonly hash: string
  readonly template: Readonly<Record<string, unknown>>
  readonly at: number
  /** When it was gone back to (ms). */
  readonly again?: number
}

export interface Workload {
  readonly namespace: string
  readonly name: string
  /** A pod that nobody makes anew is a workload of its own; so is a replica set that no deployment keeps. */
  readonly kind:
    'Deployment' | 'ReplicaSet' | 'StatefulSet' | 'DaemonSet' | 'CronJob' | 'Job' | 'Pod'
  /** As somebody wrote it; absent on those that came with the platform. */
  readonly manifest?: Manifest
  /** Oldest first, the last one is meant now; absent while there was only ever one. */
  readonly revisions?: readonly Revision[]
  /** When a pod of it last became ready or went (ms). */
  progressedAt?: number
  /** How many of a job’s pods have ended well. */
  completed?: number
  /** When a job had as many of them as it wants (ms). */
  endedAt?: number
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
  /** Volumes that its pods mount: of a StatefulSet each pod its own, else all the same. */
  readonly volumes?: readonly {
    readonly name: string
    readonly claim?: string
    readonly class: string
    readonly bytes: number
  }[]
  readonly createdAt: number
  /** What was told of why its controller cannot make pods, as text; it tries again. */
  refused?: string
  /** When its controller makes the next batch of pods (ms), while it waits with it. */
  batchAt?: number
  /** What its containers suffer from, since when, and the memory that would be enough. */
  ailing?: { readonly of: WorkloadAilment; readonly since: number; readonly needsBytes: number }
  /** When the first pod of it started (ms); absent while none has. */
  ranFrom?: number
  /** Of a pod that nobody makes anew: it was made. */
  isMade?: true
}

/** What the containers of a workload can suffer from. */
export type WorkloadAilment = 'crash' | 'memory' | 'readiness' | 'liveness' | 'architecture'

export interface Pod {
  readonly namespace: string
  readonly name: string
  workload: string
  /** What its workload is; absent in worlds of before, where no two had one name. */
  workloadKind?: Workload['kind']
  node: string | null
  /** The one node a daemon’s pod is for, while it waits for room there. */
  wants?: string
  phase: 'Pending' | 'Running' | 'Succeeded'
  /** Which revision it was made from; absent while there was only ever one. */
  hash?: string
  /** Its start is held up on its node: what its container waits for. */
  trouble?: {
    readonly reason: string
    readonly message: string
    /** The image that its registry gives to others. */
    readonly denied?: string
  }
  /** Runs, but is not ready for what it serves. */
  unready?: boolean
  restarts?: number
  /** How its container ended last. */
  last?: { readonly reason: string; readonly exitCode: number; readonly at: number }
  /** Why it waits, in the scheduler’s words. */
  waits: string | null
  ip: string | null
  readonly cpuMilli: number
  readonly memoryBytes: number
  readonly gpus: number
  readonly createdAt: number
  startedAt: number | null
  /** Digests that were pulled, by image, where the tag stands for another since. */
  pulled?: Readonly<Record<string, string>>
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
  release: string
  readonly managed: boolean
  readonly endpoint: string
  readonly pods: string
  readonly services: string
  readonly apiAddress: string
  readonly dnsAddress: string
  readonly maxPodsPerNode: number
  /** Where its nodes look for images instead, by the beginning of their names. */
  redirects?: readonly Redirect[]
  /** Nobody told what the registries hold that it pulls from: whatever is asked of them is taken to be there. */
  readonly anyImage?: boolean
  /** What its nodes show to registries when they pull for a namespace. */
  pullsAs?: readonly PullsAs[]
  /** Who asks its API for versions of objects: the workload that does, where it runs, and how often (s). */
  apiClients?: readonly {
    readonly agent: string
    readonly cluster: string
    readonly from: string
    readonly apiVersion: string
    readonly kind: string
    readonly everySeconds: number
  }[]
  /** Add-ons installed, by name. */
  addOns?: Readonly<Record<string, string>>
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
  /** Since when each of them holds the fields that it holds (ms), by object and by owner. */
  ownedAt?: Readonly<Record<string, Readonly<Record<string, number>>>>
  storageClass?: { readonly name: string; readonly zones: readonly string[] }
  /** Replicated storage on the disks of its nodes. */
  storage?: Storage
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
  resting?: {
    readonly since: number
    readonly machines: readonly Machine[]
    readonly nodes: readonly Node[]
    readonly controlPlanes: readonly ManagedControlPlane[]
  }
  backups: {
    readonly id: string
    readonly at: number
    readonly bytes: number
    readonly objects: number
    readonly body: string
  }[]
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
  readonly leaving: {
    readonly source: string
    readonly destination: string
    readonly port: number
  } | null
  /** Firewall rules and translations on its way, as `site/name`. */
  readonly met: readonly string[]
}
