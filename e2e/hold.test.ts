/** What hostile or broken requests, second servers and kills at the first start do to a built server: nothing. */
import { spawn } from 'node:child_process'
import { mkdtempSync, readFileSync, rmSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join, resolve as resolvePath } from 'node:path'
import { gzipSync } from 'node:zlib'
import { afterAll, beforeAll, describe, expect, it } from 'vitest'
import { api, serve, type Served } from './server'

let served: Served
beforeAll(async () => {
  served = await serve()
  await api(served.url).ask('POST', '/clock', { speed: 0 })
})
afterAll(() => served.remove())

const MiB = 1024 ** 2

/** Most memory that the server’s process has held so far, in MiB. */
const peak = (): number =>
  Number(
    /VmHWM:\s+(\d+)/.exec(readFileSync(`/proc/${served.process.pid ?? 0}/status`, 'utf8'))?.[1],
  ) / 1024

/** Bodies that no page’s action can read, and some that it can and should not trust. */
const bodies: readonly (readonly [string, string])[] = [
  ['{', 'application/json'],
  ['[]', 'application/json'],
  ['null', 'application/json'],
  ['"x"', 'application/json'],
  ['{"do":{"a":1},"kind":5,"intent":"\\u0000","set":3,"text":[]}', 'application/json'],
  ['a=%zz&b', 'application/x-www-form-urlencoded'],
  ['do=run&do=run&accept=%00', 'application/x-www-form-urlencoded'],
  ['do=amend&intent={', 'application/x-www-form-urlencoded'],
  ['do=health&policy=[', 'application/x-www-form-urlencoded'],
  ['', ''],
  ['x', 'multipart/form-data; boundary=x'],
  [
    '--x\r\nContent-Disposition: form-data; name="do"; filename="a"\r\n\r\nhi\r\n--x--',
    'multipart/form-data; boundary=x',
  ],
  ['x\0', 'text/plain'],
  ['x', 'image/png'],
]

const actions = [
  '/ground',
  '/ground/addresses',
  '/ground/names',
  '/raise',
  '/raise/c-1',
  '/changes/c-1',
  '/changes/c-1/rehearsal',
  '/clusters/bramble',
  '/shape/windows',
  '/shape/spend',
  '/shape/manifests',
  '/shape/workloads',
  '/wire/walk',
  '/mend',
  '/mend/practice',
  '/mend/told',
  '/mend/k-1',
  '/keys',
  '/faults',
  '/do/draft',
  '/do/clock',
]

describe('pages', () => {
  it.each(actions)('%s refuses what it cannot read, and never fails', async (path) => {
    const answers = new Map<string, number>()
    for (const suffix of ['', '.data'])
      for (const [body, type] of bodies) {
        const response = await fetch(`${served.url}${path}${suffix}`, {
          method: 'POST',
          redirect: 'manual',
          body,
          ...(type === '' ? {} : { headers: { 'content-type': type } }),
        })
        await response.text()
        answers.set(`${suffix} ${type} ${JSON.stringify(body)}`, response.status)
      }
    expect([...answers].filter(([, status]) => status >= 500)).toEqual([])
  })

  it('take no address with control characters in it', async () => {
    for (const path of [
      '/fleet?aim=a%0Ab',
      '/fleet?aim=%00',
      '/clusters/%0a',
      '/clusters/%E0%A4%A',
    ])
      expect([path, (await fetch(served.url + path)).status]).toEqual([path, 400])
  })

  it('take no body of more than 8 MiB', async () => {
    const response = await fetch(`${served.url}/do/draft.data`, {
      method: 'POST',
      headers: { 'content-type': 'application/json' },
      body: `"${'x'.repeat(9 * MiB)}"`,
    })
    expect(response.status).toBe(413)
  })
})

