/** How the server reaches the outside. The stand-ins implement this, a live cluster behind its API would too. */
import type { SliceName } from './refs'
import type {
  BoxFacts,
  ClusterEvent,
  ClusterReport,
  LoadPoint,
  MeteredThing,
  PeerReport,
  NodeLook,
  ProbeAnswer,
  ProbeKind,
  SiteReport,
  TrafficReport,
  UsageReport,
} from './reports'
import type { Said } from './said'
import type { Failure } from './verb'

export interface Evidence extends Said {
  /** Milliseconds on the connector’s clock. */
  readonly at: number
}

/** How a command stands, asked by its key. */
export type Outcome =
  | { readonly known: false }
  | { readonly known: true; readonly ended: false; readonly evidence: readonly Evidence[] }
  | Ended

/** A command that has ended, well or not. */
export interface Ended {
  readonly known: true
  readonly ended: true
  /** Milliseconds on the connector’s clock. */
  readonly at: number
  readonly result: Readonly<Record<string, unknown>> | null
  readonly failure: Failure | null
  readonly evidence: readonly Evidence[]
}

/** Where a command comes from, for connectors that keep something by it. */
export interface Origin {
  readonly change: number
  readonly attempt: number
}

/**
 * Carries out commands. A repeated key is answered with the first result, and told again; `lookup` is asked before any
 * retry or undo whose predecessor’s outcome is unknown. The end of a command is told through the listener.
 */
export interface Commands {
  issue(
    key: string,
    verb: string,
    args: Readonly<Record<string, unknown>>,
    origin: Origin,
  ): Promise<void>
  lookup(key: string): Promise<Outcome>
}

/** The clock that a connector lives by: retries, lateness and being stuck are timed on it. */
export interface ConnectorClock {
  /** Milliseconds. */
  readonly now: number
}

/** What a connector tells without being asked. */
export interface ConnectorListener {
  ended(key: string, outcome: Ended): void
  evidence(key: string, evidence: readonly Evidence[]): void
  /** Slices that are not what they were. */
  changed(slices: readonly SliceName[]): void
}

/** One way to a part of the outside. */
export interface Connector extends Commands {
  readonly name: string
  readonly clock: ConnectorClock
  /** Whether it tells of every slice that is not what it was; else it must be asked time and again. */
  readonly tells?: boolean
  /** From here on the listener is told. */
  connect(listener: ConnectorListener): void
  /** Whether its clock is the wall’s: no simulated clock has reason to hurry for its work. */
  readonly isReal?: boolean
  /** A run turns back: a command that only waits for something outside ends, not done. */
  leaveOff?(key: string): void
  /** Whether anything is under way for somebody who waits; a simulated clock may hurry then. */
  busy?(isBusy: boolean): Promise<void>
}

/** Nothing was heard: no way there, no answer in time. Any other error is a fault of whoever throws it. */
export class Unheard extends Error {}

/** What can be asked of the outside. Null is an answer: not there, or not measured. Silence throws `Unheard`. */
export interface Observe {
  siteNames(): Promise<readonly string[]>
  site(name: string): Promise<SiteReport | null>
  cluster(name: string): Promise<ClusterReport | null>
  /** What a cluster’s API lists; null where it does not answer. */
  objects(
    cluster: string,
    filter: { readonly kind?: string | undefined; readonly namespace?: string | undefined },
  ): Promise<readonly Readonly<Record<string, unknown>>[] | null>
  events(cluster: string): Promise<readonly ClusterEvent[]>
  /** What a site counts for its bill, over the last two months. */
  meter(site: string): Promise<readonly MeteredThing[] | null>
  /** Who calls whom in a cluster, and how it fared over the last day. */
  traffic(cluster: string): Promise<readonly TrafficReport[]>
  /** Everybody outside who is known to listen. */
  peers(): Promise<readonly PeerReport[]>
  /** What the pods of each workload used over the last day. */
  usage(cluster: string): Promise<readonly UsageReport[] | null>
  /** Requests a second that reached a workload, between two times (ms), no later than now. */
  load(
    cluster: string,
    workload: string,
    from: number,
    to: number,
    step: number,
  ): Promise<readonly LoadPoint[] | null>
  /** What a pod has written lately, oldest first. */
  podLog(cluster: string, pod: string, lines: number): Promise<readonly string[] | null>
  /** What the services of a node have written lately, or those of the control plane where no node is named; null where nobody answers. */
  nodeLog(cluster: string, node: string | null, lines: number): Promise<readonly string[] | null>
  /** How a node is inside; null where it cannot be looked into. */
  nodeLook(cluster: string, node: string): Promise<NodeLook | null>
  /** Asks a pod from inside. */
  probe(cluster: string, pod: string, kind: ProbeKind, target: string): Promise<ProbeAnswer | null>
  boxFacts(site: string, machine: string): Promise<BoxFacts | null>
  /** What a site says to a credential, by the fingerprint of its secret. */
  checkCredential(
    site: string,
    fingerprint: string,
  ): Promise<{ readonly good: boolean; readonly says: string }>
}
