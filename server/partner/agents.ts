/**
 * The agents that the partner runs beside its cluster: each a process of its own, started again when it falls over. Once
 * a pod of theirs has been seen, they live as it does: they end with it, and begin anew with the one made in its place.
 */
import { type ChildProcess, spawn } from 'node:child_process'
import { existsSync, mkdirSync, readdirSync, readFileSync, rmSync, writeFileSync } from 'node:fs'
import { join } from 'node:path'
import { z } from 'zod'
import type { AgentCommand } from './protocol'

const againMs = 2000
/** How an agent ends that is not let in, or is sent away: starting it again is of no use. */
const forGood: ReadonlySet<number> = new Set([3, 4])
const commandShape = z.object({ relay: z.string(), token: z.string(), manifest: z.string() })
/** Tokens of the API end after a day; a new one is there long before. */
const renewMs = 3_600_000

export interface Beside {
  /** The API of the cluster, and files with what the agent signs in with there and whom it trusts. */
  readonly url: string
  readonly tokenFile: string
  readonly authorityFile: string
  /** Applies a manifest in the cluster, and leaves a token of the agent’s account in the file. */
  admit(manifest: string): Promise<void>
}

export const agentsFolder = (dir: string): string => join(dir, 'agents')

/** Names under which clusters were handed over, by what a folder keeps. */
export const handedOver = (dir: string): readonly string[] =>
  existsSync(agentsFolder(dir)) ? readdirSync(agentsFolder(dir)) : []

export class PartnerAgents {
  private readonly running = new Map<string, ChildProcess>()
  private readonly renewing: NodeJS.Timeout
  private isClosed = false
  private hadPod = false
  /** There was a pod, and there is none. */
  private isWithoutPod = false

  constructor(
    private readonly dir: string,
    private readonly program: string,
    private readonly beside: Beside,
    private readonly told: {
      readonly ended: (name: string) => void
      readonly failed: (error: unknown) => void
    },
  ) {
    this.renewing = setInterval(() => {
      for (const name of this.running.keys()) {
        const command = this.commandOf(name)
        if (command) void beside.admit(command.manifest).catch(told.failed)
      }
    }, renewMs)
  }

  /** Starts what was handed over before. */
  resume(): void {
    for (const name of handedOver(this.dir)) void this.run(name)
  }

  start(name: string, command: AgentCommand): void {
    const folder = this.folderOf(name)
    mkdirSync(folder, { recursive: true, mode: 0o700 })
    writeFileSync(join(folder, 'command.json'), JSON.stringify(command), { mode: 0o600 })
    void this.run(name)
  }

  /** Told whenever the pods of the cluster may have changed: whether one of the agent’s runs. */
  podRuns(isThere: boolean): void {
    const wasWithoutPod = this.isWithoutPod
    this.hadPod ||= isThere
    this.isWithoutPod = this.hadPod && !isThere
    if (wasWithoutPod && !this.isWithoutPod) this.resume()
    else if (this.isWithoutPod && !wasWithoutPod)
      for (const agent of this.running.values()) agent.kill('SIGKILL')
  }

  close(): void {
    this.isClosed = true
    clearInterval(this.renewing)
    for (const agent of this.running.values()) agent.kill('SIGKILL')
  }

  private folderOf(name: string): string {
    return join(agentsFolder(this.dir), name)
  }

  private commandOf(name: string): AgentCommand | null {
    try {
      const text = readFileSync(join(this.folderOf(name), 'command.json'), 'utf8')
      return commandShape.parse(JSON.parse(text))
    } catch {
      return null
    }
  }

  private async run(name: string): Promise<void> {
    if (this.isWithoutPod) return
    const command = this.commandOf(name)
    if (!command) {
      this.forget(name)
      return
    }
    try {
      await this.beside.admit(command.manifest)
    } catch (error) {
      this.told.failed(error)
      this.again(name)
      return
    }
    if (!this.isClosed && !this.isWithoutPod) this.spawn(name, command)
  }

  private again(name: string): void {
    setTimeout(() => (this.isClosed ? undefined : void this.run(name)), againMs)
  }

  private spawn(name: string, command: AgentCommand): void {
    const { url, tokenFile, authorityFile } = this.beside
    const agent = spawn(
      process.execPath,
      [this.program, '--relay', command.relay, '--token', command.token],
      {
        stdio: 'ignore',
        env: {
          PATH: process.env['PATH'],
          API_URL: url,
          API_TOKEN_FILE: tokenFile,
          API_CA_FILE: authorityFile,
          STATE_DIR: join(this.folderOf(name), 'state'),
        },
      },
    )
    this.running.get(name)?.kill('SIGKILL')
    this.running.set(name, agent)
    agent.once('exit', (code) => {
      if (this.isClosed || this.running.get(name) !== agent) return
      this.running.delete(name)
      if (code !== null && forGood.has(code)) this.forget(name)
      else if (!this.isWithoutPod) this.again(name)
    })
  }

  private forget(name: string): void {
    rmSync(this.folderOf(name), { recursive: true, force: true })
    this.told.ended(name)
  }
}
