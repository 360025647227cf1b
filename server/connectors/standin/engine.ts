/**
 * The simulator behind a message interface, so that it can live in a worker thread.
 * It is asked one thing at a time and holds no connection to anything: what must outlive it is given back as chunks.
 */
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
import {
  boxFactsOf,
  buildWorld,
  type Cluster,
  clusterReport,
  credentialAnswer,
  endFault,
  enterCredential,
  eventsOf,
  type Fault,
  faultObjection,
  loadAt,
  meterOf,
  objectsOf,
  type Operation,
  nodeLog,
  nodeLook,
  peersOf,
  podLog,
  type PossibleFault,
  possibleFaults,
  probe,
  type Scenario,
  Simulator,
  type Site,
  siteReport,
  type Snapshot,
  startFault,
  takeTold,
  trafficOf,
  usage,
  type World,
} from '~/standin'
import { momentOf, readyPods } from '~/standin/model'
import { type ServedChanges, ServedObjects } from './served'
import { modelOf, type ObservedFleet, type ObservedObjects } from './model'

/** A stamped command out of the log. */
export interface LoggedCommand {
  readonly key: string
  readonly verb: string
  readonly args: Readonly<Record<string, unknown>>
  readonly clock: number
  readonly processed: number
}

export interface Chunk {
  readonly name: string
  readonly body: string
}

export interface RunReport {
  readonly now: number
  readonly processed: number
  readonly nextEventAt: number | null
  readonly ended: readonly Operation[]
  readonly moved: readonly Operation[]
  readonly changed: readonly string[]
}

export interface Asks {
  /** A world made of what was observed, in place of whatever was there. */
  model: { ask: { view: ObservedFleet; objects: ObservedObjects; seed: number }; answer: null }
  moment: { ask: { clusters: readonly string[] }; answer: ReturnType<typeof momentOf> }
  readyPods: { ask: { clusters: readonly string[] }; answer: Readonly<Record<string, number>> }
  build: { ask: { scenario: Scenario; seed: number; nodes: number; at: number }; answer: null }
  restore: { ask: { chunks: readonly Chunk[] }; answer: null }
  replay: { ask: { commands: readonly LoggedCommand[]; until: number }; answer: RunReport }
  run: { ask: { until: number; mostEvents: number }; answer: RunReport }
  command: {
    ask: { key: string; verb: string; args: Readonly<Record<string, unknown>> }
    answer: null
  }
  lookup: { ask: { key: string }; answer: Operation | null }
  names: {
    ask: Record<string, never>
    answer: { sites: readonly string[]; clusters: readonly string[] }
  }
  site: { ask: { name: string }; answer: SiteReport | null }
  cluster: { ask: { name: string }; answer: ClusterReport | null }
  objects: {
    ask: { cluster: string; kind?: string | undefined; namespace?: string | undefined }
    answer: readonly Record<string, unknown>[] | null
  }
  events: { ask: { cluster: string }; answer: readonly ClusterEvent[] }
  served: { ask: { cluster: string; since: number }; answer: ServedChanges | null }
  load: {
    ask: { cluster: string; workload: string; from: number; to: number; step: number }
    answer: readonly LoadPoint[] | null
  }
  meter: { ask: { site: string }; answer: readonly MeteredThing[] | null }
  traffic: { ask: { cluster: string }; answer: readonly TrafficReport[] }
  peers: { ask: Record<string, never>; answer: readonly PeerReport[] }
  usage: { ask: { cluster: string }; answer: readonly UsageReport[] | null }
  log: { ask: { cluster: string; pod: string; lines: number }; answer: readonly string[] | null }
  nodeLog: {
    ask: { cluster: string; node: string | null; lines: number }
    answer: readonly string[] | null
  }
  nodeLook: { ask: { cluster: string; node: string }; answer: NodeLook | null }
  probe: {
    ask: { cluster: string; pod: string; kind: ProbeKind; target: string }
    answer: ProbeAnswer | null
  }
  credential: {
    ask: { site: string; fingerprint: string }
    answer: { readonly good: boolean; readonly says: string }
  }
  boxFacts: { ask: { site: string; machine: string }; answer: BoxFacts | null }
  faults: {
    ask: Record<string, never>
    answer: { possible: readonly PossibleFault[]; active: readonly Fault[] }
  }
  faultObjection: { ask: { kind: string; about: string }; answer: string | null }
  chunks: { ask: { all: boolean }; answer: readonly Chunk[] }
}

