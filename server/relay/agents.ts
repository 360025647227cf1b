/**
 * Agents of clusters that cannot be dialled: each is given a token for one use, trades it for a credential that lasts, and
 * is there while it is connected to the relay.
 */
import { createHash, randomBytes } from 'node:crypto'
import type { Vault } from '../keys/vault'
import type { Database } from '../records/database'
import { ReachRow, RelayRow } from '../connectors/open-api/rows'
import type { AgentTransport } from './agent-transport'
import { type Admitted, Relay, type RelayAddress } from './relay'

export interface RelayOptions extends Omit<RelayAddress, 'port'> {
  /** A fixed port; else one that is free, the same from then on. */
  readonly port?: number
  /** How agents reach it, where that is not where it listens. */
  readonly url?: string
}

export interface AgentsParts {
  readonly database: Database
  readonly vault: Vault
  readonly relay?: RelayOptions | undefined
  /** An agent that nobody waited for is there: one that was there before. */
  readonly came: (cluster: string, transport: AgentTransport) => void
  readonly gone: (cluster: string) => void
  readonly onError: (error: unknown) => void
}

/** What the agent of a cluster dials with, and whether it is there. */
export interface AgentState {
  readonly relay: string
  /** Null once it is used. */
  readonly token: string | null
  readonly isConnected: boolean
  /** ISO, on the wall. */
  readonly dialledAt: string | null
}

const hashOf = (secret: string): string => createHash('sha256').update(secret).digest('hex')
const tokenPlace = (cluster: string): string => `agent/${cluster}`

export class Agents {
  /** Who waits for the agent of a cluster: each of them gets it, and leaves the others waiting when it gives up. */
  private readonly waiting = new Map<string, Set<(transport: AgentTransport) => void>>()
  private relay: Promise<{ readonly relay: Relay; readonly port: number }> | null = null

  constructor(private readonly parts: AgentsParts) {}

  /** Opens the relay, if it is not open yet. */
  open(): Promise<{ readonly relay: Relay; readonly port: number }> {
    this.relay ??= this.listen()
    return this.relay
  }

  async close(): Promise<void> {
    await (await this.relay)?.relay.close()
  }

  /** How agents reach the relay. */
  async url(): Promise<string> {
    const { port } = await this.open()
    const { url, host, tls } = this.parts.relay ?? {}
    return url ?? `${tls ? 'wss' : 'ws'}://${host ?? '127.0.0.1'}:${port}/`
  }

  /** The agent of a cluster, once it is there: now, or when it dials. Rejects with the signal’s reason. */
  async of(
    cluster: string,
    signal: AbortSignal,
    waits: (relay: string) => void,
  ): Promise<AgentTransport> {
    const { relay } = await this.open()
    await this.expect(cluster)
    const agent = relay.agentOf(cluster)
    if (agent) return agent
    waits(await this.url())
    const waiting = this.waiting.get(cluster) ?? new Set()
    this.waiting.set(cluster, waiting)
    return new Promise<AgentTransport>((arrived, gaveUp) => {
      waiting.add(arrived)
      signal.addEventListener(
        'abort',
        () => {
          waiting.delete(arrived)
          gaveUp(signal.reason as Error)
        },
        { once: true },
      )
    })
  }

  /** Null for a cluster that no agent is expected of. */
  async state(cluster: string): Promise<AgentState | null> {
    const row = await ReachRow.findByPk(cluster)
    if (row?.kind !== 'outbound') return null
    const { relay } = await this.open()
    const { vault } = this.parts
    const sealed =
      row.token !== null && vault.opens(row.token, tokenPlace(cluster)) ? row.token : null
    return {
      relay: await this.url(),
      token: sealed === null ? null : vault.open(sealed, tokenPlace(cluster)),
      isConnected: relay.agentOf(cluster) !== null,
      dialledAt: row.dialledAt,
    }
  }

  /** Sends the agent of a cluster away for good. */
  async dismiss(cluster: string): Promise<void> {
    const opened = await this.relay
    opened?.relay.dismiss(cluster)
  }

  /** A token for the agent of a cluster, the one that it has not used yet. */
  private async expect(cluster: string): Promise<void> {
    const row = await ReachRow.findByPk(cluster)
    const hash = row?.tokenHash ?? row?.credentialHash ?? null
    if (row?.kind === 'outbound' && hash !== null) return
    const token = randomBytes(32).toString('base64url')
    const sealed = this.parts.vault.seal(token, tokenPlace(cluster))
    await this.parts.database.write((transaction) =>
      ReachRow.upsert(
        { cluster, kind: 'outbound', state: 'opening', token: sealed, tokenHash: hashOf(token) },
        { transaction },
      ),
    )
  }

  private async listen(): Promise<{ readonly relay: Relay; readonly port: number }> {
    const { database, relay: options, gone, onError } = this.parts
    const relay = new Relay({
      admit: (shown) => this.admit(shown),
      kept: (cluster) => this.update(cluster, { token: null, tokenHash: null }),
      connected: (cluster, transport) => {
        const waiting = [...(this.waiting.get(cluster) ?? [])]
        this.waiting.delete(cluster)
        for (const arrived of waiting) arrived(transport)
        if (waiting.length === 0) this.parts.came(cluster, transport)
      },
      gone,
      onError,
    })
    const { port: fixed, ...where } = options ?? {}
    const before = await RelayRow.findByPk(1)
    const port = await relay.listen({ ...where, port: fixed ?? before?.port ?? 0 })
    if (port !== before?.port)
      await database.write((transaction) => RelayRow.upsert({ id: 1, port }, { transaction }))
    return { relay, port }
  }

  private async admit(shown: string): Promise<Admitted | null> {
    const hash = hashOf(shown)
    const row =
      (await ReachRow.findOne({ where: { credentialHash: hash } })) ??
      (await ReachRow.findOne({ where: { tokenHash: hash } }))
    if (!row) return null
    const { cluster } = row
    const dialledAt = new Date().toISOString()
    if (row.credentialHash === hash) {
      // Whoever has the credential has kept it: the token has done its work.
      await this.update(cluster, { dialledAt, token: null, tokenHash: null })
      return { cluster, credential: null }
    }
    const credential = randomBytes(32).toString('base64url')
    await this.update(cluster, { dialledAt, credentialHash: hashOf(credential) })
    return { cluster, credential }
  }

  private async update(cluster: string, parts: Partial<ReachRow>): Promise<void> {
    await this.parts.database.write((transaction) =>
      ReachRow.update(parts, { where: { cluster }, transaction }),
    )
  }
}
