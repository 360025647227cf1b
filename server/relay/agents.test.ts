/** Who waits for an agent gets it when it dials, whoever else has given up meanwhile. */
import { mkdtempSync, rmSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { afterEach, beforeEach, expect, it, vi } from 'vitest'
import { WebSocket } from 'ws'
import { Vault } from '../keys/vault'
import { defineAll } from '../records/all'
import { type Database, openDatabase } from '../records/database'
import { recordMigrations } from '../records/migrations'
import { AgentTransport } from './agent-transport'
import { Agents } from './agents'

let dir: string
let database: Database
let agents: Agents
const came = vi.fn()
const sockets: WebSocket[] = []

beforeEach(async () => {
  dir = mkdtempSync(join(tmpdir(), 'gyrarch-agents-'))
  database = await openDatabase(join(dir, 'records.sqlite'), recordMigrations, defineAll)
  const vault = new Vault(dir, join(dir, 'key'))
  const onError = (error: unknown): never => {
    throw error
  }
  agents = new Agents({ database, vault, came, gone: () => undefined, onError })
})
afterEach(async () => {
  for (const socket of sockets.splice(0)) socket.terminate()
  await agents.close()
  await database.close()
  rmSync(dir, { recursive: true, force: true })
})

const wait = (signal: AbortSignal) =>
  new Promise<{ readonly agent: Promise<unknown> }>((waits) => {
    const agent: Promise<unknown> = agents.of('thistle', signal, () => waits({ agent }))
  })

/** Dials with the token that is expected, and keeps the credential. */
async function dial(): Promise<void> {
  const { relay, token } = (await agents.state('thistle')) ?? {}
  const socket = new WebSocket(relay ?? '', { headers: { authorization: `Bearer ${token ?? ''}` } })
  sockets.push(socket)
  socket.on('message', (data) => {
    const message = JSON.parse(String(data)) as { readonly type: string }
    if (message.type === 'credential') socket.send(JSON.stringify({ type: 'kept' }))
  })
}

it('who waits still gets the agent when another has given up', async () => {
  const earlier = new AbortController()
  const first = await wait(earlier.signal)
  const second = await wait(new AbortController().signal)
  earlier.abort(new Error('given up'))
  await expect(first.agent).rejects.toThrow('given up')
  await dial()
  expect(await second.agent).toBeInstanceOf(AgentTransport)
  expect(came).not.toHaveBeenCalled()
})

it('two who wait both get it', async () => {
  const both = [await wait(new AbortController().signal), await wait(new AbortController().signal)]
  await dial()
  const [left, right] = await Promise.all(both.map(({ agent }) => agent))
  expect(left).toBe(right)
})
