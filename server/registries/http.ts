/**
 * A registry over HTTP, by the OCI Distribution Specification 1.1: pull, push in one piece or in chunks that can be gone on
 * with, tags, referrers, and deletion. `docs/formats/registry.md` says which parts.
 */
import type { IncomingMessage, ServerResponse } from 'node:http'
import { isDigest, isRepository, isTag } from '~/core/registry'
import { type Admit, answer, answerJson, bodyOf, type Call, digestIn, repositoryOf } from './call'
import { RegistryError } from './errors'
import { digestOfBytes, type Manifest, readManifest, type Registry } from './registry'
import { deleteUpload, getUpload, patchUpload, postUpload, putUpload } from './uploads'

const mostManifestBytes = 4 * 1024 * 1024
const indexType = 'application/vnd.oci.image.index.v1+json'
const manifestTypes = [
  'application/vnd.oci.image.manifest.v1+json',
  indexType,
  'application/vnd.docker.distribution.manifest.v2+json',
  'application/vnd.docker.distribution.manifest.list.v2+json',
]

// Blobs

const rangeOf = (header: string | undefined, size: number): readonly [number, number] | null => {
  const read = /^bytes=(\d+)-(\d*)$/.exec(header ?? '')
  if (!read) return null
  const from = Number(read[1])
  const to = read[2] === '' ? size - 1 : Math.min(size - 1, Number(read[2]))
  if (from > to) throw new RegistryError(416, 'SIZE_INVALID', `The blob has ${size} bytes.`)
  return [from, to]
}

async function getBlob(call: Call, digest: string): Promise<void> {
  const repository = await repositoryOf(call)
  const bytes = repository.blobs.has(digestIn(digest)) ? await call.registry.bytes(digest) : null
  if (!bytes) throw new RegistryError(404, 'BLOB_UNKNOWN', `${call.name} has no blob ${digest}.`)
  const headers = {
    'Content-Type': 'application/octet-stream',
    'Docker-Content-Digest': digest,
    'Accept-Ranges': 'bytes',
  }
  const range = rangeOf(call.request.headers.range, bytes.length)
  if (!range) return answer(call.response, 200, headers, bytes)
  const [from, to] = range
  answer(
    call.response,
    206,
    { ...headers, 'Content-Range': `bytes ${from}-${to}/${bytes.length}` },
    bytes.subarray(from, to + 1),
  )
}

async function deleteBlob(call: Call, digest: string): Promise<void> {
  const repository = await repositoryOf(call)
  if (!repository.blobs.has(digestIn(digest)))
    throw new RegistryError(404, 'BLOB_UNKNOWN', `${call.name} has no blob ${digest}.`)
  await call.registry.dropBlob(call.name, digest)
  answer(call.response, 202)
}

// Manifests

const isReference = (reference: string): boolean => isTag(reference) || isDigest(reference)

async function manifestOf(call: Call, reference: string): Promise<Manifest> {
  const repository = await repositoryOf(call)
  const digest = isDigest(reference) ? reference : repository.tags.get(reference)
  const manifest = digest === undefined ? undefined : repository.manifests.get(digest)
  if (manifest) return manifest
  throw new RegistryError(
    404,
    'MANIFEST_UNKNOWN',
    `${call.name} has no ${reference.slice(0, 150)}.`,
  )
}

async function getManifest(call: Call, reference: string): Promise<void> {
  const manifest = await manifestOf(call, reference)
  const bytes = await call.registry.bytes(manifest.digest)
  if (!bytes) throw new RegistryError(404, 'MANIFEST_UNKNOWN', 'Its bytes are gone.')
  answer(
    call.response,
    200,
    { 'Content-Type': manifest.mediaType, 'Docker-Content-Digest': manifest.digest },
    bytes,
  )
}

