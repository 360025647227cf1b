/** A request to a cluster’s API, answered: who asks, what for, and in which form. */
import type { IncomingMessage, ServerResponse } from 'node:http'
import { formOf, includedOf, type Form } from './accept'
import { aggregatedContentType, discovery, takesAggregated } from './discovery'
import type { Lists } from './lists'
import type { Mirror } from './mirror'
import { logOf, type LogSource } from './logs'
import { apiVersionOf, type ApiVerb, type Served } from './resources'
import { permit } from './permit'
import { type Answer, isAsked, type WriteRequest } from './request'
import { reviewed } from './reviews'
import { signedIn, type SignInDesk } from './sign-in'
import type { Signing } from './signing'
import { ApiRefusal, notFound } from './status'
import { metadataOf, tableOf } from './tables'
import { asServed, targetOf, type Target } from './target'
import { tokenRequested } from './token-request'
import { Watch } from './watch'
import { asText } from '~/core/objects'

export interface ClusterDoor extends SignInDesk {
  readonly cluster: string
  readonly release: string
  readonly address: string
  readonly served: readonly Served[]
  readonly lists: Lists
  readonly logs: LogSource
  readonly signing: Signing
  /** The cluster’s time, in ms. */
  now(): number
  /** Writes what a request asks for; the answer with its code. */
  write(request: WriteRequest): Promise<Answer>
  /** What a server could not answer. */
  onError(error: unknown): void
}

const mostBody = 3 * 1024 * 1024

/** The body of a request, whole; more than the API takes is refused before it is read. */
async function bodyOf(request: IncomingMessage): Promise<Buffer> {
  const tooLarge = () => new ApiRefusal(413, `Request entity too large: limit is ${mostBody} bytes`)
  if (Number(request.headers['content-length'] ?? 0) > mostBody) throw tooLarge()
  const chunks: Buffer[] = []
  let size = 0
  for await (const chunk of request as AsyncIterable<Buffer>) {
    size += chunk.length
    if (size > mostBody) throw tooLarge()
    chunks.push(chunk)
  }
  return Buffer.concat(chunks)
}

function send(
  response: ServerResponse,
  code: number,
  object: unknown,
  more: Record<string, string | string[]> = {},
): void {
  if (response.headersSent) {
    response.destroy()
    return
  }
  const text = JSON.stringify(object)
  response.writeHead(code, {
    'Content-Type': 'application/json',
    'Cache-Control': 'no-cache, private',
    'Content-Length': Buffer.byteLength(text),
    ...more,
  })
  response.end(text)
}

const probes = new Set(['/readyz', '/livez', '/healthz'])

const major = /^(\d+)\.(\d+)/

function versionOf(release: string): Readonly<Record<string, string>> {
  const [, first = '', second = ''] = major.exec(release) ?? []
  return {
    major: first,
    minor: second,
    gitVersion: `v${release}`,
    gitCommit: '',
    gitTreeState: 'clean',
    buildDate: '2026-01-01T00:00:00Z',
    goVersion: '',
    compiler: '',
    platform: 'linux/amd64',
  }
}

const verbs: Readonly<Record<string, (target: Target) => ApiVerb>> = {
  GET: ({ name }) => (name === null ? 'list' : 'get'),
  POST: () => 'create',
  PUT: () => 'update',
  PATCH: () => 'patch',
  DELETE: ({ name }) => (name === null ? 'deletecollection' : 'delete'),
}

function verbOf(method: string, target: Target): ApiVerb {
  const verb = verbs[method]?.(target)
  const allowed = target.subresource?.verbs ?? target.served.resource.verbs
  const needsName = verb === 'update' || verb === 'patch'
  const isOdd =
    verb === undefined ||
    !allowed.includes(verb) ||
    (needsName && target.name === null) ||
    (verb === 'create' && target.name !== null && target.subresource === null)
  if (isOdd)
    throw new ApiRefusal(405, 'the server does not allow this method on the requested resource', {})
  return verb
}

/** Answers a request; whatever it holds, with a Status where there is nothing better. */
export async function answerRequest(
  door: ClusterDoor,
  request: IncomingMessage,
  response: ServerResponse,
): Promise<void> {
  try {
    await answered(door, request, response)
  } catch (error) {
    const refusal =
      error instanceof ApiRefusal
        ? error
        : new ApiRefusal(500, 'Internal error occurred: the request could not be answered')
    if (!(error instanceof ApiRefusal)) door.onError(error)
    const { status } = refusal
    const more =
      status.details?.retryAfterSeconds === undefined
        ? undefined
        : { 'Retry-After': String(status.details.retryAfterSeconds) }
    send(response, refusal.code, status, {
      ...more,
      ...(request.complete ? {} : { Connection: 'close' }),
    })
  }
}

