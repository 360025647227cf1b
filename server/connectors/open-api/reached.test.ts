/** APIs that are slow, endless, something else, or partly closed: each is shown as what it is, and none is asked without end. */
import { afterEach, describe, expect, it, vi } from 'vitest'
import { ApiClient, headersFor } from './client'
import { Reached } from './reached'
import { shown } from './resources'
import { type ApiAnswer, type ApiRequest, type Transport, Unreached } from './transport'

type Json = Record<string, unknown>
type Reply = Json | ApiAnswer | Error

const answer = (status: number, type: string, ...chunks: readonly string[]): ApiAnswer => ({
  status,
  headers: { 'content-type': type },
  body: (async function* () {
    for (const chunk of chunks) yield Buffer.from(chunk)
  })(),
})
const status = (code: number, reason: string): ApiAnswer =>
  answer(
    code,
    'application/json',
    JSON.stringify({ kind: 'Status', code, reason, message: reason }),
  )

/** A small cluster of which every answer can be replaced. */
class Scripted implements Transport {
  readonly address = 'https://scripted'
  readonly asked: ApiRequest[] = []
  replies = new Map<string, (request: ApiRequest) => Reply>()

  constructor(private readonly lists: Readonly<Record<string, readonly Json[]>>) {}

  send(request: ApiRequest, signal: AbortSignal): Promise<ApiAnswer> {
    this.asked.push(request)
    const [path = ''] = request.path.split('?')
    const isWatch = request.path.includes('watch=true')
    const made = this.replies.get(isWatch ? `watch ${path}` : path) ?? this.replies.get('*')
    const reply = made?.(request) ?? (isWatch ? this.open(signal) : this.usual(path))
    if (reply instanceof Error) return Promise.reject(reply)
    const isAnswer = 'body' in reply && typeof reply['status'] === 'number'
    return Promise.resolve(
      isAnswer ? (reply as ApiAnswer) : answer(200, 'application/json', JSON.stringify(reply)),
    )
  }

  close(): void {
    // Nothing is held.
  }

  /** A watch that tells nothing until nobody listens any more. */
  private open(signal: AbortSignal): ApiAnswer {
    return {
      status: 200,
      headers: { 'content-type': 'application/json' },
      body: (async function* () {
        await new Promise((done) => signal.addEventListener('abort', done, { once: true }))
        yield Buffer.from('\n')
      })(),
    }
  }

  private usual(path: string): Json {
    const resources = (group: string) =>
      (shown[group] ?? []).map((name) => ({
        name,
        kind: 'Thing',
        namespaced: true,
        verbs: ['list', 'watch'],
      }))
    if (path === '/version') return { gitVersion: 'v1.33.2+made-here' }
    if (path === '/api/v1') return { kind: 'APIResourceList', resources: resources('') }
    if (path === '/apis') return { groups: [{ name: 'apps', versions: [{ version: 'v1' }] }] }
    if (path === '/apis/apps/v1') return { resources: resources('apps') }
    if (path.includes('selfsubjectaccessreviews')) return { status: { allowed: true } }
    const plural = path.split('/').at(-1) ?? ''
    return { metadata: { resourceVersion: '10' }, items: this.lists[plural] ?? [] }
  }
}

const named = (name: string, rest: Json = {}): Json => ({ metadata: { name }, ...rest })

let reached: Reached | null = null
afterEach(() => reached?.close())

function over(transport: Scripted): Reached {
  reached = new Reached('thistle', 'inbound', new ApiClient(transport, headersFor(null)), {
    changed: () => undefined,
  })
  return reached
}
const opening = (transport: Scripted) =>
  over(transport).open(AbortSignal.timeout(4000), () => undefined)
const refusal = (transport: Scripted) =>
  opening(transport).then(
    () => null,
    (error: unknown) => (error instanceof Unreached ? error.reason : error),
  )