async function putManifest(call: Call, reference: string): Promise<void> {
  const { registry, request, response, name } = call
  if (!isReference(reference))
    throw new RegistryError(400, 'MANIFEST_INVALID', `${reference.slice(0, 150)} is no tag.`)
  const bytes = await bodyOf(request, mostManifestBytes)
  const read = readManifest(bytes)
  const contentType = (request.headers['content-type'] ?? '').split(';')[0]?.trim() ?? ''
  const mediaType = contentType === '' ? (read?.mediaType ?? '') : contentType
  if (!read || (read.mediaType !== undefined && read.mediaType !== mediaType))
    throw new RegistryError(
      400,
      'MANIFEST_INVALID',
      read
        ? `It says it is ${read.mediaType ?? ''} and was sent as ${mediaType}.`
        : 'It is no manifest: JSON with schemaVersion 2.',
    )
  if (!manifestTypes.includes(mediaType))
    throw new RegistryError(400, 'MANIFEST_INVALID', `${mediaType} is not kept here.`)
  const algorithm = isDigest(reference) ? (reference.split(':')[0] ?? 'sha256') : 'sha256'
  const digest = digestOfBytes(bytes, algorithm)
  if (isDigest(reference) && reference !== digest)
    throw new RegistryError(400, 'DIGEST_INVALID', `What was sent is ${digest}.`)
  const repository = await registry.repository(name)
  const missing =
    read.blobs.find((blob) => repository?.blobs.has(blob) !== true) ??
    read.manifests.find((entry) => repository?.manifests.has(entry) !== true)
  if (missing !== undefined)
    throw new RegistryError(404, 'MANIFEST_BLOB_UNKNOWN', `${name} has no ${missing} yet.`)
  await registry.putManifest(name, bytes, digest, mediaType, isDigest(reference) ? null : reference)
  answer(response, 201, {
    Location: `/v2/${name}/manifests/${digest}`,
    'Docker-Content-Digest': digest,
    ...(read.subject === null ? {} : { 'OCI-Subject': read.subject }),
  })
}

async function deleteManifest(call: Call, reference: string): Promise<void> {
  const manifest = await manifestOf(call, reference)
  if (isDigest(reference)) await call.registry.dropManifest(call.name, manifest.digest)
  else await call.registry.untag(call.name, reference)
  answer(call.response, 202)
}

// Tags and referrers

async function listTags(call: Call): Promise<void> {
  const { query, name, response } = call
  const repository = await repositoryOf(call)
  const limit = query.get('n')
  if (limit !== null && !/^\d{1,9}$/.test(limit))
    throw new RegistryError(400, 'UNSUPPORTED', 'n is a whole number.')
  const last = query.get('last') ?? ''
  // Lexical order, without regard to case, as the specification has it.
  const compare = (a: string, b: string): number =>
    a.toLowerCase() < b.toLowerCase() ? -1 : Number(a.toLowerCase() > b.toLowerCase())
  const all = [...repository.tags.keys()]
    .sort((a, b) => compare(a, b) || (a < b ? -1 : 1))
    .filter((tag) => last === '' || compare(tag, last) > 0)
  const count = limit === null ? all.length : Number(limit)
  const tags = all.slice(0, count)
  const end = tags.at(-1)
  answerJson(
    response,
    200,
    { name, tags },
    all.length > count && end !== undefined
      ? { Link: `</v2/${name}/tags/list?n=${count}&last=${encodeURIComponent(end)}>; rel="next"` }
      : {},
  )
}

async function listReferrers(call: Call, digest: string): Promise<void> {
  const { registry, name, query, response } = call
  const repository = await registry.repository(name)
  const wanted = query.get('artifactType')
  const subject = digestIn(digest)
  const manifests = [...(repository?.manifests.values() ?? [])]
    .filter(
      (manifest) =>
        manifest.subject === subject && (wanted === null || manifest.artifactType === wanted),
    )
    .map(({ mediaType, size, digest: own, artifactType, annotations }) => ({
      mediaType,
      digest: own,
      size,
      ...(artifactType === null ? {} : { artifactType }),
      ...(Object.keys(annotations).length === 0 ? {} : { annotations }),
    }))
  answerJson(
    response,
    200,
    { schemaVersion: 2, mediaType: indexType, manifests },
    {
      'Content-Type': indexType,
      ...(wanted === null ? {} : { 'OCI-Filters-Applied': 'artifactType' }),
    },
  )
}

