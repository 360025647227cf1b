/** Where agents dial in: a WebSocket server that serves nothing but them, each with a token or a lasting credential. */
import { createServer as plainServer, type IncomingMessage, type Server } from 'node:http'
import { createServer as securedServer } from 'node:https'
import type { Duplex } from 'node:stream'
import { WebSocket, WebSocketServer } from 'ws'
import { closing, pingMs, subprotocol } from '~/agent/protocol'
import { listenOn } from '../listen-on'
import { AgentTransport } from './agent-transport'

/** Who an agent is, by what it shows. */
export interface Admitted {
  readonly cluster: string
  /** Given to an agent that dials with its token: kept by it from then on. */
  readonly credential: string | null
}

export interface RelayParts {
  /** Null for a token that is used, unknown, or of a cluster that was dismissed. */
  admit(shown: string): Promise<Admitted | null>
  /** The agent has kept its credential: its token is used. */
  kept(cluster: string): Promise<void>
  /** An agent is there, or another in its place. */
  connected(cluster: string, transport: AgentTransport): void
  gone(cluster: string, transport: AgentTransport): void
  readonly onError: (error: unknown) => void
}

export interface RelayAddress {
  readonly port: number
  /** On this machine alone unless it is said. */
  readonly host?: string | undefined
  /** PEM; without them it speaks plain WebSocket. */
  readonly tls?: { readonly certificate: Buffer; readonly key: Buffer } | undefined
}

const mostBytes = 4 * 1024 ** 2

const refuse = (socket: Duplex, status: string): void => {
  socket.on('error', () => undefined)
  socket.end(`HTTP/1.1 ${status}\r\nConnection: close\r\nContent-Length: 0\r\n\r\n`)
}

export class Relay {
  private readonly sockets = new WebSocketServer({
    noServer: true,
    maxPayload: mostBytes,
    handleProtocols: (offered) => (offered.has(subprotocol) ? subprotocol : false),
  })
  private server: Server | null = null
  private readonly agents = new Map<string, AgentTransport>()

  constructor(private readonly parts: RelayParts) {}

  /** Listens; the port it listens on. */
  async listen({ port, host = '127.0.0.1', tls }: RelayAddress): Promise<number> {
    const server = tls
      ? securedServer({ cert: tls.certificate, key: tls.key, minVersion: 'TLSv1.2' })
      : plainServer()
    this.server = server
    server.on('request', (_request, response) => {
      response.writeHead(426, { connection: 'close', upgrade: 'websocket' }).end()
    })
    server.on('tlsClientError', () => undefined)
    server.on('clientError', (_error, socket) => socket.destroy())
    server.on('upgrade', (request: IncomingMessage, socket, head) => {
      void this.upgrade(request, socket, head).catch((error: unknown) => {
        this.parts.onError(error)
        socket.destroy()
      })
    })
    return listenOn(server, port, host)
  }

  /** The agent of a cluster, where it is there. */
  agentOf(cluster: string): AgentTransport | null {
    return this.agents.get(cluster) ?? null
  }

  /** Sends the agent of a cluster away for good. */
  dismiss(cluster: string): void {
    this.agents.get(cluster)?.end(closing.dismissed)
    this.agents.delete(cluster)
  }

  async close(): Promise<void> {
    for (const client of this.sockets.clients) client.terminate()
    this.sockets.close()
    const { server } = this
    if (!server) return
    server.closeAllConnections()
    await new Promise((done) => server.close(done))
  }

  private async upgrade(request: IncomingMessage, socket: Duplex, head: Buffer): Promise<void> {
    socket.on('error', () => undefined)
    const shown = /^Bearer (\S{16,200})$/i.exec(request.headers.authorization ?? '')?.[1]
    const admitted = shown === undefined ? null : await this.parts.admit(shown)
    if (!admitted) {
      refuse(socket, '401 Unauthorized')
      return
    }
    if (socket.destroyed) return
    this.sockets.handleUpgrade(request, socket, head, (client) => this.take(client, admitted))
  }

  private take(client: WebSocket, { cluster, credential }: Admitted): void {
    const transport = new AgentTransport(cluster, client, () => {
      this.parts.kept(cluster).then(ready, this.parts.onError)
    })
    const ready = (): void => {
      if (client.readyState !== WebSocket.OPEN) return
      const before = this.agents.get(cluster)
      this.agents.set(cluster, transport)
      this.parts.connected(cluster, transport)
      before?.end(closing.replaced)
    }
    let isAlive = true
    const pinging = setInterval(() => {
      if (!isAlive) client.terminate()
      isAlive = false
      client.ping()
    }, pingMs)
    client.on('pong', () => (isAlive = true))
    client.on('error', () => undefined)
    client.on('close', () => {
      clearInterval(pinging)
      transport.lost()
      if (this.agents.get(cluster) !== transport) return
      this.agents.delete(cluster)
      this.parts.gone(cluster, transport)
    })
    if (credential === null) ready()
    else client.send(JSON.stringify({ type: 'credential', credential }))
  }
}