const scripted = (path: string, reply: (request: ApiRequest) => Reply): Scripted => {
  const transport = new Scripted({ nodes: [named('a'), named('b')] })
  transport.replies.set(path, reply)
  return transport
}

describe('opening', () => {
  it('lists what is offered, as the release that answers', async () => {
    const transport = new Scripted({ nodes: [named('a'), named('b')] })
    await opening(transport)
    expect(reached?.release).toBe('1.33.2')
    expect(reached?.of('nodes').map(({ kind, apiVersion }) => [kind, apiVersion])).toEqual([
      ['Thing', 'v1'],
      ['Thing', 'v1'],
    ])
    expect(reached?.report()).toMatchObject({ heard: true, withheld: [] })
    expect(transport.asked.every(({ headers }) => headers['user-agent']?.includes('gyrarch'))).toBe(
      true,
    )
  })

  it.each([
    ['a page', () => answer(200, 'text/html', '<html>'), 'not-the-api'],
    ['a redirect', () => answer(302, 'text/html', ''), 'not-the-api'],
    ['a redirect in JSON', () => answer(301, 'application/json', '{}'), 'not-the-api'],
    ['JSON that is cut off', () => answer(200, 'application/json', '{"gitVersion'), 'not-the-api'],
    ['something else in JSON', () => ({ hello: 'there' }), 'not-the-api'],
    ['nobody', () => new Unreached('unreachable', 'no'), 'unreachable'],
    ['a refused token', () => status(401, 'Unauthorized'), 'token-refused'],
    ['an API that is overloaded', () => status(503, 'ServiceUnavailable'), 'unreachable'],
  ] as const)('finds %s for what it is', async (_name, reply, reason) => {
    expect(await refusal(scripted('/version', reply))).toBe(reason)
  })

  it('names the list that may not be read', async () => {
    const transport = scripted(
      '/apis/authorization.k8s.io/v1/selfsubjectaccessreviews',
      (request) => ({
        status: { allowed: !request.body?.toString().includes('"pods"') },
      }),
    )
    await expect(opening(transport)).rejects.toMatchObject({
      reason: 'rights-missing',
      message: expect.stringContaining('pods') as string,
    })
  })

  it('does without a list that is not needed, and says so', async () => {
    const transport = scripted(
      '/apis/authorization.k8s.io/v1/selfsubjectaccessreviews',
      (request) => ({
        status: { allowed: !request.body?.toString().includes('"configmaps"') },
      }),
    )
    await opening(transport)
    expect(reached?.report().withheld).toEqual(['configmaps'])
    expect(transport.asked.some(({ path }) => path.startsWith('/api/v1/configmaps'))).toBe(false)
  })

  it('reads an answer without end no further than its limit', async () => {
    const endless = (): ApiAnswer => ({
      status: 200,
      headers: { 'content-type': 'application/json' },
      body: (async function* () {
        const chunk = Buffer.alloc(4 * 1024 * 1024, 32)
        for (;;) yield chunk
      })(),
    })
    expect(await refusal(scripted('/api/v1/nodes', endless))).toBe('not-the-api')
  })

  it('reads a list that goes round once', async () => {
    const transport = scripted('/api/v1/nodes', () => ({
      metadata: { resourceVersion: '1', continue: 'again' },
      items: [named('a')],
    }))
    await opening(transport)
    expect(
      transport.asked.filter(({ path }) => path.startsWith('/api/v1/nodes?limit')).length,
    ).toBe(2)
  })

  it('leaves out objects that do not read', async () => {
    const transport = new Scripted({
      nodes: [named('a'), { metadata: 5 }, {}],
      pods: [{ ...named('p'), kind: 'Pod', spec: { containers: 'none' } }],
    })
    await opening(transport)
    expect(reached?.of('nodes')).toHaveLength(1)
    expect(reached?.of('pods')).toHaveLength(0)
  })
})