// Routing

type Handle = (call: Call, last: string) => Promise<void>

const operations: readonly {
  readonly path: RegExp
  readonly methods: Readonly<Record<string, Handle>>
}[] = [
  { path: /^(.+)\/blobs\/uploads\/?$/, methods: { POST: postUpload } },
  {
    path: /^(.+)\/blobs\/uploads\/([^/]+)$/,
    methods: { GET: getUpload, PATCH: patchUpload, PUT: putUpload, DELETE: deleteUpload },
  },
  { path: /^(.+)\/blobs\/([^/]+)$/, methods: { GET: getBlob, HEAD: getBlob, DELETE: deleteBlob } },
  {
    path: /^(.+)\/manifests\/([^/]+)$/,
    methods: { GET: getManifest, HEAD: getManifest, PUT: putManifest, DELETE: deleteManifest },
  },
  { path: /^(.+)\/tags\/list$/, methods: { GET: listTags, HEAD: listTags } },
  { path: /^(.+)\/referrers\/([^/]+)$/, methods: { GET: listReferrers, HEAD: listReferrers } },
]

async function route(
  registry: Registry,
  request: IncomingMessage,
  response: ServerResponse,
  admit: Admit,
): Promise<void> {
  const url = new URL(request.url ?? '/', 'http://registry')
  const method = request.method ?? 'GET'
  if (/^\/v2\/?$/.test(url.pathname)) {
    if (method !== 'GET' && method !== 'HEAD')
      throw new RegistryError(405, 'UNSUPPORTED', 'Only GET is answered here.')
    await admit(null, 'pull', request.headers.authorization)
    return answerJson(response, 200, {})
  }
  const path = decodeURIComponent(url.pathname.replace(/^\/v2\//, ''))
  for (const operation of operations) {
    const read = operation.path.exec(path)
    if (!read || !url.pathname.startsWith('/v2/')) continue
    const [, name = '', last = ''] = read
    const handle = operation.methods[method]
    if (!handle)
      throw new RegistryError(405, 'UNSUPPORTED', `${method} is not answered here.`, {
        Allow: Object.keys(operation.methods).join(', '),
      })
    if (!isRepository(name))
      throw new RegistryError(400, 'NAME_INVALID', `${name.slice(0, 150)} names no repository.`)
    const purpose = method === 'GET' || method === 'HEAD' ? 'pull' : 'push'
    await admit(name, purpose, request.headers.authorization)
    return handle({ registry, request, response, name, query: url.searchParams, admit }, last)
  }
  throw new RegistryError(404, 'NAME_UNKNOWN', 'Nothing is here. Begin at /v2/.')
}

function toldAs(error: unknown): RegistryError {
  if (error instanceof RegistryError) return error
  return error instanceof URIError
    ? new RegistryError(400, 'NAME_INVALID', 'The path is not written as paths are.')
    : new RegistryError(500, 'UNKNOWN', 'The registry failed. The reason is in its log.')
}

/** Answers one request; whatever goes wrong is told as the specification has errors. */
export async function serveRegistry(
  registry: Registry,
  request: IncomingMessage,
  response: ServerResponse,
  onError: (error: unknown) => void,
  admit: Admit = () => Promise.resolve(),
): Promise<void> {
  try {
    const host = (request.headers.host ?? '').replace(/:\d+$/, '')
    if (host !== '127.0.0.1' && host !== 'localhost')
      throw new RegistryError(403, 'DENIED', 'Only 127.0.0.1 and localhost are answered.')
    await route(registry, request, response, admit)
  } catch (error) {
    if (request.destroyed && !request.complete) return
    if (!(error instanceof RegistryError) && !(error instanceof URIError)) onError(error)
    const told = toldAs(error)
    if (response.headersSent) return void response.end()
    // What was not read of the request would be taken for the next one.
    if (!request.complete) response.setHeader('Connection', 'close')
    answerJson(
      response,
      told.status,
      { errors: [{ code: told.code, message: told.message }] },
      told.headers,
    )
  }
}
