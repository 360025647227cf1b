/** Everything the pages do, by the JSON API alone; and what a caller can do wrong. */
import { request } from 'node:http'
import { X509Certificate } from 'node:crypto'
import { parse } from 'yaml'
import { afterAll, beforeAll, describe, expect, it } from 'vitest'
import { api, type ApiChange, serve, type Served } from './server'

let served: Served
beforeAll(async () => {
  served = await serve()
  await api(served.url).ask('POST', '/clock', { speed: 0 })
})
afterAll(() => served.remove())

const elm = (disk: string) => ({
  name: 'elm-12',
  site: 'glasshouse-12',
  release: '1.33.2',
  controlPlane: { kind: 'own', count: 1, alsoWorkers: true },
  pools: [],
  ranges: { pods: '10.130.0.0/18', services: '10.131.0.0/20', maxPodsPerNode: 110 },
  machines: [
    {
      machine: 'gh12-box',
      roles: ['control-plane', 'worker'],
      nodeName: 'elm-12-a',
      disk,
      card: 'enp1s0',
      address: '10.77.12.8/26',
    },
  ],
})

describe('the API alone', () => {
  it('raises elm-12 by following the remedy, and gives an access file whose authority covers its names', async () => {
    const { ask, change, runOut, get } = api(served.url)
    const drafted = (
      await ask<ApiChange>('POST', '/changes', { kind: 'cluster.raise', intent: elm('/dev/sda') })
    ).json
    expect(drafted.plan).toBeNull()
    const stop = drafted.findings.find((finding) => finding.level === 'stop')
    expect(stop?.rule).toBe('disk.stable')
    expect((await ask('POST', `/changes/${drafted.id}/run`, {})).status).toBe(409)
    const read = await ask<ApiChange>('GET', `/changes/${drafted.id}`)
    const etag = read.headers.get('etag') ?? ''
    const patch = stop?.remedies[0]?.change.patchDraft
    expect((await ask('PATCH', `/changes/${drafted.id}`, { patch })).status).toBe(409)
    const amended = await ask<ApiChange>(
      'PATCH',
      `/changes/${drafted.id}`,
      { patch },
      { 'If-Match': etag },
    )
    expect(amended.status).toBe(200)
    expect(
      (await ask('PATCH', `/changes/${drafted.id}`, { patch }, { 'If-Match': etag })).status,
    ).toBe(409)
    expect(
      (await ask('POST', `/changes/${drafted.id}/run`, { planDigest: 'another' })).status,
    ).toBe(409)
    expect((await ask('GET', '/clusters/elm-12/access')).status).toBe(404)
    expect(
      (await ask('POST', `/changes/${drafted.id}/run`, { planDigest: amended.json.planDigest }))
        .status,
    ).toBe(202)
    expect((await ask('GET', '/clusters/elm-12/access')).status).toBe(503)
    expect((await runOut(drafted.id)).state).toBe('done')
    expect((await change(drafted.id)).proof?.every((proof) => proof.holds)).toBe(true)
    const fleet = await get<{
      sites: {
        name: string
        clusters: {
          name: string
          state: string
          pools: { nodes: { name: string; state: string }[] }[]
        }[]
      }[]
    }>('/fleet')
    const cluster = fleet.sites.find((site) => site.name === 'glasshouse-12')?.clusters[0]
    expect(cluster?.pools.flatMap((pool) => pool.nodes)).toEqual([
      { name: 'elm-12-a', state: 'well' },
    ])
    const access = await ask<string>('GET', '/clusters/elm-12/access')
    const file = parse(access.json) as {
      clusters: { cluster: { 'certificate-authority-data': string } }[]
      users: { name: string; user: { token: string } }[]
    }
    expect(file.users[0]?.name).toBe('duty@elm-12')
    const authority = new X509Certificate(
      Buffer.from(file.clusters[0]?.cluster['certificate-authority-data'] ?? '', 'base64'),
    )
    expect(authority.ca).toBe(true)
    expect(authority.checkIP('10.77.12.8')).toBe('10.77.12.8')
    expect(authority.checkIP('10.131.0.1')).toBe('10.131.0.1')
    expect(authority.checkHost('elm-12')).toBe('elm-12')
    const { nodes } = await get<{ nodes: { conditions: { type: string; status: string }[] }[] }>(
      '/clusters/elm-12/nodes',
    )
    expect(nodes[0]?.conditions.find((condition) => condition.type === 'Ready')?.status).toBe(
      'True',
    )
  })

  it('advances and steps the clock, and answers when the stand-ins have got there', async () => {
    const { ask, get } = api(served.url)
    const before = await get<{ now: string }>('/clock')
    const after = (await ask<{ now: string }>('POST', '/clock', { advanceSeconds: 90 })).json
    expect(Date.parse(after.now) - Date.parse(before.now)).toBe(90_000)
  })

  it('tells what happens in a stream whose ids are the journal’s', async () => {
    const { ask } = api(served.url)
    const response = await fetch(`${served.url}/api/v1/live`)
    const reader = response.body?.pipeThrough(new TextDecoderStream()).getReader()
    const drafted = (
      await ask<ApiChange>('POST', '/changes', {
        kind: 'cluster.takedown',
        intent: { cluster: 'dill' },
      })
    ).json
    let heard = ''
    while (reader && !heard.includes('take down dill: drafted'))
      heard += (await reader.read()).value ?? ''
    await reader?.cancel()
    expect(heard).toMatch(/id: \d+\nevent: journal\n/)
    expect(heard).toContain('event: clock')
    expect((await ask('DELETE', `/changes/${drafted.id}`)).status).toBe(200)
  })

  it('describes itself, every path of the router included', async () => {
    const { get } = api(served.url)
    const description = await get<{ openapi: string; paths: Record<string, unknown> }>(
      '/openapi.json',
    )
    expect(description.openapi).toBe('3.1.0')
    expect(Object.keys(description.paths)).toEqual(
      expect.arrayContaining(['/fleet', '/changes/{id}/run', '/compute/quorum', '/live']),
    )
    const { kinds } = await get<{
      kinds: { name: string; schema: { properties: Record<string, unknown> } }[]
    }>('/kinds')
    expect(
      Object.keys(kinds.find((kind) => kind.name === 'cluster.raise')?.schema.properties ?? {}),
    ).toContain('controlPlane')
  })
})

