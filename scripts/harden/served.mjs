/** A built server with data of its own, and who looks at it all the while from another thread. */
import { spawn } from 'node:child_process'
import { mkdtempSync, rmSync } from 'node:fs'
import { createServer } from 'node:net'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { Worker } from 'node:worker_threads'
import { root } from '../ready.mjs'

const startsWithinMs = 120_000

const freePort = () =>
  new Promise((done) => {
    const probe = createServer()
    probe.listen(0, '127.0.0.1', () => {
      const { port } = probe.address()
      probe.close(() => done(port))
    })
  })

export const newFolder = () => mkdtempSync(join(tmpdir(), 'gyrarch-harden-'))

/** Starts a server on a folder; `ready` is null where it is killed before it answers. */
export async function serve(dir = newFolder(), { nodes = 0, env = {} } = {}) {
  const port = await freePort()
  const child = spawn(
    process.execPath,
    [
      `${root}build/server/main.js`,
      ...['--port', String(port), '--data', dir],
      ...(nodes > 0 ? ['--nodes', String(nodes)] : []),
    ],
    { stdio: ['ignore', 'pipe', 'pipe'], env: { ...process.env, NODE_ENV: 'production', ...env } },
  )
  const said = { text: '', errors: '' }
  const ended = new Promise((done) => child.on('exit', (code, signal) => done({ code, signal })))
  child.stderr.on('data', (chunk) => (said.errors += chunk))
  const ready = new Promise((done) => {
    const timer = setTimeout(() => done(null), startsWithinMs)
    child.stdout.on('data', (chunk) => {
      said.text += chunk
      if (!said.text.includes('Gyrarch is at')) return
      clearTimeout(timer)
      done(port)
    })
    void ended.then(() => {
      clearTimeout(timer)
      done(null)
    })
  })
  const url = `http://127.0.0.1:${port}`
  return {
    url,
    port,
    dir,
    pid: child.pid,
    said,
    ready,
    ended,
    kill: async (signal = 'SIGKILL') => {
      child.kill(signal)
      return ended
    },
    remove: async () => {
      child.kill('SIGKILL')
      await ended
      for (const path of [dir, `${dir}.key`]) rmSync(path, { recursive: true, force: true })
    },
  }
}

/** Asks the JSON API; the answer is never thrown. */
export async function ask(served, method, path, body, headers = {}) {
  try {
    const response = await fetch(`${served.url}/api/v1${path}`, {
      method,
      headers: { 'content-type': 'application/json', ...headers },
      ...(body === undefined
        ? {}
        : { body: typeof body === 'string' ? body : JSON.stringify(body) }),
    })
    const text = await response.text()
    let json = null
    try {
      json = JSON.parse(text)
    } catch {
      // Text is an answer too.
    }
    return { status: response.status, json, text }
  } catch (error) {
    return { status: 0, json: null, text: String(error) }
  }
}

/** Looks at a server from a thread that nothing here can hold: how long its health took to answer, how much it holds. */
export function watch(served) {
  const worker = new Worker(new URL('./watcher.mjs', import.meta.url), {
    workerData: { url: served.url, pid: served.pid },
  })
  const figures = (text) =>
    new Promise((done) => {
      worker.once('message', done)
      worker.postMessage(text)
    })
  return {
    /** The worst since the last time: `{ stallMs, heldMs, stolenMs, rssMiB, silent }`; held is what its own thread worked of a stall, stolen what the machine’s host took meanwhile. */
    take: () => figures('take'),
    end: async () => worker.terminate(),
  }
}
