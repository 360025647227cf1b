/**
 * Which connector carries what. A command goes where its verb says: to Gyrarch’s own register or desk, or to whoever has the
 * site or cluster it is asked of. Everybody above asks here and knows no connector.
 */
import {
  type Command,
  type Connector,
  type Observe,
  type Ref,
  ref,
  targetOf,
} from '~/core/contract'

type Outside = Connector & Observe

export class ConnectorRegistry {
  private readonly byRef = new Map<Ref, Outside>()

  /** `outside` has every site and cluster that was given to nobody else; `reach` opens ways to further clusters. */
  constructor(
    private readonly register: Connector,
    private readonly desk: Connector,
    private readonly outside: Outside,
    private readonly reach: Outside,
  ) {}

  /** From now on this site or cluster is reached by another connector. */
  assign(about: Ref, connector: Outside): void {
    this.byRef.set(about, connector)
  }

  /** It is reached as all others again, or not at all. */
  unassign(about: Ref): void {
    this.byRef.delete(about)
  }

  all(): readonly Connector[] {
    return [
      ...new Set<Connector>([
        this.register,
        this.desk,
        this.outside,
        this.reach,
        ...this.byRef.values(),
      ]),
    ]
  }

  /** The connector that carries a command. */
  carrying(command: Pick<Command, 'port' | 'verb' | 'args'>): Connector {
    if (command.port === 'ledger') return this.register
    if (command.port === 'reach') return this.reach
    return command.port === 'desk' ? this.desk : this.having(targetOf(command))
  }

  /** The connector that has a site or a cluster. */
  having(about: Ref): Outside {
    return this.byRef.get(about) ?? this.outside
  }

  /** Everything that can be asked, each question of whoever has what it is about. */
  observe(): Observe {
    const site = (name: string): Outside => this.having(ref('site', name))
    const cluster = (name: string): Outside => this.having(ref('cluster', name))
    const everybody = (): readonly Outside[] => [
      ...new Set<Outside>([this.outside, ...this.byRef.values()]),
    ]
    return {
      siteNames: async () =>
        (await Promise.all(everybody().map((outside) => outside.siteNames()))).flat(),
      peers: async () => (await Promise.all(everybody().map((outside) => outside.peers()))).flat(),
      site: (name) => site(name).site(name),
      meter: (name) => site(name).meter(name),
      boxFacts: (name, machine) => site(name).boxFacts(name, machine),
      checkCredential: (name, fingerprint) => site(name).checkCredential(name, fingerprint),
      cluster: (name) => cluster(name).cluster(name),
      objects: (name, filter) => cluster(name).objects(name, filter),
      events: (name) => cluster(name).events(name),
      traffic: (name) => cluster(name).traffic(name),
      usage: (name) => cluster(name).usage(name),
      load: (name, workload, from, to, step) => cluster(name).load(name, workload, from, to, step),
      podLog: (name, pod, lines) => cluster(name).podLog(name, pod, lines),
      nodeLog: (name, node, lines) => cluster(name).nodeLog(name, node, lines),
      nodeLook: (name, node) => cluster(name).nodeLook(name, node),
      probe: (name, pod, kind, target) => cluster(name).probe(name, pod, kind, target),
    }
  }
}
