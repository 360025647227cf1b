/** Starts and kills built servers for tests, each with data of its own. */
import { type ChildProcess, spawn } from 'node:child_process'
import { mkdtempSync, rmSync } from 'node:fs'
import { createServer } from 'node:net'
import { tmpdir } from 'node:os'
import { join, resolve as resolvePath } from 'node:path'

const main = resolvePath('build/server/main.js')

function bodyOf(text: string, type: string): unknown {
  if (text === '') return null
  return /json/.test(type) ? (JSON.parse(text) as unknown) : text
}

export interface Served {
  readonly url: string
  readonly dir: string
  readonly process: ChildProcess
  /** Ends it at once, as a power cut would. */
  kill(): Promise<void>
  /** Ends it and removes its data. */
  remove(): Promise<void>
}

async function freePort(): Promise<number> {
  return new Promise((resolve, reject) => {
    const probe = createServer()
    probe.once('error', reject)
    probe.listen(0, '127.0.0.1', () => {
      const address = probe.address()
      probe.close(() =>
        typeof address === 'object' && address !== null
          ? resolve(address.port)
          : reject(new Error('no port')),
      )
    })
  })
}

export async function serve(
  options: { readonly dir?: string; readonly args?: readonly string[] } = {},
): Promise<Served> {
  const dir = options.dir ?? mkdtempSync(join(tmpdir(), 'gyrarch-served-'))
  const port = await freePort()
  const child = spawn(
    process.execPath,
    [main, '--port', String(port), '--data', dir, ...(options.args ?? [])],
    { stdio: ['ignore', 'pipe', 'pipe'], env: { ...process.env, NODE_ENV: 'production' } },
  )
  let said = ''
  await new Promise<void>((resolve, reject) => {
    const timer = setTimeout(
      () => reject(new Error(`the server did not start within 60 s: ${said}`)),
      60_000,
    )
    const hear = (chunk: Buffer): void => {
      said += chunk.toString()
      if (!said.includes('Gyrarch is at')) return
      clearTimeout(timer)
      resolve()
    }
    child.stdout.on('data', hear)
    child.stderr.on('data', (chunk: Buffer) => {
      said += chunk.toString()
    })
    child.once('exit', (code) => {
      clearTimeout(timer)
      reject(new Error(`the server ended with ${code}: ${said}`))
    })
  })
  const gone = new Promise<void>((resolve) => void child.once('exit', () => resolve()))
  const kill = async (): Promise<void> => {
    child.kill('SIGKILL')
    await gone
  }
  return {
    url: `http://127.0.0.1:${port}`,
    dir,
    process: child,
    kill,
    remove: async () => {
      await kill()
      for (const path of [dir, `${dir}.key`]) rmSync(path, { recursive: true, force: true })
    },
  }
}

export interface ApiChange {
  readonly id: string
  readonly state: string
  readonly version: number
  readonly findings: readonly {
    readonly key: string
    readonly level: string
    readonly rule: string
    readonly remedies: readonly {
      readonly says: string
      readonly change: { readonly patchDraft?: unknown }
    }[]
  }[]
  readonly plan: { readonly steps: readonly unknown[] } | null
  readonly planDigest: string | null
  readonly steps: readonly {
    readonly id: string
    readonly verb: string
    readonly state: string
    readonly attempts: number
    readonly cause: { readonly says: string; readonly reason: string } | null
  }[]
  readonly proof:
    readonly { readonly says: string; readonly holds: boolean; readonly observed: string }[] | null
}

/** The JSON API as an automator uses it. */
export function api(url: string) {
  const ask = async <T>(
    method: string,
    path: string,
    body?: unknown,
    headers: Record<string, string> = {},
  ): Promise<{ status: number; json: T; headers: Headers }> => {
    const response = await fetch(`${url}/api/v1${path}`, {
      method,
      headers: { 'Content-Type': 'application/json', ...headers },
      ...(body === undefined ? {} : { body: JSON.stringify(body) }),
    })
    const text = await response.text()
    return {
      status: response.status,
      json: bodyOf(text, response.headers.get('content-type') ?? '') as T,
      headers: response.headers,
    }
  }
  const get = async <T>(path: string): Promise<T> => (await ask<T>('GET', path)).json
  return {
    ask,
    get,
    change: (id: string) => get<ApiChange>(`/changes/${id}`),
    /** Steps the clock until the change is no longer at work. */
    async runOut(id: string): Promise<ApiChange> {
      for (let i = 0; i < 200; i++) {
        const change = await get<ApiChange>(`/changes/${id}`)
        if (!['running', 'undoing', 'waiting'].includes(change.state)) return change
        await ask('POST', '/clock', { advanceSeconds: 60 })
      }
      throw new Error(`${id} did not end`)
    },
  }
}
