/** What the stand-ins tell when they are asked: each answer in its turn, after everything that was asked before. */
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
} from '~/core/contract'
import type { Fault, PossibleFault } from '~/standin'
import type { EngineLink } from './engine-link'
import type { ServedChanges } from './served'

export abstract class Observed {
  protected readonly link: EngineLink
  private lane: Promise<unknown> = Promise.resolve()

  protected constructor(link: EngineLink) {
    this.link = link
  }

  /** Milliseconds on the clock of the stand-ins. */
  abstract get now(): number

  site(name: string): Promise<SiteReport | null> {
    return this.inLane(() => this.link.ask('site', { name }))
  }

  cluster(name: string): Promise<ClusterReport | null> {
    return this.inLane(() => this.link.ask('cluster', { name }))
  }

  siteNames(): Promise<readonly string[]> {
    return this.inLane(async () => (await this.link.ask('names', {})).sites)
  }

  objects(
    cluster: string,
    filter: { kind?: string | undefined; namespace?: string | undefined },
  ): Promise<readonly Record<string, unknown>[] | null> {
    return this.inLane(() => this.link.ask('objects', { cluster, ...filter }))
  }

  /** Faults that can be put in, and those that are. */
  faults(): Promise<{ possible: readonly PossibleFault[]; active: readonly Fault[] }> {
    return this.inLane(() => this.link.ask('faults', {}))
  }

  faultObjection(kind: string, about: string): Promise<string | null> {
    return this.inLane(() => this.link.ask('faultObjection', { kind, about }))
  }

  /** What the API of a cluster serves, as differences to a copy of it; null while it does not answer. */
  served(cluster: string, since: number): Promise<ServedChanges | null> {
    return this.inLane(() => this.link.ask('served', { cluster, since }))
  }

  events(cluster: string): Promise<readonly ClusterEvent[]> {
    return this.inLane(() => this.link.ask('events', { cluster }))
  }

  /** Requests a second that reached a workload, as its metrics tell; null where nobody measures. `from` and `to` in milliseconds, no later than now. */
  load(
    cluster: string,
    workload: string,
    from: number,
    to: number,
    step: number,
  ): Promise<readonly LoadPoint[] | null> {
    return this.inLane(() =>
      this.link.ask('load', { cluster, workload, from, to: Math.min(to, this.now), step }),
    )
  }

  /** Who calls whom in a cluster, and how it fared over the last day. */
  traffic(cluster: string): Promise<readonly TrafficReport[]> {
    return this.inLane(() => this.link.ask('traffic', { cluster }))
  }

  /** Everybody outside who is known to listen. */
  peers(): Promise<readonly PeerReport[]> {
    return this.inLane(() => this.link.ask('peers', {}))
  }

  /** What a site counts for its bill, over the last two months. */
  meter(site: string): Promise<readonly MeteredThing[] | null> {
    return this.inLane(() => this.link.ask('meter', { site }))
  }

  /** What the pods of each workload used over the last day, as their metrics tell. */
  usage(cluster: string): Promise<readonly UsageReport[] | null> {
    return this.inLane(() => this.link.ask('usage', { cluster }))
  }

  /** What a pod has written lately, oldest first; null if it is not there. */
  podLog(cluster: string, pod: string, lines: number): Promise<readonly string[] | null> {
    return this.inLane(() => this.link.ask('log', { cluster, pod, lines }))
  }

  /** What the services of a node have written lately, or of the control plane. */
  nodeLog(cluster: string, node: string | null, lines: number): Promise<readonly string[] | null> {
    return this.inLane(() => this.link.ask('nodeLog', { cluster, node, lines }))
  }

  /** How a node is inside. */
  nodeLook(cluster: string, node: string): Promise<NodeLook | null> {
    return this.inLane(() => this.link.ask('nodeLook', { cluster, node }))
  }

  /** Asks a pod from inside. */
  probe(
    cluster: string,
    pod: string,
    kind: ProbeKind,
    target: string,
  ): Promise<ProbeAnswer | null> {
    return this.inLane(() => this.link.ask('probe', { cluster, pod, kind, target }))
  }

  checkCredential(
    site: string,
    fingerprint: string,
  ): Promise<{ readonly good: boolean; readonly says: string }> {
    return this.inLane(() => this.link.ask('credential', { site, fingerprint }))
  }

  boxFacts(site: string, machine: string): Promise<BoxFacts | null> {
    return this.inLane(() => this.link.ask('boxFacts', { site, machine }))
  }

  protected inLane<T>(work: () => Promise<T>): Promise<T> {
    const turn = this.lane.then(work)
    this.lane = turn.catch(() => undefined)
    return turn
  }
}
