/**
 * Pages on express: each request is read whole, counted and checked before any page’s own code sees it, as those of the
 * API are, and what cannot be read is refused in words.
 */
import { pipeline } from 'node:stream/promises'
import { Readable } from 'node:stream'
import type { ReadableStream } from 'node:stream/web'
import type {
  ErrorRequestHandler,
  Request as Asked,
  RequestHandler,
  Response as Told,
} from 'express'
import { createRequestHandler, type RouterContextProvider, type ServerBuild } from 'react-router'
import { bytesOf, checkAddress, checkedJson } from '../bodies/of-request'
import { checkText } from '../bodies/controls'
import { textOf } from '../bodies/json'
import { Refusal, statusOf, storageRefusal } from '../changes/errors'

/** What a body says it is, without its parameters. */
const typeOf = (request: Asked): string =>
  (request.headers['content-type'] ?? '').split(';')[0]?.trim().toLowerCase() ?? ''

/** The body of a request to a page: JSON, a form or text, as it came. */
async function checkedBody(request: Asked): Promise<Buffer> {
  const bytes = await bytesOf(request)
  switch (typeOf(request)) {
    case 'application/json':
      checkedJson(bytes)
      return bytes
    case 'application/x-www-form-urlencoded':
      return bytes
    case 'text/plain':
      checkText(textOf(bytes))
      return bytes
    default:
      if (bytes.length === 0) return bytes
      throw new Refusal(
        'invalid',
        'Pages take JSON, forms that are URL-encoded, and plain text; the Content-Type says which.',
      )
  }
}

function headersOf(request: Asked): Headers {
  const headers = new Headers()
  for (const [name, values] of Object.entries(request.headers))
    for (const value of [values ?? []].flat()) headers.append(name, value)
  // The body is handed on unpacked.
  headers.delete('content-encoding')
  headers.delete('content-length')
  headers.delete('transfer-encoding')
  return headers
}

async function asked(request: Asked, response: Told): Promise<Request> {
  checkAddress(request.originalUrl)
  const hasBody = request.method !== 'GET' && request.method !== 'HEAD'
  const body = hasBody ? await checkedBody(request) : null
  const leaving = new AbortController()
  response.on('close', () => leaving.abort())
  return new Request(
    `${request.protocol}://${request.headers.host ?? 'localhost'}${request.originalUrl}`,
    {
      method: request.method,
      headers: headersOf(request),
      signal: leaving.signal,
      ...(body ? { body: new Uint8Array(body) } : {}),
    },
  )
}

async function tell(response: Told, answer: Response): Promise<void> {
  if (response.destroyed) {
    await answer.body?.cancel()
    return
  }
  response.status(answer.status)
  for (const [name, value] of answer.headers) response.append(name, value)
  if (answer.body) await pipeline(Readable.fromWeb(answer.body as ReadableStream), response)
  else response.end()
}

/** Answers all pages of a build. */
export function pages(
  build: ServerBuild,
  contextOf: (response: Told) => RouterContextProvider,
): RequestHandler {
  const handle = createRequestHandler(build, 'production')
  return async (request, response, next) => {
    try {
      await tell(response, await handle(await asked(request, response), contextOf(response)))
    } catch (error) {
      // Who asked has gone: nobody is left to be told.
      if (!response.destroyed) next(error)
    }
  }
}

/** What a page could not be asked, in words; anything else is the program’s own error. */
export const pageRefused =
  (onError: (error: unknown) => void): ErrorRequestHandler =>
  (error: unknown, _request, response, _next) => {
    const refusal =
      error instanceof URIError || error instanceof TypeError
        ? new Refusal('invalid', 'The request could not be read.')
        : (storageRefusal(error) ?? error)
    if (!(refusal instanceof Refusal)) onError(error)
    if (response.headersSent) {
      response.end()
      return
    }
    const [status, says] =
      refusal instanceof Refusal
        ? [statusOf[refusal.code], refusal.message]
        : [500, 'Gyrarch failed to answer this. The reason is in its log.']
    response.status(status).type('text/plain').send(says)
  }
