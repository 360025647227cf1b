/**
 * The servers of the clusters’ own API: HTTPS on a loopback port for each cluster, the same port and authority after a restart. A
 * cluster that rests, or whose API is down, is silent on its port.
 */
import { createServer, type Server } from 'node:https'
import type { Transaction } from 'sequelize'
import type { ClusterView } from '~/core/fleet'
import { authorityFor, leafOf, tokenKeyOf } from '../access/authority'
import type { Hub } from '../live/hub'
import type { Vault } from '../keys/vault'
import { listenOn } from '../listen-on'
import type { Database } from '../records/database'
import { AuthorityRow } from '../records/models'
import { answerRequest } from './handler'
import type { Answer, WriteRequest } from './request'
import { Lists } from './lists'
import { Mirror, type Source } from './mirror'
import { servedAt } from './resources'
import { Rights } from './sign-in'
import { type Signed, Signing } from './signing'

/** What has to be known of a cluster to serve its API. */
export type ServedCluster = Pick<ClusterView, 'name' | 'release' | 'apiAnswers'>

export interface ClusterServersParts {
  readonly database: Database
  readonly vault: Vault
  readonly hub: Hub
  readonly outside: {
    readonly now: number
    served(cluster: string, since: number): ReturnType<Source['served']>
    podLog(cluster: string, pod: string, lines: number): Promise<readonly string[] | null>
  }
  clusters(): Promise<readonly ServedCluster[]>
  /** Names and addresses that the authority of a cluster has to cover. */
  namesOf(cluster: ServedCluster): Promise<readonly string[]>
  write(cluster: string, request: WriteRequest, mirror: Mirror): Promise<Answer>
  readonly onError: (error: unknown) => void
}

export interface HandedOut {
  readonly server: string
  readonly authority: string
  readonly token: string | null
}

interface Door {
  readonly server: Server
  readonly port: number
  readonly mirror: Mirror
  readonly signing: Signing
  release: string
  isOpen: boolean
}

const minorOf = (release: string): string => release.split('.').slice(0, 2).join('.')
/** Names under which a client on this machine reaches a cluster. */
const loopback = ['127.0.0.1', 'localhost', '::1']
const syncMs = 250

export class ClusterServers {
  private readonly doors = new Map<string, Promise<Door>>()
  private timer: NodeJS.Timeout | null = null
  private syncing: Promise<void> = Promise.resolve()
  private isClosed = false

  constructor(private readonly parts: ClusterServersParts) {}

  /** Opens the port of every cluster, and from then on of each that comes. */
  async listen(): Promise<void> {
    this.parts.hub.on('state', this.onState)
    await this.sync()
  }

  /**
   * Where a cluster answers, its authority and a new token for a subject, null for a service account that is not there; its
   * port is opened if it is not yet.
   */
  async handOut(cluster: ServedCluster, signed: Signed, seconds: number): Promise<HandedOut> {
    const door = await this.doorOf(cluster)
    door.isOpen = cluster.apiAnswers
    // Of the same keys, but for the names of today.
    const { database, vault } = this.parts
    const authority = await authorityFor(
      database,
      vault,
      cluster.name,
      await this.parts.namesOf(cluster),
    )
    return {
      server: `https://127.0.0.1:${door.port}`,
      authority: authority.certificate,
      token: await door.signing.sign(signed, seconds),
    }
  }

  /** Calls back every token that a subject was given for a cluster; `write` joins the transaction. */
  async callBack(
    cluster: ServedCluster,
    subject: string,
    write: (transaction: Transaction) => Promise<void>,
  ): Promise<void> {
    const { signing } = await this.doorOf(cluster)
    const epochs = signing.raised(subject)
    await this.parts.database.write(async (transaction) => {
      await AuthorityRow.update({ epochs }, { where: { cluster: cluster.name }, transaction })
      await write(transaction)
    })
    signing.take(epochs)
  }

  async close(): Promise<void> {
    this.isClosed = true
    this.parts.hub.off('state', this.onState)
    if (this.timer) clearTimeout(this.timer)
    await this.syncing
    for (const name of [...this.doors.keys()]) await this.shut(name)
  }

  private readonly onState = (slices: readonly string[]): void => {
    for (const slice of slices) {
      const opening = this.doors.get(slice.replace('cluster:', ''))
      void opening?.then(({ mirror }) => mirror.stirred()).catch(() => undefined)
    }
    this.timer ??= setTimeout(() => {
      this.timer = null
      this.syncing = this.syncing.then(() => this.sync()).catch(this.parts.onError)
    }, syncMs)
  }

  /** Doors for what is there, none for what has gone; silent where nothing answers. */
  private async sync(): Promise<void> {
    if (this.isClosed) return
    const clusters = await this.parts.clusters()
    for (const cluster of clusters) {
      const door = await this.doorOf(cluster)
      door.release = cluster.release
      if (door.isOpen && !cluster.apiAnswers) door.server.closeAllConnections()
      if (door.isOpen !== cluster.apiAnswers) door.mirror.stirred()
      door.isOpen = cluster.apiAnswers
    }
    const names = new Set(clusters.map(({ name }) => name))
    for (const name of [...this.doors.keys()]) if (!names.has(name)) await this.shut(name)
  }

  private async shut(name: string): Promise<void> {
    const opening = this.doors.get(name)
    this.doors.delete(name)
    const door = await opening?.catch(() => undefined)
    door?.server.closeAllConnections()
    await new Promise((done) => (door ? door.server.close(done) : done(undefined)))
  }

  private doorOf(cluster: ServedCluster): Promise<Door> {
    const opening = this.doors.get(cluster.name) ?? this.open(cluster)
    this.doors.set(cluster.name, opening)
    opening.catch(() => this.doors.delete(cluster.name))
    return opening
  }

  private async open(cluster: ServedCluster): Promise<Door> {
    const { database, vault, outside } = this.parts
    const { name } = cluster
    await authorityFor(database, vault, name, await this.parts.namesOf(cluster))
    const leaf = await leafOf(vault, name, loopback)
    const row = await AuthorityRow.findByPk(name)
    const mirror = new Mirror({ served: (since) => outside.served(name, since) })
    const signing = new Signing(name, await tokenKeyOf(vault, name), row?.epochs ?? {}, mirror)
    const rights = new Rights(mirror)
    const lists = new Lists(mirror)
    const server = createServer(
      { key: leaf.key, cert: leaf.certificate, minVersion: 'TLSv1.2' },
      (request, response) =>
        void answerRequest(
          {
            cluster: name,
            release: door.release,
            address: `127.0.0.1:${door.port}`,
            served: servedAt(minorOf(door.release)),
            mirror,
            lists,
            logs: {
              lines: (pod, limit) => outside.podLog(name, pod, limit),
              get now() {
                return outside.now
              },
            },
            now: () => outside.now,
            signing,
            rights,
            write: (write) => this.parts.write(name, write, mirror),
            onError: this.parts.onError,
          },
          request,
          response,
        ),
    )
    server.on('connection', (socket) => {
      if (!door.isOpen) socket.destroy()
    })
    server.on('tlsClientError', () => undefined)
    const remembered = row?.port ?? 0
    const port = await listenOn(server, remembered)
    const door: Door = {
      server,
      port,
      mirror,
      signing,
      release: cluster.release,
      isOpen: cluster.apiAnswers,
    }
    if (port !== remembered)
      await database.write((transaction) =>
        AuthorityRow.update({ port }, { where: { cluster: name }, transaction }),
      )
    return door
  }
}
