/** Blobs pushed: in one piece, mounted from another repository, or in chunks that can be gone on with. */
import type { IncomingMessage } from 'node:http'
import { answer, type Call, digestIn } from './call'
import { RegistryError } from './errors'

const mostBlobBytes = 4 * 1024 ** 3

async function* limited(request: IncomingMessage, room: number): AsyncGenerator<Uint8Array> {
  let size = 0
  for await (const chunk of request) {
    size += (chunk as Buffer).length
    if (size > room)
      throw new RegistryError(413, 'SIZE_INVALID', `A blob has at most ${mostBlobBytes} bytes.`)
    yield chunk as Buffer
  }
}

const uploadPath = (name: string, id: string): string => `/v2/${name}/blobs/uploads/${id}`

const madeBlob = (call: Call, digest: string): void =>
  answer(call.response, 201, {
    Location: `/v2/${call.name}/blobs/${digest}`,
    'Docker-Content-Digest': digest,
  })

/** `Range` of what has arrived. Of an empty upload it tells 0-0, as clients expect. */
const arrived = (size: number): string => `0-${Math.max(0, size - 1)}`

export async function postUpload(call: Call): Promise<void> {
  const { registry, query, name, request, response } = call
  const mount = query.get('mount')
  const source = query.get('from')
  // Who takes a blob out of a repository pulls it from there.
  if (mount !== null && source !== null) {
    await call.admit(source, 'pull', request.headers.authorization)
    if (await registry.mount(name, source, digestIn(mount))) return madeBlob(call, mount)
  }
  const id = await registry.beginUpload()
  const digest = query.get('digest')
  if (digest !== null) {
    await registry.addToUpload(id, limited(request, mostBlobBytes))
    return finish(call, id, digestIn(digest))
  }
  answer(response, 202, { Location: uploadPath(name, id), Range: '0-0' })
}

async function finish(call: Call, id: string, digest: string): Promise<void> {
  if (await call.registry.finishUpload(id, call.name, digest)) return madeBlob(call, digest)
  throw new RegistryError(400, 'DIGEST_INVALID', `What was sent is not ${digest}.`)
}

async function uploadOf(call: Call, id: string): Promise<number> {
  const size = await call.registry.uploaded(id)
  if (size !== null) return size
  throw new RegistryError(404, 'BLOB_UPLOAD_UNKNOWN', `There is no upload ${id.slice(0, 80)}.`)
}

/** Refuses a chunk that does not begin where the one before it ended. */
function inOrder(call: Call, size: number): void {
  const header = call.request.headers['content-range']
  if (header === undefined) return
  const read = /^(?:bytes )?(\d+)-(\d+)(?:\/\d+|\/\*)?$/.exec(header)
  const length = call.request.headers['content-length']
  const isWhole =
    read &&
    Number(read[1]) === size &&
    (length === undefined || Number(read[2]) - Number(read[1]) + 1 === Number(length))
  if (isWhole) return
  throw new RegistryError(416, 'BLOB_UPLOAD_INVALID', `The next chunk begins at ${size}.`, {
    Range: arrived(size),
    Location: call.request.url ?? '',
  })
}

export async function patchUpload(call: Call, id: string): Promise<void> {
  const size = await uploadOf(call, id)
  inOrder(call, size)
  const total = await call.registry.addToUpload(id, limited(call.request, mostBlobBytes - size))
  answer(call.response, 202, { Location: uploadPath(call.name, id), Range: arrived(total) })
}

export async function putUpload(call: Call, id: string): Promise<void> {
  const size = await uploadOf(call, id)
  const digest = digestIn(call.query.get('digest'))
  inOrder(call, size)
  await call.registry.addToUpload(id, limited(call.request, mostBlobBytes - size))
  await finish(call, id, digest)
}

export async function getUpload(call: Call, id: string): Promise<void> {
  const size = await uploadOf(call, id)
  answer(call.response, 204, { Location: uploadPath(call.name, id), Range: arrived(size) })
}

export async function deleteUpload(call: Call, id: string): Promise<void> {
  await uploadOf(call, id)
  await call.registry.cancelUpload(id)
  answer(call.response, 204)
}
