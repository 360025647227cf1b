/**
 * Clusters that exist already, through their API, as a connector of the contract. Its clock is the wall’s. What stands
 * under a cluster is nothing it can tell or alter: such questions are answered with nothing, such commands refused.
 */
import {
  type ArgsOf,
  type ClusterReport,
  type Connector,
  type ConnectorListener,
  type Ended,
  type Evidence,
  type Failure,
  type Observe,
  type Outcome,
  quoted,
  type ReachReason,
  readCommand,
  type Said,
  saidOf,
  type UsageReport,
} from '~/core/contract'
import type { Database } from '../../records/database'
import { ApiRefusal } from './client'
import { behaviourOf } from './behaviours'
import { eventsOf } from './report'
import { ReachCommandRow } from './rows'
import { said } from './says'
import { Unreached } from './transport'
import type { Ways } from './ways'
import { CommandFailed, Writing } from './writing'

interface Running {
  readonly controller: AbortController
  readonly evidence: Evidence[]
}

type Result = Readonly<Record<string, unknown>>

/** A run turned back: what only waits, ends. */
class LeftOff extends Error {}

const fileField = 'reach.accessFile'
/** Reasons that another access file would mend. */
const ofFile: readonly ReachReason[] = [
  'certificate-untrusted',
  'token-refused',
  'unreachable',
  'rights-missing',
  'not-the-api',
]

export class OpenApi implements Connector, Observe {
  readonly name = 'open-api'
  readonly isReal = true
  readonly tells = true
  readonly clock = {
    get now(): number {
      return Date.now()
    },
  }
  private listener: ConnectorListener | null = null
  private readonly running = new Map<string, Running>()

  constructor(
    private readonly database: Database,
    private readonly ways: Ways,
    private readonly onError: (error: unknown) => void,
  ) {}

  connect(listener: ConnectorListener): void {
    this.listener = listener
  }

  changed(cluster: string): void {
    this.listener?.changed([`cluster:${cluster}`])
  }

  // Commands.

  /** How many commands are being carried out. */
  get underWay(): number {
    return this.running.size
  }

  async issue(key: string, verb: string, args: Readonly<Record<string, unknown>>): Promise<void> {
    if (this.running.has(key)) return
    const before = await ReachCommandRow.findByPk(key)
    if (before?.outcome) {
      this.listener?.ended(key, before.outcome)
      return
    }
    const running: Running = { controller: new AbortController(), evidence: [] }
    this.running.set(key, running)
    if (!before)
      await this.database.write((transaction) =>
        ReachCommandRow.create({ key, at: new Date().toISOString() }, { transaction }),
      )
    void this.carryOut(key, verb, args, running, before?.kept ?? null).catch(this.onError)
  }

  async lookup(key: string): Promise<Outcome> {
    const running = this.running.get(key)
    if (running) return { known: true, ended: false, evidence: running.evidence }
    const row = await ReachCommandRow.findByPk(key)
    // One that was cut off is issued again, and goes on from what it kept.
    return row?.outcome ?? { known: false }
  }

  leaveOff(key: string): void {
    this.running.get(key)?.controller.abort(new LeftOff(said('left-off').says))
  }

  /** Everything that is under way ends here; it is taken up by the next start. */
  halt(): void {
    this.listener = null
    for (const { controller } of this.running.values()) controller.abort(new Error('closed'))
  }

  private async carryOut(
    key: string,
    verb: string,
    args: Readonly<Record<string, unknown>>,
    running: Running,
    kept: Result | null,
  ): Promise<void> {
    const told = (what: Said): void => {
      running.evidence.push({ at: Date.now(), ...saidOf(what) })
      this.listener?.evidence(key, running.evidence)
    }
    let result: Result | null = null
    let failure: Failure | null = null
    try {
      result = await this.done(key, verb, args, { running, kept, told })
    } catch (error) {
      if (!this.listener) return
      const { reason } = running.controller.signal
      failure = failureOf(reason instanceof LeftOff ? reason : error, verb, args, this.onError)
    }
    if (!this.listener) return
    const outcome: Ended = {
      known: true,
      ended: true,
      at: Date.now(),
      result,
      failure,
      evidence: running.evidence,
    }
    await this.database.write((transaction) =>
      ReachCommandRow.update({ outcome }, { where: { key }, transaction }),
    )
    this.running.delete(key)
    this.listener?.ended(key, outcome)
  }