export type Question = { [K in keyof Asks]: { readonly what: K } & Asks[K]['ask'] }[keyof Asks]

/** The parts of a site that came later than the first stored worlds. */
const withoutParts = {
  quotaBalancers: null,
  quotaAddresses: null,
  routes: [],
  nameServers: [],
  timeServers: [],
  nameDomain: '',
  records: [],
  storageClasses: [],
  bootData: { limitBytes: null, base64: false },
  bootDataCutAt: null,
  published: [],
  balancers: [],
  credentials: [],
} satisfies Partial<Site>

/** What was stored, with the parts it lacks behind it: the order of what it has stays, to the byte. */
const completed = <T extends object>(stored: T, parts: Partial<T>): T => ({
  ...stored,
  ...Object.fromEntries(Object.entries(parts).filter(([key]) => !Object.hasOwn(stored, key))),
})

const keptParts = (now: number): Partial<Cluster> => ({
  certificatesUntil: now + 180 * 86_400_000,
  backups: [],
})

interface Core extends Snapshot {
  readonly sites: readonly string[]
  readonly clusters: readonly string[]
}

const withoutPrefix = (text: string, prefix: string): string => text.slice(prefix.length)

export class Engine {
  private sim = new Simulator({ seed: 0, sites: {}, clusters: {}, faults: [], operations: {} }, 0)
  /** Slices changed since chunks were last taken. */
  private readonly unsaved = new Set<string>()
  private readonly servedOf = new Map<string, ServedObjects>()

  answer(question: Question): unknown {
    switch (question.what) {
      case 'build':
        this.sim = new Simulator(
          buildWorld(question.scenario, question.seed, question.nodes),
          question.at,
        )
        this.sim.begin()
        return null
      case 'model':
        return this.model(question)
      case 'moment':
        return momentOf(this.sim, question.clusters)
      case 'readyPods':
        return readyPods(this.sim, question.clusters)
      case 'restore':
        this.restore(question.chunks)
        return null
      case 'replay':
        return this.replay(question.commands, question.until)
      case 'run':
        this.sim.run(question.until, question.mostEvents)
        return this.report()
      case 'command':
        this.command(question.key, question.verb, question.args)
        return null
      case 'lookup':
        return this.sim.lookup(question.key) ?? null
      case 'names':
        return {
          sites: Object.keys(this.sim.world.sites),
          clusters: Object.keys(this.sim.world.clusters),
        }
      case 'site':
        return siteReport(this.sim, question.name)
      case 'cluster':
        return clusterReport(this.sim, question.name)
      case 'objects':
        return objectsOf(this.sim, question.cluster, question)
      case 'served':
        return this.served(question.cluster, question.since)
      case 'events':
        return eventsOf(this.sim, question.cluster)
      case 'load':
        return this.load(question)
      case 'meter':
        return meterOf(this.sim, question.site)
      case 'traffic':
        return trafficOf(this.sim, question.cluster)
      case 'peers':
        return peersOf(this.sim.world)
      case 'usage':
        return usage(this.sim, question.cluster)
      case 'log':
        return podLog(this.sim, question.cluster, question.pod, question.lines)
      case 'nodeLog':
        return nodeLog(this.sim, question.cluster, question.node, question.lines)
      case 'nodeLook':
        return nodeLook(this.sim, question.cluster, question.node)
      case 'probe':
        return probe(this.sim, question.cluster, question.pod, question.kind, question.target)
      case 'credential':
        return credentialAnswer(this.sim, question.site, question.fingerprint)
      case 'boxFacts':
        return boxFactsOf(this.sim, question.site, question.machine)
      case 'faults':
        return { possible: possibleFaults, active: this.sim.world.faults }
      case 'faultObjection':
        return faultObjection(this.sim, question.kind, question.about)
      case 'chunks':
        return this.chunks(question.all)
    }
  }

  private load({ cluster, workload, from, to, step }: Asks['load']['ask']) {
    const points = this.sim.cluster(cluster)?.load?.[workload]
    if (!points) return null
    return Array.from({ length: Math.floor((to - from) / step) + 1 }, (_, i) => {
      const at = from + i * step
      return { at, value: loadAt(points, at) }
    })
  }

