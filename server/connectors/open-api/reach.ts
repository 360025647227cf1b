/** Clusters that are reached through their own API, put together: the ways there, and the connector that uses them. */
import { readFile } from 'node:fs/promises'
import { type Connector, type ReachReport, ref } from '~/core/contract'
import { agentManifest, sealedAccessFile } from '~/core/reach'
import type { Vault } from '../../keys/vault'
import type { ConnectorRegistry } from '../../ports/registry'
import type { Database } from '../../records/database'
import { OpenApi } from './connector'
import { shown } from './resources'
import type { AgentState, RelayOptions } from '../../relay/agents'
import { sealerOf, Ways } from './ways'

export interface ReachParts {
  readonly database: Database
  readonly vault: Vault
  readonly relay?: RelayOptions | undefined
  readonly agent?: AgentOptions | undefined
  readonly onError: (error: unknown) => void
}

/** The agent as it is handed out. */
export interface AgentOptions {
  /** One file that Node.js runs; absolute. */
  readonly file: string
  /** An image with Node.js, for those that run in their cluster. */
  readonly image?: string
}

export interface AgentStart extends AgentState {
  /** Null once the token is used. */
  readonly manifest: string | null
  /** One line for `sh -c`; null once the token is used. */
  readonly command: string | null
}

const lookMs = 500
const usualImage = 'node:22-alpine'

/** A word as `sh` takes it. */
const quotedWord = (word: string): string =>
  /^[\w@%+=:,./-]+$/.test(word) ? word : `'${word.replaceAll("'", `'\\''`)}'`

export class Reach {
  readonly connector: OpenApi
  private readonly ways: Ways
  private timer: NodeJS.Timeout | null = null
  private connectors: ConnectorRegistry | null = null
  private registered: () => void = () => undefined

  constructor(private readonly parts: ReachParts) {
    this.ways = new Ways({
      ...parts,
      changed: (cluster) => this.connector.changed(cluster),
      registered: (cluster, isThere) => {
        if (isThere) this.connectors?.assign(ref('cluster', cluster), this.connector)
        else this.connectors?.unassign(ref('cluster', cluster))
        this.registered()
        this.connector.changed(cluster)
      },
    })
    this.connector = new OpenApi(parts.database, this.ways, parts.onError)
  }

  /** Who is told of clusters that come and go. */
  tell(connectors: ConnectorRegistry, registered: () => void): void {
    this.connectors = connectors
    this.registered = registered
  }

  start(): Promise<void> {
    return this.ways.start()
  }

  /** Wakes who has something due on the wall’s clock. */
  keep(runner: { wakeAt(connector: Connector): number | null; woken(): void }): void {
    this.timer = setInterval(() => {
      const due = runner.wakeAt(this.connector)
      if (due !== null && due <= Date.now()) runner.woken()
    }, lookMs)
    this.timer.unref()
  }

  /** How a cluster is reached right now; null for one that was not enrolled. */
  reportOf(cluster: string): ReachReport | null {
    return this.ways.reach(cluster)
  }

  /** Whether the agent of a cluster is there; null for a cluster that none is expected of. */
  async agentState(cluster: string): Promise<Pick<AgentState, 'isConnected' | 'relay'> | null> {
    const state = await this.ways.agentState(cluster)
    return state && { isConnected: state.isConnected, relay: state.relay }
  }

  /** What the agent of a cluster is started with; null for a cluster that none is expected of. */
  async agentStart(cluster: string): Promise<AgentStart | null> {
    const state = await this.ways.agentState(cluster)
    if (!state) return null
    const { relay, token } = state
    const { file, image = usualImage } = this.parts.agent ?? {}
    if (token === null || file === undefined) return { ...state, manifest: null, command: null }
    const program = await readFile(file, 'utf8').catch(() => null)
    // Without its program there is nothing to start: said by what is missing, not by an error of the page.
    if (program === null) return { ...state, manifest: null, command: null }
    return {
      ...state,
      manifest: agentManifest({ cluster, relay, token, program, image, shown }),
      command: `node ${quotedWord(file)} --relay ${quotedWord(relay)} --token ${quotedWord(token)}`,
    }
  }

  /** An intent as it may be kept and shown: the secrets of its access file sealed, in those that it holds too. */
  sealed(kind: string, intent: unknown): unknown {
    if (typeof intent !== 'object' || intent === null) return intent
    const { reach, drafts } = intent as { readonly reach?: unknown; readonly drafts?: unknown }
    if (Array.isArray(drafts))
      return {
        ...intent,
        drafts: drafts.map((draft: unknown) => {
          const { kind: own, intent: held } = (draft ?? {}) as { kind?: unknown; intent?: unknown }
          return typeof own === 'string'
            ? { ...(draft as object), intent: this.sealed(own, held) }
            : draft
        }),
      }
    if (kind !== 'cluster.enrol' || typeof reach !== 'object' || reach === null) return intent
    const { accessFile } = reach as { readonly accessFile?: unknown }
    if (typeof accessFile !== 'string') return intent
    const shown = sealedAccessFile(accessFile, sealerOf(this.parts.vault))
    return { ...intent, reach: { ...reach, accessFile: shown } }
  }

  async close(): Promise<void> {
    if (this.timer) clearInterval(this.timer)
    this.connector.halt()
    await this.ways.close()
  }
}
