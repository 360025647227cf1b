/** Agents that fall over, are sent away, or were handed over before a start: each a real process. */
import { existsSync, mkdtempSync, readFileSync, rmSync, statSync, writeFileSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { afterEach, beforeEach, expect, it, vi } from 'vitest'
import { agentsFolder, handedOver, PartnerAgents } from './agents'

/** Notes each start with what it was given, and ends with the code that lies in its folder; without one it stays. */
const program = `
import { appendFileSync, existsSync, mkdirSync, readFileSync } from 'node:fs'
const { API_URL, STATE_DIR, HOME } = process.env
mkdirSync(STATE_DIR, { recursive: true })
appendFileSync(STATE_DIR + '/starts', JSON.stringify([process.argv.slice(2), API_URL, HOME ?? null]) + '\\n')
const code = STATE_DIR + '/code'
if (existsSync(code)) process.exit(Number(readFileSync(code, 'utf8')))
setInterval(() => existsSync(code) && process.exit(Number(readFileSync(code, 'utf8'))), 20)
`

let dir: string
let agents: PartnerAgents | null = null
let gone: string[]
let admitted: string[]
let errors: unknown[]
/** How often the cluster’s API refuses a manifest yet. */
let refusals: number
const command = { relay: 'ws://127.0.0.1:1/', token: 'one-time', manifest: 'kind: Namespace' }
const soon = { timeout: 20_000, interval: 50 }

beforeEach(() => {
  dir = mkdtempSync(join(tmpdir(), 'gyrarch-partner-'))
  writeFileSync(join(dir, 'agent.mjs'), program)
  gone = []
  admitted = []
  errors = []
  refusals = 0
})
afterEach(() => {
  agents?.close()
  rmSync(dir, { recursive: true, force: true })
})

function open(): PartnerAgents {
  agents = new PartnerAgents(
    dir,
    join(dir, 'agent.mjs'),
    {
      url: 'https://thistle',
      tokenFile: '/t',
      authorityFile: '/a',
      admit: (manifest) => {
        admitted.push(manifest)
        return refusals-- > 0 ? Promise.reject(new Error('the API is down')) : Promise.resolve()
      },
    },
    { ended: (name) => gone.push(name), failed: (error) => errors.push(error) },
  )
  return agents
}
const stateOf = (name: string): string => join(agentsFolder(dir), name, 'state')
const starts = (name: string): readonly string[] =>
  existsSync(join(stateOf(name), 'starts'))
    ? readFileSync(join(stateOf(name), 'starts'), 'utf8')
        .trim()
        .split('\n')
    : []
const endWith = (name: string, code: number): void =>
  writeFileSync(join(stateOf(name), 'code'), String(code))

it('starts an agent with its relay and token, and nothing of the environment but what it needs', async () => {
  open().start('thistle', command)
  await vi.waitFor(() => expect(starts('thistle')).toHaveLength(1), soon)
  expect(JSON.parse(starts('thistle')[0] ?? '')).toEqual([
    ['--relay', command.relay, '--token', command.token],
    'https://thistle',
    null,
  ])
  expect(admitted).toEqual([command.manifest])
  const kept = join(agentsFolder(dir), 'thistle', 'command.json')
  expect(statSync(kept).mode & 0o777).toBe(0o600)
})

it('starts none before its manifest is applied, and tries that until it is', async () => {
  refusals = 1
  open().start('thistle', command)
  await vi.waitFor(() => expect(starts('thistle')).toHaveLength(1), soon)
  expect([admitted.length, errors.map(String)]).toEqual([2, ['Error: the API is down']])
})

it('starts one that fell over again, and forgets one that was sent away', async () => {
  open().start('thistle', command)
  await vi.waitFor(() => expect(starts('thistle')).toHaveLength(1), soon)
  endWith('thistle', 1)
  await vi.waitFor(() => expect(starts('thistle').length).toBeGreaterThan(1), soon)
  expect([gone, handedOver(dir)]).toEqual([[], ['thistle']])
  endWith('thistle', 4)
  await vi.waitFor(() => expect(gone).toEqual(['thistle']), soon)
  expect(handedOver(dir)).toEqual([])
})

it('goes on after a start with what was handed over before; what does not read is forgotten', async () => {
  open().start('thistle', command)
  await vi.waitFor(() => expect(starts('thistle')).toHaveLength(1), soon)
  agents?.close()
  open().resume()
  await vi.waitFor(() => expect(starts('thistle')).toHaveLength(2), soon)
  agents?.close()
  writeFileSync(join(agentsFolder(dir), 'thistle', 'command.json'), '{"relay": 1}')
  open().resume()
  await vi.waitFor(() => expect(gone).toEqual(['thistle']), soon)
})

it('ends with its pod, and begins with the one that is made in its place', async () => {
  const partner = open()
  partner.podRuns(false)
  partner.start('thistle', command)
  await vi.waitFor(() => expect(starts('thistle')).toHaveLength(1), soon)
  partner.podRuns(true)
  partner.podRuns(false)
  // One that fell over would be back after two seconds.
  await new Promise((done) => setTimeout(done, 2500))
  expect(starts('thistle')).toHaveLength(1)
  partner.podRuns(true)
  await vi.waitFor(() => expect(starts('thistle')).toHaveLength(2), soon)
  expect([gone, errors]).toEqual([[], []])
})