  private served(cluster: string, since: number): ServedChanges | null {
    const objects = this.servedOf.get(cluster) ?? new ServedObjects()
    this.servedOf.set(cluster, objects)
    return objects.changes(this.sim, cluster, since)
  }

  private model({ view, objects, seed }: Asks['model']['ask']): null {
    this.sim = new Simulator(modelOf(view, objects, seed), Date.parse(view.now))
    this.sim.begin()
    return null
  }

  private command(key: string, verb: string, args: Readonly<Record<string, unknown>>): void {
    this.enter(key, verb, args)
    this.sim.settle()
  }

  private enter(key: string, verb: string, args: Readonly<Record<string, unknown>>): void {
    if (verb === 'fault.put') {
      const fault = args['fault'] as Fault
      const after = Number(args['afterSeconds'] ?? 0)
      if (after > 0) this.sim.schedule(after * 1000, { kind: 'fault', fault })
      else startFault(this.sim, structuredClone(fault))
    } else if (verb === 'credential.enter')
      enterCredential(
        this.sim,
        String(args['site']),
        String(args['fingerprint']),
        Number(args['until']),
      )
    else if (verb === 'registry.tell') takeTold(this.sim, args)
    else if (verb === 'fault.end') endFault(this.sim, String(args['id']))
    else this.sim.command(key, verb, args)
  }

  private replay(commands: readonly LoggedCommand[], until: number): RunReport {
    for (const command of commands) {
      this.sim.replayTo(command.processed, command.clock)
      this.command(command.key, command.verb, command.args)
    }
    // What ended after the last command is history too: nobody waits for it here, the runner asks by key.
    while (this.sim.nextEventAt !== null && this.sim.nextEventAt <= until) {
      this.sim.run(until)
      this.collect()
    }
    this.sim.run(until)
    return this.report()
  }

  private collect() {
    const drained = this.sim.drain()
    for (const slice of drained.changed) this.unsaved.add(slice)
    return drained
  }

  private report(): RunReport {
    const drained = this.collect()
    return {
      now: this.sim.now,
      processed: this.sim.processed,
      nextEventAt: this.sim.nextEventAt,
      ended: drained.ended,
      moved: [...drained.moved],
      changed: [...drained.changed],
    }
  }

  private chunks(all: boolean): readonly Chunk[] {
    this.collect()
    const { world } = this.sim
    const core: Core = {
      ...this.sim.snapshot(),
      sites: Object.keys(world.sites),
      clusters: Object.keys(world.clusters),
    }
    const slices = all
      ? [
          ...core.sites.map((name) => `site:${name}`),
          ...core.clusters.map((name) => `cluster:${name}`),
        ]
      : [...this.unsaved]
    this.unsaved.clear()
    const bodies = slices.flatMap((name): Chunk[] => {
      const value: Site | Cluster | undefined = name.startsWith('site:')
        ? world.sites[withoutPrefix(name, 'site:')]
        : world.clusters[withoutPrefix(name, 'cluster:')]
      return value ? [{ name, body: JSON.stringify(value) }] : []
    })
    return [{ name: 'core', body: JSON.stringify(core) }, ...bodies]
  }

  private restore(chunks: readonly Chunk[]): void {
    const bodies = new Map(chunks.map((chunk) => [chunk.name, chunk.body]))
    const read = <T>(name: string): T => {
      const body = bodies.get(name)
      if (body === undefined) throw new Error(`the stand-ins’ stored state lacks ${name}`)
      return JSON.parse(body) as T
    }
    const core = read<Core>('core')
    const world: World = {
      seed: core.seed,
      // What was stored before a site had these parts has none of them.
      sites: Object.fromEntries(
        core.sites.map((name) => [name, completed(read<Site>(`site:${name}`), withoutParts)]),
      ),
      clusters: Object.fromEntries(
        core.clusters.map((name) => [
          name,
          completed(read<Cluster>(`cluster:${name}`), keptParts(core.now)),
        ]),
      ),
      faults: [...core.faults],
      operations: { ...core.operations },
      ...(core.images ? { images: core.images } : {}),
      ...(core.told ? { told: core.told } : {}),
      ...(core.judged ? { judged: core.judged } : {}),
      ...(core.peers ? { peers: core.peers } : {}),
    }
    this.sim = new Simulator(world, core.now, core)
  }
}