  private async done(
    key: string,
    verb: string,
    given: Readonly<Record<string, unknown>>,
    {
      running,
      kept,
      told,
    }: {
      readonly running: Running
      readonly kept: Result | null
      readonly told: (what: Said) => void
    },
  ): Promise<Result> {
    const read = readCommand(verb, given)
    if (!read.ok) throw new CommandFailed(read.reason, verb, read.says)
    const { signal } = running.controller
    const cluster = String(read.args['cluster'] ?? '')
    if (verb === 'reach.open') return this.open(read.args as ArgsOf<'reach.open'>, told, signal)
    if (verb === 'reach.close') {
      await this.ways.strike(cluster)
      told(said('reach.closed', { cluster }))
      return {}
    }
    const behaviour = behaviourOf(verb)
    if (!behaviour) throw new CommandFailed('not-here', verb, said('not-here', { verb }).says)
    const reached = this.ways.reachedOf(cluster)
    if (!reached)
      throw new CommandFailed(
        'api-down',
        `cluster/${cluster}`,
        said('not-taken', { cluster }).says,
        true,
      )
    const writing = new Writing(reached.client, cluster, signal)
    const result = await behaviour(
      {
        cluster,
        key,
        reached,
        writing,
        signal,
        kept,
        keep: async (what) => {
          await this.database.write((transaction) =>
            ReachCommandRow.update({ kept: { ...what } }, { where: { key }, transaction }),
          )
        },
        told,
      },
      read.args,
    )
    await reached.seen(writing.traces)
    return result
  }

  private async open(
    args: ArgsOf<'reach.open'>,
    told: (what: Said) => void,
    signal: AbortSignal,
  ): Promise<Result> {
    const reached =
      args.kind === 'inbound'
        ? await this.ways.openInbound(args, told)
        : await this.ways.openOutbound(args, told, signal)
    told(said('reach.opened', { cluster: args.cluster }))
    return { nodes: reached.of('nodes').length, release: reached.release }
  }

  // Observed.

  siteNames = (): Promise<readonly string[]> => Promise.resolve([])
  peers = (): Promise<readonly []> => Promise.resolve([])
  site = (): Promise<null> => Promise.resolve(null)
  meter = (): Promise<null> => Promise.resolve(null)
  boxFacts = (): Promise<null> => Promise.resolve(null)
  usage = (name: string): Promise<readonly UsageReport[] | null> =>
    Promise.resolve(this.ways.reachedOf(name)?.usage() ?? null)
  load = (): Promise<null> => Promise.resolve(null)
  nodeLook = (): Promise<null> => Promise.resolve(null)
  nodeLog = (): Promise<null> => Promise.resolve(null)
  probe = (): Promise<null> => Promise.resolve(null)
  traffic = (): Promise<readonly []> => Promise.resolve([])
  checkCredential = (): Promise<{ readonly good: boolean; readonly says: string }> =>
    Promise.resolve({ good: false, says: 'no site' })

  cluster(name: string): Promise<ClusterReport | null> {
    return Promise.resolve(this.ways.report(name))
  }

  objects(
    name: string,
    filter: { readonly kind?: string | undefined; readonly namespace?: string | undefined },
  ): Promise<readonly Readonly<Record<string, unknown>>[] | null> {
    const reached = this.ways.reachedOf(name)
    if (!reached) return Promise.resolve(null)
    const { kind, namespace } = filter
    const objects = reached
      .objects()
      .filter(
        (object) =>
          object['kind'] !== 'Event' &&
          (kind === undefined || object['kind'] === kind) &&
          (namespace === undefined ||
            (object['metadata'] as { readonly namespace?: string }).namespace === namespace),
      )
    return Promise.resolve(objects)
  }

  events(name: string): ReturnType<Observe['events']> {
    const reached = this.ways.reachedOf(name)
    return Promise.resolve(reached ? eventsOf(reached) : [])
  }

  async podLog(name: string, pod: string, lines: number): Promise<readonly string[] | null> {
    const reached = this.ways.reachedOf(name)
    const [namespace = '', id = ''] = pod.split('/')
    if (!reached) return null
    const path = `/api/v1/namespaces/${encodeURIComponent(namespace)}/pods/${encodeURIComponent(id)}/log?tailLines=${lines}&limitBytes=${4 * 1024 ** 2}`
    try {
      const text = await reached.client.text(path, AbortSignal.timeout(15_000))
      return text.split('\n').filter((line) => line !== '')
    } catch {
      return null
    }
  }
}

/** What went wrong, in the words of the contract. */
function failureOf(
  error: unknown,
  verb: string,
  args: Readonly<Record<string, unknown>>,
  onError: (error: unknown) => void,
): Failure {
  const about = `cluster/${String(args['cluster'] ?? '')}`
  if (error instanceof Unreached) {
    const isOpening = verb === 'reach.open'
    const says = quoted(error.reason, error.message)
    return {
      class: isOpening ? 'permanent' : 'transient',
      reason: isOpening ? error.reason : 'api-down',
      ...(isOpening && args['kind'] === 'inbound' && ofFile.includes(error.reason)
        ? { field: fileField }
        : {}),
      ...says,
      chain: [{ about, ...says }],
    }
  }
  if (error instanceof CommandFailed) {
    const says = quoted(error.reason, error.message)
    return {
      class: error.isTransient ? 'transient' : 'permanent',
      reason: error.reason,
      ...says,
      chain: [{ about: error.about, ...says }],
    }
  }
  const isExpected = error instanceof ApiRefusal || error instanceof LeftOff
  if (!isExpected) onError(error)
  const reason = error instanceof LeftOff ? 'unreachable' : 'api-refuses'
  const says = quoted(reason, error instanceof Error ? error.message : String(error))
  return { class: 'permanent', reason, ...says, chain: [{ about, ...says }] }
}