describe('small bodies that are large to read', () => {
  const post = (path: string, body: Buffer | string, packed = false) =>
    fetch(`${served.url}/api/v1${path}`, {
      method: 'POST',
      headers: {
        'content-type': 'application/json',
        ...(packed ? { 'content-encoding': 'gzip' } : {}),
      },
      body: typeof body === 'string' ? body : new Uint8Array(body),
    })

  it('are refused without the server growing by what they hold', async () => {
    const before = peak()
    const deep = gzipSync(Buffer.alloc(250 * MiB, '['))
    const wide = gzipSync(`{"objects":[${'{},'.repeat(60 * MiB)}{}]}`)
    const long = gzipSync(Buffer.alloc(300 * MiB, ' '))
    // Packing held this thread for longer than an idle connection is kept: that it is closed is heard first.
    await new Promise((turn) => setTimeout(turn, 100))
    for (const body of [deep, wide, long])
      expect((await post('/compute/placement', body, true)).status).toBe(413)
    expect((await post('/changes', Buffer.alloc(7 * MiB, '['))).status).toBe(413)
    expect((await post('/changes', `[${'[],'.repeat(2 * MiB)}[]]`)).status).toBe(413)
    expect(peak() - before).toBeLessThan(512)
  })

  it('are read where they are small after all', async () => {
    const annotations = Object.fromEntries(
      Array.from({ length: 50 }, (_, nth) => [`note-${nth}`, 'x'.repeat(90_000)]),
    )
    const objects = Array.from({ length: 3 }, (_, nth) => ({
      kind: 'Node',
      metadata: { name: `n${nth}`, annotations },
      status: { allocatable: { cpu: '1', memory: '1Gi', pods: '10' } },
    }))
    const answer = await post('/compute/placement', gzipSync(JSON.stringify({ objects })), true)
    expect(answer.status).toBe(200)
    expect(((await answer.json()) as { nodes: unknown[] }).nodes).toHaveLength(3)
  })

  it('a zone whose names lead from one to the next is read in one pass', async () => {
    const names = Array.from({ length: 4000 }, (_, nth) => `n${nth} IN CNAME n${nth + 1}`)
    const text = `$ORIGIN fernhollow.example.\n$TTL 300\n${names.join('\n')}\nn4000 IN A 10.0.0.1\n`
    const answer = await post('/sites/tarn-north/zone', JSON.stringify({ text }))
    expect(((await answer.json()) as { records: unknown[] }).records).toHaveLength(4001)
  })

  it('a text of hundreds of thousands of names is refused before it is parsed', async () => {
    const labels = Array.from({ length: 400_000 }, (_, nth) => `    l${nth}: x`).join('\n')
    const answer = await post(
      '/clusters/bramble/objects',
      `apiVersion: v1\nkind: ConfigMap\nmetadata:\n  name: c\n  labels:\n${labels}\n`,
    )
    const { findings } = (await answer.json()) as { findings: { says: string }[] }
    expect(findings[0]?.says).toContain('Apply it in parts')
  })

  it('what hands out secrets is not fetched for another site', async () => {
    const access = (site: string) =>
      fetch(`${served.url}/api/v1/clusters/dill/access`, { headers: { 'sec-fetch-site': site } })
    expect((await access('cross-site')).status).toBe(403)
    expect((await access('same-site')).status).toBe(403)
    expect((await access('same-origin')).status).toBe(200)
  })
})

/** Runs the built server on a folder until it ends, or until it is killed after so many milliseconds. */
function ending(dir: string, killAfterMs?: number): Promise<{ code: number | null; said: string }> {
  const child = spawn(
    process.execPath,
    [resolvePath('build/server/main.js'), '--port', '0', '--data', dir],
    { stdio: ['ignore', 'pipe', 'pipe'], env: { ...process.env, NODE_ENV: 'production' } },
  )
  let said = ''
  child.stderr.on('data', (chunk: Buffer) => (said += chunk.toString()))
  if (killAfterMs !== undefined) setTimeout(() => child.kill('SIGKILL'), killAfterMs)
  return new Promise((done) => child.on('exit', (code) => done({ code, said })))
}

describe('a folder', () => {
  it('of a running server is refused to a second one, which says who has it', async () => {
    const { code, said } = await ending(served.dir)
    expect(code).toBe(1)
    expect(said).toContain(`process ${served.process.pid ?? 0}`)
    expect(said).not.toMatch(/\n\s+at /)
  })

  it('whose first start is killed again and again is whole once one start ends', async () => {
    const dir = mkdtempSync(join(tmpdir(), 'gyrarch-killed-'))
    for (const ms of [350, 450, 550, 650, 800, 1000, 1300, 1700]) await ending(dir, ms)
    const again = await serve({ dir })
    try {
      const { get } = api(again.url)
      const [fresh, other] = await Promise.all([
        get<{ clusters: unknown[] }>('/fleet'),
        api(served.url).get<{ clusters: unknown[] }>('/fleet'),
      ])
      expect(JSON.stringify(fresh).length).toBeGreaterThan(JSON.stringify(other).length / 2)
      const credentials = await get<{ credentials: unknown[] }>('/credentials')
      expect(credentials.credentials.length).toBeGreaterThan(0)
    } finally {
      await again.remove()
      rmSync(dir, { recursive: true, force: true })
    }
  })
})
