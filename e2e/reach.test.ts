/** A cluster behind somebody else's network joins the fleet from the outside: by its agent, a process of its own. */
import { type ChildProcess, spawn } from 'node:child_process'
import { mkdirSync, mkdtempSync, readFileSync, rmSync, statSync, writeFileSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { afterAll, beforeAll, expect, it, vi } from 'vitest'
import { parse, parseAllDocuments } from 'yaml'
import { fill, goTo, press, pressToDraft, see } from './browser'
import { api, type ApiChange, serve, type Served } from './server'
import { suite } from './suite'

const here = suite({ refusals: false })
/** Another Gyrarch, whose stand-in plays the cluster that nobody can dial. */
let there: Served
let folder: string
const agents: ChildProcess[] = []

interface AccessFile {
  readonly clusters: readonly {
    readonly cluster: { readonly server: string; readonly 'certificate-authority-data': string }
  }[]
  readonly users: readonly { readonly user: { readonly token: string } }[]
}
let file: AccessFile

beforeAll(async () => {
  there = await serve()
  folder = mkdtempSync(join(tmpdir(), 'gyrarch-agent-'))
  const response = await fetch(`${there.url}/api/v1/clusters/cedar/access`)
  file = parse(await response.text()) as AccessFile
  writeFileSync(join(folder, 'token'), file.users[0]?.user.token ?? '')
  const authority = file.clusters[0]?.cluster['certificate-authority-data'] ?? ''
  writeFileSync(join(folder, 'ca.crt'), Buffer.from(authority, 'base64'))
})
afterAll(async () => {
  for (const agent of agents) agent.kill('SIGKILL')
  await there.remove()
  rmSync(folder, { recursive: true, force: true })
})

/** Starts the agent as its command says; resolves with how it ended. */
function start(command: string, state = 'state') {
  const elsewhere = join(folder, 'elsewhere')
  mkdirSync(elsewhere, { recursive: true })
  const agent = spawn('sh', ['-c', `exec ${command}`], {
    cwd: elsewhere,
    stdio: 'ignore',
    env: {
      PATH: process.env['PATH'],
      API_URL: file.clusters[0]?.cluster.server ?? '',
      API_TOKEN_FILE: join(folder, 'token'),
      API_CA_FILE: join(folder, 'ca.crt'),
      STATE_DIR: join(folder, state),
    },
  })
  agents.push(agent)
  const ended = new Promise<number | null>((resolve) => agent.once('exit', resolve))
  return { agent, ended }
}

interface Agent {
  readonly relay: string
  readonly token: string | null
  readonly manifest: string | null
  readonly command: string | null
  readonly connected: boolean
}
const agentOf = (name: string): Promise<Agent> => here.api.get<Agent>(`/clusters/${name}/agent`)

interface Told {
  readonly state: string
  readonly reach: { readonly heard: boolean; readonly reason: string | null }
}
const told = (name: string): Promise<Told> => here.api.get<Told>(`/clusters/${name}`)
const soon = { timeout: 45_000, interval: 250 }

it('waits for its agent, goes on once that dials, and reaches the cluster through it', async () => {
  const page = await here.visit('/raise/enrol')
  await see(page, 'What Gyrarch reads there')
  await fill(page, 'textbox', 'Name', 'thistle')
  await press(page, 'button', 'outbound')
  await see(page, 'Its agent dials Gyrarch')
  await pressToDraft(page, 'Draft enrolling it')
  await press(page, 'button', 'Run')
  await see(page, 'Waits for its agent')
  await see(page, 'not used yet')

  const { command, manifest, token, relay } = await agentOf('thistle')
  expect([relay, token?.length]).toEqual([expect.stringMatching(/^ws:\/\/127\.0\.0\.1:\d+/), 43])
  const objects = parseAllDocuments(manifest ?? '').map(
    (document) => document.toJS() as { kind: string },
  )
  expect(objects.map(({ kind }) => kind).sort()).toEqual([
    'ClusterRole',
    'ClusterRoleBinding',
    'ConfigMap',
    'Deployment',
    'Namespace',
    'Role',
    'RoleBinding',
    'Secret',
    'ServiceAccount',
  ])
  const withToken = objects.filter((object) => JSON.stringify(object).includes(token ?? '-'))
  expect(withToken.map(({ kind }) => kind)).toEqual(['Secret'])

  const first = start(command ?? '')
  await see(page, 'Done and proven', 60_000)
  const credential = join(folder, 'state', 'credential')
  expect(statSync(credential).mode & 0o777).toBe(0o600)
  expect(readFileSync(credential, 'utf8')).not.toContain(token)
  expect(await agentOf('thistle')).toMatchObject({
    token: null,
    manifest: null,
    command: null,
    connected: true,
  })

  // The token is used: nobody else comes in with it.
  expect(await start(command ?? '', 'another').ended).toBe(3)

  await goTo(page, `${here.url}/clusters/thistle`)
  await see(page, 'Reached outbound')
  await see(page, 'cedar-general-1')

  // Killed and back, with what it kept.
  first.agent.kill('SIGKILL')
  await first.ended
  await vi.waitFor(
    async () =>
      expect(await told('thistle')).toMatchObject({
        state: 'unknown',
        reach: { heard: false, reason: 'unreachable' },
      }),
    soon,
  )
  await see(page, 'not connected to', 60_000)
  start(command ?? '')
  await vi.waitFor(async () => expect((await told('thistle')).reach.heard).toBe(true), soon)
})

it('takes a manifest through its agent, and is sent away with it', async () => {
  const text =
    'apiVersion: v1\nkind: ConfigMap\nmetadata: {name: from-afar, namespace: default}\ndata: {a: b}\n'
  const { ask } = here.api
  const done = async (kind: string, intent: unknown): Promise<void> => {
    const { json } = await ask<{ id: string }>('POST', '/changes', { kind, intent })
    // Beside other load the agent may dial anew meanwhile: until it is heard, the draft has a stop.
    await vi.waitFor(
      async () =>
        expect(await ask('POST', `/changes/${json.id}/run`, {})).toMatchObject({ status: 202 }),
      soon,
    )
    await vi.waitFor(async () => {
      const { state } = await here.api.get<{ state: string }>(`/changes/${json.id}`)
      expect(state).toBe('done')
    }, soon)
  }
  await done('manifest.apply', { cluster: 'thistle', text })
  const { objects } = await api(there.url).get<{
    objects: readonly { metadata: { name: string } }[]
  }>('/clusters/cedar/objects?kind=ConfigMap&namespace=default')
  expect(objects.map(({ metadata }) => metadata.name)).toContain('from-afar')

  const last = agents.at(-1)
  const ended = new Promise<number | null>((resolve) => last?.once('exit', resolve))
  await done('cluster.dismiss', { cluster: 'thistle' })
  expect(await ended).toBe(4)
  const { status } = await fetch(`${here.url}/api/v1/clusters/thistle`)
  expect(status).toBe(404)
})

it('hands the manifest to the partner of the demo, whose cluster nobody dials', async () => {
  const page = await here.visit('/raise/enrol')
  await fill(page, 'textbox', 'Name', 'thistle')
  await press(page, 'button', 'outbound')
  await pressToDraft(page, 'Draft enrolling it')
  await press(page, 'button', 'Run')
  await press(page, 'button', 'Hand it to the partner')
  await see(page, 'Done and proven', 60_000)
  await goTo(page, `${here.url}/clusters/thistle`)
  await see(page, 'thistle-general-4')
  const { json } = await here.api.ask<{
    readonly release: string
    readonly podCount: number
    readonly state: string
  }>('GET', '/clusters/thistle')
  expect(json).toMatchObject({ release: '1.32.4', podCount: 32, state: 'well' })

  // The whole server is killed, and with it whoever played the partner: both are there again.
  await here.restart()
  await vi.waitFor(async () => expect((await told('thistle')).reach.heard).toBe(true), soon)
})

it('acts there only where whoever handed it over allows that', async () => {
  const { ask, get } = here.api
  const text =
    'apiVersion: v1\nkind: ConfigMap\nmetadata: {name: from-afar, namespace: default}\ndata: {a: b}\n'
  const ended = async (kind: string, intent: unknown) => {
    const { json } = await ask<{ id: string }>('POST', '/changes', { kind, intent })
    await vi.waitFor(
      async () =>
        expect(await ask('POST', `/changes/${json.id}/run`, {})).toMatchObject({ status: 202 }),
      soon,
    )
    return vi.waitFor(async () => {
      const change = await here.api.change(json.id)
      expect(['done', 'halted']).toContain(change.state)
      return change
    }, soon)
  }
  // It was handed over to be read alone.
  const refused = await ended('manifest.apply', { cluster: 'thistle', text })
  expect(refused.state).toBe('halted')
  expect(refused.steps.map(({ cause }) => cause?.reason)).toContain('api-refuses')
  expect((await ask('POST', `/changes/${refused.id}/give-up`, {})).status).toBe(202)
  expect((await ended('cluster.dismiss', { cluster: 'thistle' })).state).toBe('done')

  const page = await here.visit('/raise/enrol')
  await fill(page, 'textbox', 'Name', 'thistle')
  await press(page, 'button', 'outbound')
  await pressToDraft(page, 'Draft enrolling it')
  await press(page, 'button', 'Run')
  await press(page, 'checkbox', 'and may act there, not read alone')
  await press(page, 'button', 'Hand it to the partner')
  await see(page, 'Done and proven', 60_000)
  expect((await ended('manifest.apply', { cluster: 'thistle', text })).state).toBe('done')
  const { objects } = await get<{ objects: readonly { metadata: { name: string } }[] }>(
    '/clusters/thistle/objects?kind=ConfigMap&namespace=default',
  )
  expect(objects.map(({ metadata }) => metadata.name)).toContain('from-afar')
})

it('empties the node that its own agent runs on: the agent ends with its pod, and the next one goes on', async () => {
  const { ask, get } = here.api
  interface PodSeen {
    readonly metadata: { readonly name: string; readonly namespace: string }
    readonly spec: { readonly nodeName?: string }
    readonly status: { readonly phase: string }
  }
  const agentPod = async (): Promise<PodSeen | undefined> => {
    const { objects } = await get<{ objects: readonly PodSeen[] }>(
      '/clusters/thistle/objects?kind=Pod&namespace=gyrarch-agent',
    )
    return objects.find(({ status }) => status.phase === 'Running')
  }
  await ask('POST', '/clock', { speed: 60 })
  const before = await vi.waitFor(async () => {
    const pod = await agentPod()
    if (!pod?.spec.nodeName) throw new Error('the agent has no pod yet')
    return pod
  }, soon)
  const intent = { cluster: 'thistle', nodes: [before.spec.nodeName], allowLocalData: true }
  const { json: draft } = await ask<ApiChange>('POST', '/changes', { kind: 'node.drain', intent })
  const accept = draft.findings.map(({ key }) => key)
  expect((await ask('POST', `/changes/${draft.id}/run`, { accept })).status).toBe(202)
  // What it asks for takes its own way in: until another pod has dialled, nobody can be asked.
  await vi.waitFor(async () => {
    const { steps } = await get<ApiChange>(`/changes/${draft.id}`)
    expect(steps.map(({ cause }) => cause?.reason)).toContain('api-down')
  }, soon)
  await vi.waitFor(
    async () => expect((await get<ApiChange>(`/changes/${draft.id}`)).state).toBe('done'),
    soon,
  )
  await vi.waitFor(async () => expect((await told('thistle')).reach.heard).toBe(true), soon)
  const after = await vi.waitFor(async () => {
    const pod = await agentPod()
    if (!pod) throw new Error('the agent has no pod again')
    return pod
  }, soon)
  expect(after.metadata.name).not.toBe(before.metadata.name)
  expect(after.spec.nodeName).not.toBe(before.spec.nodeName)
  expect((await agentOf('thistle')).connected).toBe(true)
  await ask('POST', '/clock', { speed: 0 })
})