describe('following', () => {
  const event = (type: string, object: Json) => `${JSON.stringify({ type, object })}\n`

  it('takes what a watch tells, and lists anew after 410', async () => {
    let told = 0
    const transport = scripted('watch /api/v1/nodes', () =>
      told++ === 0
        ? answer(
            200,
            'application/json',
            event('ADDED', named('c', { metadata: { name: 'c', resourceVersion: '11' } })),
            event('DELETED', named('a')),
            event('BOOKMARK', { metadata: { resourceVersion: '12' } }),
            event('ERROR', { kind: 'Status', code: 410, reason: 'Expired' }),
          )
        : answer(200, 'application/json', ''),
    )
    await opening(transport)
    const lists = () =>
      transport.asked.filter(({ path }) => path.startsWith('/api/v1/nodes?limit')).length
    expect(lists()).toBe(1)
    reached?.start()
    await vi.waitFor(() => expect(lists()).toBe(2), 5000)
    expect(reached?.of('nodes')).toHaveLength(2)
  })

  it('does not ask without end where every watch ends at once', async () => {
    const transport = new Scripted({})
    await opening(transport)
    transport.replies.set('*', ({ path }) =>
      path.includes('watch=true')
        ? answer(200, 'application/json', '')
        : { metadata: {}, items: [] },
    )
    const before = transport.asked.length
    reached?.start()
    await new Promise((done) => setTimeout(done, 1800))
    const lists = reached?.report().watched.length ?? 0
    // At once, after half a second, after one more.
    expect(transport.asked.length - before).toBeLessThanOrEqual(3 * lists + 2)
  })

  it('knows within seconds that nobody answers any more, and hears it again', async () => {
    const transport = new Scripted({ nodes: [named('a')] })
    await opening(transport)
    reached?.start()
    transport.replies.set('*', () => new Unreached('unreachable', 'gone'))
    reached?.doubt()
    await vi.waitFor(
      () => expect(reached?.report()).toMatchObject({ heard: false, reason: 'unreachable' }),
      5000,
    )
    expect(reached?.of('nodes')).toHaveLength(1)
    transport.replies.clear()
    await vi.waitFor(() => expect(reached?.report().heard).toBe(true), 5000)
  })

  it('knows what pods use where a metrics API tells, and does without where there is none', async () => {
    const owner = { kind: 'ReplicaSet', name: 'lamp-7', controller: true }
    const pod = (name: string, more: Json = {}) => ({
      kind: 'Pod',
      metadata: { name, namespace: 'hall', ownerReferences: [owner] },
      ...more,
    })
    const used = (name: string, ...containers: readonly (readonly [string, string])[]) => ({
      metadata: { name, namespace: 'hall' },
      containers: containers.map(([cpu, memory]) => ({ usage: { cpu, memory } })),
    })
    const killed = { lastState: { terminated: { reason: 'OOMKilled' } } }
    const transport = new Scripted({
      pods: [pod('lamp-7-a'), pod('lamp-7-b', { status: { containerStatuses: [killed] } })],
    })
    await opening(transport)
    expect(reached?.usage()).toBeNull()
    transport.replies.set('/apis/metrics.k8s.io/v1beta1/pods', () => ({
      items: [
        used('lamp-7-a', ['120500000n', '64Mi'], ['10m', '1Mi']),
        used('lamp-7-b', ['90m', '128Mi']),
        used('gone', ['9', '9Gi']),
      ],
    }))
    reached?.start()
    reached?.doubt()
    await vi.waitFor(() => expect(reached?.usage()).not.toBeNull(), 5000)
    expect(reached?.usage()).toEqual([
      {
        workload: 'ReplicaSet/hall/lamp-7',
        cpuMilli: [131],
        memoryBytes: [128 * 1024 ** 2],
        memoryKills: 1,
        throttled: 0,
      },
    ])
    transport.replies.set('/apis/metrics.k8s.io/v1beta1/pods', () => status(404, 'NotFound'))
    expect(reached?.report().heard).toBe(true)
  })
})