async function answered(
  door: ClusterDoor,
  request: IncomingMessage,
  response: ServerResponse,
): Promise<void> {
  const asked = request.url ?? '/'
  if (!URL.canParse(asked, 'https://cluster'))
    throw new ApiRefusal(400, 'the address of the request cannot be read')
  const url = new URL(asked, 'https://cluster')
  const path = url.pathname.replace(/(?<=.)\/$/, '')
  const method = request.method ?? 'GET'
  const caller = await signedIn(door, request)
  if (method === 'GET' && (probes.has(path) || probes.has(path.replace(/\/ping$/, '')))) {
    response.writeHead(200, { 'Content-Type': 'text/plain; charset=utf-8' }).end('ok')
    return
  }
  if (method === 'GET' && path === '/version') {
    send(response, 200, versionOf(door.release))
    return
  }
  const accept = request.headers.accept ?? ''
  if (method === 'GET') {
    const isAll = takesAggregated(accept)
    const told = discovery(path, door.served, door.address, isAll)
    if (told !== null) {
      const isAggregated = told['kind'] === 'APIGroupDiscoveryList'
      send(response, 200, told, isAggregated ? { 'Content-Type': aggregatedContentType } : {})
      return
    }
  }
  const review = method === 'POST' ? reviewed(caller, path, await peeked(path, request)) : null
  if (review !== null) {
    send(response, 201, review)
    return
  }
  const target = targetOf(path, door.served)
  if (target === null)
    throw new ApiRefusal(404, 'the server could not find the requested resource', {})
  const verb = verbOf(method, target)
  if (!(await door.mirror.refresh()))
    throw new ApiRefusal(503, 'the API of the cluster does not answer', { retryAfterSeconds: 5 })
  permit(caller, target, verb === 'list' && isWatch(url.searchParams) ? 'watch' : verb)
  if (verb === 'get' || verb === 'list') {
    await read(door, target, verb, { url, accept: request.headers.accept, response })
    return
  }
  formOf(request.headers.accept)
  const body = await bodyOf(request)
  const contentType =
    (request.headers['content-type'] ?? '').split(';')[0]?.trim().toLowerCase() ?? ''
  if (target.subresource?.name === 'token') {
    send(response, 201, await tokenRequested(door.signing, { target, body, contentType }))
    return
  }
  const answer = await door.write({
    verb,
    target,
    query: url.searchParams,
    body,
    contentType,
    caller,
    agent: request.headers['user-agent'] ?? '',
  })
  const warnings = (answer.warnings ?? []).map((text) => `299 - ${JSON.stringify(text)}`)
  send(response, answer.code, answer.object, warnings.length > 0 ? { Warning: warnings } : {})
}

const peeked = async (path: string, request: IncomingMessage): Promise<Buffer> =>
  path.startsWith('/apis/authorization.k8s.io/') ? bodyOf(request) : Buffer.alloc(0)

const isWatch = (query: URLSearchParams): boolean => isAsked(query, 'watch')

interface Reading {
  readonly url: URL
  readonly accept: string | undefined
  readonly response: ServerResponse
}

async function read(
  door: ClusterDoor,
  target: Target,
  verb: 'get' | 'list',
  { url, accept, response }: Reading,
): Promise<void> {
  const query = url.searchParams
  if (target.subresource?.name === 'log') {
    await logOf(door, target, query, response)
    return
  }
  const form = formOf(accept)
  const included = includedOf(query)
  if (isWatch(query) && target.subresource === null) {
    await new Watch(
      door.mirror,
      target,
      query,
      { form, included, now: () => door.now() },
      response,
    ).begin()
    return
  }
  const { kind } = target.served.resource
  const shape = { now: door.now(), included }
  if (verb === 'get') {
    const object = one(door.mirror, target)
    send(response, 200, formed(object, form, kind, shape))
    return
  }
  const { items, version, continues, left } = door.lists.list(target, query)
  const metadata = {
    resourceVersion: String(version),
    ...(continues === null ? {} : { continue: continues }),
    ...(left === null ? {} : { remainingItemCount: left }),
  }
  const objects = items.map((kept) => asServed(target.served, kept.object))
  send(response, 200, formedList(target.served, objects, metadata, form, shape))
}

type Json = Readonly<Record<string, unknown>>
type Shape = Parameters<typeof tableOf>[3]

export function one(mirror: Mirror, target: Target): Json {
  const { resource } = target.served
  const kept = mirror.find(resource.kind, target.namespace ?? '', target.name ?? '')
  if (!kept) throw notFound(resource, target.name ?? '')
  return target.subresource?.name === 'scale'
    ? scaleOf(kept.object)
    : asServed(target.served, kept.object)
}

/** How many copies an object asks for, as the resource of its own. */
export function scaleOf(object: Json): Json {
  const metadata = object['metadata'] as Json
  const spec = (object['spec'] ?? {}) as Json
  const status = (object['status'] ?? {}) as Json
  const labels = ((spec['selector'] as Json | undefined)?.['matchLabels'] ?? {}) as Json
  const { name, namespace, uid, resourceVersion, creationTimestamp } = metadata
  return {
    kind: 'Scale',
    apiVersion: 'autoscaling/v1',
    metadata: { name, namespace, uid, resourceVersion, creationTimestamp },
    spec: { replicas: spec['replicas'] ?? 1 },
    status: {
      replicas: status['replicas'] ?? 0,
      selector: Object.entries(labels)
        .map(([key, value]) => `${key}=${asText(value)}`)
        .join(','),
    },
  }
}

function formed(object: Json, form: Form, kind: string, shape: Shape): Json {
  if (form === 'metadata') return metadataOf(object)
  const { resourceVersion } = object['metadata'] as Json
  return form === 'table' ? tableOf(kind, [object], { resourceVersion }, shape) : object
}

function formedList(
  served: Served,
  objects: readonly Json[],
  metadata: Json,
  form: Form,
  shape: Shape,
): Json {
  const { kind } = served.resource
  if (form === 'table') return tableOf(kind, objects, metadata, shape)
  if (form === 'metadata')
    return {
      kind: 'PartialObjectMetadataList',
      apiVersion: 'meta.k8s.io/v1',
      metadata,
      items: objects.map(metadataOf),
    }
  return { kind: `${kind}List`, apiVersion: apiVersionOf(served), metadata, items: objects }
}
