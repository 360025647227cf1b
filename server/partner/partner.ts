/**
 * The demo’s partner as the server knows it: whoever has a cluster that cannot be dialled, and runs the agent of a manifest
 * that is handed over. Its process is there while it runs one.
 */
import { type ChildProcess, spawn } from 'node:child_process'
import { join } from 'node:path'
import { fileURLToPath } from 'node:url'
import type { AgentOptions } from '../connectors/open-api/reach'
import { Refusal } from '../changes/errors'
import { handedOver } from './agents'
import type { AgentCommand, FromPartner, PartnerStart, ToPartner } from './protocol'

export interface PartnerParts {
  /** The data folder. */
  readonly dir: string
  /** The partner’s built program; without one there is no partner. */
  readonly partnerProcess?: URL | undefined
  readonly agent?: Pick<AgentOptions, 'file'> | undefined
  readonly clock: { readonly now: number }
  readonly onError: (error: unknown) => void
}

/** The cluster that it has, as it is named there. */
export const partnerCluster = 'thistle'
const clockMs = 1000
const endMs = 5000
const againMs = 3000

export class Partner {
  private readonly dir: string
  private child: ChildProcess | null = null
  private timer: NodeJS.Timeout | null = null
  private agents: Set<string>
  /** One that has nothing left to do: the next begins once it has let go of its folder. */
  private ending: Promise<void> = Promise.resolve()

  constructor(private readonly parts: PartnerParts) {
    this.dir = join(parts.dir, 'partner')
    this.agents = new Set(handedOver(this.dir))
  }

  /** Whether a manifest can be handed over: the partner has one cluster, and it is nobody’s yet. */
  get isFree(): boolean {
    const { partnerProcess, agent } = this.parts
    return partnerProcess !== undefined && agent !== undefined && this.agents.size === 0
  }

  /** Goes on with what was handed over before. */
  start(): void {
    if (this.agents.size > 0) this.open()
  }

  /** Hands over the agent of a cluster, by the name that it is enrolled under. */
  async take(name: string, command: AgentCommand): Promise<void> {
    if (!this.isFree)
      throw new Refusal(
        'conflict',
        `There is nobody to hand the manifest of ${name} to: start its agent yourself.`,
      )
    this.agents.add(name)
    await this.ending
    const child = this.child ?? this.open()
    send(child, { type: 'agent', name, ...command })
  }

  async close(): Promise<void> {
    if (this.timer) clearInterval(this.timer)
    this.timer = null
    const { child } = this
    this.child = null
    if (!child || child.exitCode !== null) return
    const gone = new Promise<void>((done) => void child.once('exit', () => done()))
    child.disconnect()
    const limit = setTimeout(() => child.kill('SIGKILL'), endMs)
    await gone
    clearTimeout(limit)
  }

  /** It ended by itself: what it has written down is taken up anew. */
  private fellOver(child: ChildProcess): void {
    if (this.child !== child) return
    this.parts.onError(
      new Error(`the partner ended by itself: ${child.exitCode ?? child.signalCode}`),
    )
    this.child = null
    this.agents = new Set(handedOver(this.dir))
    setTimeout(() => {
      if (this.timer && !this.child) this.start()
    }, againMs).unref()
  }

  private open(): ChildProcess | null {
    const { partnerProcess, agent, clock, onError } = this.parts
    if (partnerProcess === undefined || agent === undefined) return null
    const start: PartnerStart = { dir: this.dir, agent: agent.file }
    const child = spawn(process.execPath, [fileURLToPath(partnerProcess), JSON.stringify(start)], {
      stdio: ['ignore', 'ignore', 'ignore', 'ipc'],
    })
    this.child = child
    child.on('message', (message: FromPartner) => {
      if (message.type === 'failed') onError(new Error(`the partner: ${message.error}`))
      if (message.type === 'ended') this.agents.delete(message.name)
      // Nobody is left to play.
      if (message.type === 'ended' && this.agents.size === 0)
        this.ending = this.close().catch(onError)
    })
    child.once('error', onError).once('exit', () => this.fellOver(child))
    this.timer ??= setInterval(() => {
      if (this.child) send(this.child, { type: 'now', now: clock.now })
    }, clockMs)
    this.timer.unref()
    child.unref()
    child.channel?.unref()
    return child
  }
}

function send(child: ChildProcess | null, message: ToPartner): void {
  // One that ends meanwhile has no use for it.
  if (child?.connected === true) child.send(message, () => undefined)
}
