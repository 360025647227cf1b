/**
 * The ways to clusters that were enrolled: opened by a run, kept over restarts, closed by another. An inbound one is
 * dialled with the access file; an outbound one is there while the agent of its cluster is.
 */
import type { ArgsOf, ClusterReport, ReachReport, Said } from '~/core/contract'
import { elsewhere } from '~/core/fleet'
import { type AccessWay, openedWay, readAccessFile } from '~/core/reach'
import type { Vault } from '../../keys/vault'
import type { Database } from '../../records/database'
import { ClusterRow } from '../../records/models'
import type { AgentTransport } from '../../relay/agent-transport'
import { Agents, type AgentState, type RelayOptions } from '../../relay/agents'
import { ApiClient, headersFor } from './client'
import { Dialled } from './dial'
import { Reached } from './reached'
import { reportOf } from './report'
import { ReachRow } from './rows'
import { said } from './says'
import { type Transport, Unreached } from './transport'

/** A run has an end: whoever does not answer by then does not answer. */
const openMs = 25_000
const keepReportMs = 60_000

export interface WaysParts {
  readonly database: Database
  readonly vault: Vault
  readonly relay?: RelayOptions | undefined
  /** Something of a cluster is not what it was. */
  readonly changed: (cluster: string) => void
  /** A cluster has come, or gone. */
  readonly registered: (cluster: string, isThere: boolean) => void
  readonly onError: (error: unknown) => void
}

const accessPlace = (address: string): string => `access/${address}`

/** How a secret of an access file is kept: sealed for the address that it is sent to. */
export const sealerOf =
  (vault: Vault) =>
  (secret: string, address: string): string =>
    vault.seal(secret, accessPlace(address))

export class Ways {
  private readonly reached = new Map<string, Reached>()
  /** What clusters told last, for those of which nothing is heard yet. */
  private readonly last = new Map<string, ReachRow>()
  private readonly agents: Agents
  private keeping: NodeJS.Timeout | null = null

  constructor(private readonly parts: WaysParts) {
    this.agents = new Agents({
      ...parts,
      came: (cluster, transport) => this.agentCame(cluster, transport),
      gone: (cluster) => this.reached.get(cluster)?.doubt(),
    })
  }

  /** Takes up what was enrolled before; nobody is waited for. */
  async start(): Promise<void> {
    const rows = await ReachRow.findAll()
    for (const row of rows) {
      if (row.state !== 'open') continue
      this.last.set(row.cluster, row)
      this.parts.registered(row.cluster, true)
      if (row.kind === 'inbound') this.takeUp(row)
    }
    if (rows.some(({ kind }) => kind === 'outbound')) await this.agents.open()
    this.keeping = setInterval(() => {
      this.keepReports().catch(this.parts.onError)
    }, keepReportMs)
    this.keeping.unref()
  }

  async close(): Promise<void> {
    if (this.keeping) clearInterval(this.keeping)
    await this.keepReports()
    for (const reached of this.reached.values()) reached.close()
    this.reached.clear()
    await this.agents.close()
  }

  has(cluster: string): boolean {
    return this.last.has(cluster)
  }

  reachedOf(cluster: string): Reached | null {
    return this.reached.get(cluster) ?? null
  }

  /** What is known of a cluster: what it tells now, or told last; null for one that is not enrolled. */
  report(cluster: string): ClusterReport | null {
    const row = this.last.get(cluster)
    if (!row) return null
    const reached = this.reached.get(cluster)
    if (reached && reached.of('nodes').length > 0) return reportOf(reached, reached.report())
    return { ...(row.report ?? emptyReport(cluster)), reach: this.reachOf(row, reached ?? null) }
  }

  /** How a cluster is reached right now. */
  reach(cluster: string): ReachReport | null {
    const row = this.last.get(cluster)
    return row ? this.reachOf(row, this.reached.get(cluster) ?? null) : null
  }

  private reachOf(row: ReachRow, reached: Reached | null): ReachReport {
    if (reached) return reached.report()
    return {
      kind: row.kind,
      heard: false,
      reason: 'unreachable',
      lastHeardWall: row.heardAt,
      says: said('reach.no-agent').says,
      address: '',
      watched: [],
      withheld: [],
    }
  }

  // Inbound.

  /** Dials, asks and lists; the cluster is in the fleet then. Rejects with an `Unreached`. */
  async openInbound(args: ArgsOf<'reach.open'>, told: (what: Said) => void): Promise<Reached> {
    const reached = this.dialled(args.cluster, args.accessFile, null)
    try {
      await this.opened(reached, told)
    } catch (error) {
      reached.close()
      throw error
    }
    await this.enter(args, reached, { kind: 'inbound', accessFile: args.accessFile })
    return reached
  }

  private dialled(cluster: string, accessFile: string, heardAt: string | null): Reached {
    const way = this.wayOf(accessFile)
    const client = new ApiClient(new Dialled(way), headersFor(way.signIn))
    return this.reachedBy(cluster, 'inbound', client, heardAt)
  }

  private wayOf(accessFile: string): AccessWay {
    const read = readAccessFile(accessFile)
    if (!read.ok) throw new Unreached('token-refused', said('sealed-elsewhere').says)
    try {
      return openedWay(read.way, (sealed, address) =>
        this.parts.vault.open(sealed, accessPlace(address)),
      )
    } catch {
      throw new Unreached('token-refused', said('sealed-elsewhere').says)
    }
  }