describe('a request from elsewhere', () => {
  const send = (
    headers: Record<string, string>,
    method = 'POST',
    path = '/api/v1/changes',
  ): Promise<number> =>
    new Promise((resolve, reject) => {
      const { port } = new URL(served.url)
      const sent = request(
        {
          host: '127.0.0.1',
          port,
          path,
          method,
          headers: { 'Content-Type': 'application/json', Host: `127.0.0.1:${port}`, ...headers },
        },
        (response) => {
          response.resume()
          resolve(response.statusCode ?? 0)
        },
      )
      sent.on('error', reject)
      sent.end(method === 'POST' ? '{}' : undefined)
    })

  it('is refused under a foreign host name', async () => {
    expect(await send({ Host: 'gyrarch.example:4600' }, 'GET', '/api/v1/health')).toBe(403)
    expect(await send({ Host: 'gyrarch.example' }, 'GET', '/fleet')).toBe(403)
  })

  it('is refused as a mutation of a foreign origin, pages and API alike', async () => {
    expect(await send({ Origin: 'http://elsewhere.example' })).toBe(403)
    expect(await send({ Origin: 'null' })).toBe(403)
    expect(await send({ 'Sec-Fetch-Site': 'cross-site' }, 'POST', '/do/clock')).toBe(403)
    expect(await send({ Origin: served.url })).toBe(400)
  })

  it('gets pages whose scripts and styles need a nonce that is new each time', async () => {
    const policy = async (): Promise<string> =>
      (await fetch(`${served.url}/fleet`)).headers.get('content-security-policy') ?? ''
    const first = await policy()
    for (const directive of ['script-src', 'style-src']) {
      const sources = new RegExp(`${directive} ([^;]*)`).exec(first)?.[1] ?? ''
      expect(sources).toContain("'nonce-")
      expect(sources).not.toContain('unsafe-inline')
    }
    expect(await policy()).not.toBe(first)
  })
})

it('a draft whose caller has gone away is judged for the next one as well', async () => {
  const { ask } = api(served.url)
  const body = { kind: 'pool.resize', intent: { cluster: 'bramble', pool: 'base', count: 4 } }
  for (let i = 0; i < 12; i++) {
    const gone = new AbortController()
    const answer = fetch(`${served.url}/api/v1/changes`, {
      method: 'POST',
      headers: { 'content-type': 'application/json' },
      body: JSON.stringify(body),
      signal: gone.signal,
    }).catch(() => null)
    await new Promise((rest) => setTimeout(rest, i * 3))
    gone.abort()
    await answer
  }
  const { status, json } = await ask<ApiChange>('POST', '/changes', body)
  expect(status).toBe(201)
  expect(json.plan?.steps.length).toBeGreaterThan(0)
})
