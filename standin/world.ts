/** Everything the simulated outside consists of, as plain data that can be stored and restored. */

import type { Evidence, Failure, JudgedImage, PeerReport, RegistryAccess } from '../core/contract'
import type { Cluster } from './cluster-state'
import type { Site } from './site-state'

export type * from './cluster-state'
export type * from './site-state'

export type { PeerReport as Peer } from '../core/contract'

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

/** Faults of what runs: machines, workloads, services, clusters that were well. */
export const dayFaults = [
  'runtime-dies',
  'agent-stops',
  'clock-drifts',
  'host-certificate-ends',
  'disk-fills',
  'memory-fills',
  'process-ends',
  'memory-short',
  'not-answering',
  'process-hangs',
  'selector-turned',
  'port-turned',
  'gate-closes',
  'gate-slow',
  'gate-behind',
  'state-store-slow',
  'state-store-full',
  'rule-switched',
  'tag-withdrawn',
  'pods-pinned',
  'budget-tightened',
  'security-raised',
  'quota-cut',
  'architecture-wrong',
  'members-lost',
  'api-flooded',
  'policy-closes',
  'registry-silent',
  'registry-denies',
  'volume-held',
] as const

export const faultKinds = [
  'machine-unavailable',
  'site-slow',
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
  'member-silent',
  'add-on-crashes',
  'machine-dies',
  'machine-off',
  'host-dies',
  'spot-taken',
  'answers-fail',
  'disk-lost',
  'disk-full',
  'disk-slow',
  ...dayFaults,
] as const

export type FaultKind = (typeof faultKinds)[number]

/** A command under way or done. */
export interface Operation<Args = Readonly<Record<string, unknown>>> {
  readonly key: string
  readonly verb: string
  readonly args: Args
  readonly startedAt: number
  stage: number
  endedAt: number | null
  result: Record<string, unknown> | null
  failure: Failure | null
  readonly evidence: Evidence[]
}

export type { Evidence, Failure as OperationFailure } from '../core/contract'

export type SimEvent =
  | { readonly at: number; readonly seq: number; readonly kind: 'stage'; readonly key: string }
  | {
      readonly at: number
      readonly seq: number
      readonly kind: 'pod-runs'
      readonly cluster: string
      readonly pod: string
    }
  | {
      readonly at: number
      readonly seq: number
      readonly kind: 'pod-fails'
      readonly cluster: string
      readonly pod: string
    }
  | {
      readonly at: number
      readonly seq: number
      readonly kind: 'pod-ends'
      readonly cluster: string
      readonly pod: string
    }
  | {
      readonly at: number
      readonly seq: number
      readonly kind: 'scale'
      readonly cluster: string
      readonly autoscaler: string
    }
  | {
      readonly at: number
      readonly seq: number
      readonly kind: 'cron' | 'fill' | 'ail'
      readonly cluster: string
      readonly workload: string
    }
  | {
      readonly at: number
      readonly seq: number
      readonly kind: 'storage' | 'tell' | 'support'
      readonly cluster: string
    }
  | { readonly at: number; readonly seq: number; readonly kind: 'fault'; readonly fault: Fault }
  | {
      readonly at: number
      readonly seq: number
      readonly kind: 'power'
      readonly site: string
      readonly machine: string
      readonly what: 'unheard' | 'evict' | 'failover' | 'up' | 'taken'
    }

export interface World {
  readonly seed: number
  /** Everything takes as long as it usually does, neither more nor less. */
  readonly steady?: boolean
  /** What registries hold: digests by repository and tag. Absent in worlds from before there were any: then every image is there. */
  images?: Readonly<Record<string, Readonly<Record<string, string>>>>
  /** The releases there are: until when each is supported, and whether it was withdrawn. */
  readonly releases?: readonly {
    readonly version: string
    readonly released: string
    readonly endOfSupport: string
    readonly withdrawn: string | null
  }[]
  /** Images of others: the host in their names, and where a registry of ours keeps them. */
  readonly outside?: { readonly host: string; readonly registry: string; readonly below: string }
  /** What is known of images by their digests: those that are not signed, or have findings. */
  judged?: Readonly<Record<string, JudgedImage>>
  /** Who may pull from registries, by their names. */
  access?: Readonly<Record<string, RegistryAccess>>
  /** Registries that have told what they hold: their digests are those of real bytes. */
  told?: readonly string[]
  /** Partners outside who listen. */
  peers?: readonly PeerReport[]
  /** Replaced when a site comes or goes. */
  sites: Readonly<Record<string, Site>>
  readonly clusters: Record<string, Cluster>
  faults: Fault[]
  /** Commands as they were when the world was stored; the simulator keeps the living ones. */
  readonly operations: Readonly<Record<string, Operation>>
}