  private takeUp(row: ReachRow): void {
    try {
      const reached = this.dialled(row.cluster, row.accessFile ?? '', row.heardAt)
      this.reached.set(row.cluster, reached)
      reached.start()
    } catch (error) {
      // Sealed with another key: it is shown as that, and can be dismissed.
      const refusing: Transport = {
        address: '',
        send: () => Promise.reject(error),
        close: () => undefined,
      }
      const client = new ApiClient(refusing, {})
      const reached = this.reachedBy(row.cluster, row.kind, client, row.heardAt)
      this.reached.set(row.cluster, reached)
      reached.start()
    }
  }

  private reachedBy(
    cluster: string,
    kind: ReachRow['kind'],
    client: ApiClient,
    heardAt: string | null,
  ): Reached {
    const changed = (): void => {
      if (this.reached.get(cluster) === reached) this.parts.changed(cluster)
    }
    const reached: Reached = new Reached(cluster, kind, client, { changed }, heardAt)
    return reached
  }

  private async opened(reached: Reached, told: (what: Said) => void): Promise<void> {
    const limit = AbortSignal.timeout(openMs)
    try {
      await reached.open(limit, told)
    } catch (error) {
      if (error instanceof Unreached) throw error
      if (!limit.aborted) throw error
      const { address } = reached.client.transport
      throw new Unreached('unreachable', said('too-slow', { address }).says)
    }
  }

  /** The cluster is in the register, and followed from now on. */
  private async enter(
    { cluster, labels }: ArgsOf<'reach.open'>,
    reached: Reached,
    way: Pick<ReachRow, 'kind'> & { readonly accessFile?: string },
  ): Promise<void> {
    const report = reportOf(reached, reached.report())
    const heardAt = new Date().toISOString()
    await this.parts.database.write(async (transaction) => {
      await ReachRow.upsert({ cluster, state: 'open', heardAt, report, ...way }, { transaction })
      await ClusterRow.upsert(
        {
          name: cluster,
          site: elsewhere,
          guarded: false,
          release: report.release,
          controlPlane: { kind: 'managed', tier: 'plain' },
          pools: [],
          labels: { ...labels },
          drives: [],
          pods: '',
          services: '',
          maxPodsPerNode: 110,
          endpoint: reached.client.transport.address,
        },
        { transaction },
      )
    })
    const row = await ReachRow.findByPk(cluster)
    if (row) this.last.set(cluster, row)
    this.reached.get(cluster)?.close()
    this.reached.set(cluster, reached)
    this.parts.registered(cluster, true)
    reached.start()
  }

  // Outbound.

  /** Waits for the agent of a cluster, then asks and lists as any other. */
  async openOutbound(
    args: ArgsOf<'reach.open'>,
    told: (what: Said) => void,
    signal: AbortSignal,
  ): Promise<Reached> {
    const { cluster } = args
    const transport = await this.agents.of(cluster, signal, (relay) =>
      told(said('reach.waits', { relay })),
    )
    told(said('reach.dialled', { at: new Date().toISOString() }))
    const reached = this.reachedBy(cluster, 'outbound', this.clientOf(transport), null)
    try {
      await this.opened(reached, told)
    } catch (error) {
      // The agent stays: trying again needs no other.
      reached.closeQuietly()
      throw error
    }
    await this.enter(args, reached, { kind: 'outbound' })
    return reached
  }

  private clientOf(transport: AgentTransport): ApiClient {
    return new ApiClient(transport, headersFor(null))
  }

  /** Null for a cluster that no agent is expected of. */
  agentState(cluster: string): Promise<AgentState | null> {
    return this.agents.state(cluster)
  }

  private agentCame(cluster: string, transport: AgentTransport): void {
    const row = this.last.get(cluster)
    if (!row) return
    const before = this.reached.get(cluster)
    const reached = this.reachedBy(
      cluster,
      'outbound',
      this.clientOf(transport),
      before?.report().lastHeardWall ?? row.heardAt,
    )
    if (before) {
      this.keepReport(row, before)
      before.closeQuietly()
    }
    this.reached.set(cluster, reached)
    reached.start()
  }

  /** Nobody asks the cluster any more, and nothing is left of the way there. */
  async strike(cluster: string): Promise<void> {
    await this.parts.database.write(async (transaction) => {
      await ReachRow.destroy({ where: { cluster }, transaction })
      if (this.last.has(cluster))
        await ClusterRow.destroy({ where: { name: cluster }, transaction })
    })
    this.last.delete(cluster)
    this.reached.get(cluster)?.close()
    this.reached.delete(cluster)
    await this.agents.dismiss(cluster)
    this.parts.registered(cluster, false)
  }

  private async update(cluster: string, parts: Partial<ReachRow>): Promise<void> {
    await this.parts.database.write((transaction) =>
      ReachRow.update(parts, { where: { cluster }, transaction }),
    )
  }

  private keepReport(row: ReachRow, reached: Reached): void {
    if (reached.of('nodes').length === 0) return
    row.report = reportOf(reached, reached.report())
    row.heardAt = reached.report().lastHeardWall
  }

  /** Written now and then: what is shown after a start of a cluster that is silent then. */
  private async keepReports(): Promise<void> {
    for (const [cluster, row] of this.last) {
      const reached = this.reached.get(cluster)
      if (!reached || !this.last.has(cluster)) continue
      this.keepReport(row, reached)
      await this.update(cluster, { report: row.report, heardAt: row.heardAt })
    }
  }
}

const emptyReport = (name: string): ClusterReport => ({
  name,
  apiAnswers: true,
  membersUp: 0,
  members: [],
  release: '',
  endpoint: '',
  nodes: [],
  podCount: 0,
  keepSource: [],
  namespaces: [],
  dnsAnswers: false,
  restingSince: null,
  restingMachines: [],
  restingNodes: [],
  certificatesUntil: '',
  backups: [],
  addOns: [],
  apiClients: [],
  storage: null,
})
