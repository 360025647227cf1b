/** The JSON API on express: every answer is JSON, every error has one shape, nothing a caller sends ends in a 500. */
import { createReadStream } from 'node:fs'
import { rm } from 'node:fs/promises'
import { pipeline } from 'node:stream/promises'
import express, {
  type ErrorRequestHandler,
  type Request,
  type Response,
  type Router,
} from 'express'
import { actingAs } from '../actor'
import { checkAddress, jsonBody, textBody } from '../bodies/of-request'
import { takeBody } from '../bodies/take'
import { yamlBody } from '../changes/draft-file'
import { Refusal, refuseIssues, statusOf, storageRefusal } from '../changes/errors'
import type { Gyrarch } from '../gyrarch'
import { live } from '../live/stream'
import { openApi } from './openapi'
import { routes } from './routes'
import { type Answer, atQuery, type Route, type Text } from './route'

export const yamlTypes = ['application/yaml', 'application/x-yaml', 'text/yaml', 'text/x-yaml']
export function sendRefusal(response: Response, refusal: Refusal): void {
  response.status(statusOf[refusal.code]).json({
    error: { code: refusal.code, says: refusal.message, fields: refusal.fields },
    ...refusal.more,
  })
}

function handler(gyrarch: Gyrarch, route: Route, onAnswer?: AnswerListener) {
  return async (request: Request, response: Response): Promise<void> => {
    const query = route.query?.safeParse(request.query)
    if (query && !query.success) throw refuseIssues(query.error.issues)
    const given = await bodyOf(request, route)
    const body =
      route.rawUpTo === undefined
        ? route.body?.safeParse(
            given === undefined && route.path.startsWith('/changes/:id/') ? {} : given,
          )
        : { success: true as const, data: given }
    if (body && !body.success) throw refuseIssues(body.error.issues)
    const cancelled = new AbortController()
    response.on('close', () => cancelled.abort())
    const params = Object.fromEntries(
      Object.entries(request.params).map(([name, value]) => [name, String(value)]),
    )
    const moment = route.past === true ? atQuery.safeParse(request.query) : null
    if (moment && !moment.success) throw refuseIssues(moment.error.issues)
    const answer = await route.handle(gyrarch, {
      fleet: await gyrarch.fleetAt(moment?.data.at),
      params,
      query: (query?.data ?? {}) as Record<string, unknown>,
      body: body?.data,
      stream: request,
      ifMatch: request.get('if-match'),
      signal: cancelled.signal,
      base: `${request.protocol}://${request.get('host') ?? 'localhost'}`,
    })
    if (answer.etag !== undefined) response.setHeader('ETag', answer.etag)
    response.status(answer.status ?? route.status ?? 200)
    onAnswer?.(route, answer)
    if (!answer.text) {
      response.json(answer.json)
      return
    }
    await sendText(response, answer.text)
  }
}

/** The body of a request as its route takes it. */
async function bodyOf(request: Request, route: Route): Promise<unknown> {
  if (route.method === 'get' || route.streams === true) return undefined
  if (route.rawUpTo !== undefined) return takeBody(request, route.rawUpTo)
  if (route.manifest === true) return textBody(request)
  if (route.yaml === true && isYaml(request)) return yamlBody(await textBody(request))
  return jsonBody(request)
}

const isYaml = (request: Request): boolean =>
  yamlTypes.includes((request.headers['content-type'] ?? '').split(';')[0]?.trim() ?? '')

async function sendText(response: Response, text: Text): Promise<void> {
  response.type(text.type)
  if (text.fileName !== undefined) response.attachment(text.fileName).type(text.type)
  if (text.body !== undefined) {
    response.send(text.body)
    return
  }
  try {
    await pipeline(createReadStream(text.file), response)
  } finally {
    await rm(text.file, { force: true })
  }
}

interface HttpError {
  readonly status?: number
}

/** Errors of the body parser and of the path are the caller’s; anything else is ours and is logged. */
function refusalFor(error: unknown): Refusal | null {
  if (error instanceof Refusal) return error
  const { status } = (typeof error === 'object' && error !== null ? error : {}) as HttpError
  if (error instanceof URIError)
    return new Refusal('invalid', 'The address is not validly encoded.')
  if (status !== undefined && status >= 400 && status < 500)
    return new Refusal('invalid', 'The request could not be read.')
  return null
}

/** Told of every answer that is no refusal, before it is sent. */
export type AnswerListener = (route: Route, answer: Answer) => void

export function apiRouter(
  gyrarch: Gyrarch,
  onError: (error: unknown) => void,
  onAnswer?: AnswerListener,
): Router {
  const router = express.Router()
  router.use((_request, _response, next) => actingAs('person', next))
  router.use((_request, response, next) => {
    response.setHeader('Cache-Control', 'no-store')
    next()
  })
  router.use((request, _response, next) => {
    checkAddress(request.originalUrl)
    next()
  })
  let description: ReturnType<typeof openApi> | null = null
  router.get('/openapi.json', async (_request, response) => {
    // Made once, when it is asked for: a start does not wait for it.
    description ??= openApi()
    response.json(await description)
  })
  router.get('/live', (request, response) => live(gyrarch, request, response))
  for (const route of routes) router[route.method](route.path, handler(gyrarch, route, onAnswer))
  router.use('/compute/:name', (request, _response, next) =>
    next(
      new Refusal(
        'not-found',
        `There is no computation ${request.params.name.slice(0, 80)}, or it is not asked with POST.`,
      ),
    ),
  )
  router.use((request, _response, next) =>
    next(
      new Refusal(
        'not-found',
        `There is nothing at ${request.method} ${request.path.slice(0, 120)}. See /api/v1/openapi.json.`,
      ),
    ),
  )
  const onFailure: ErrorRequestHandler = (error: unknown, _request, response, _next) => {
    const refusal = refusalFor(error) ?? storageRefusal(error)
    if (response.headersSent) {
      response.end()
      return
    }
    if (refusal) {
      sendRefusal(response, refusal)
      return
    }
    onError(error)
    response.status(500).json({
      error: {
        code: 'unavailable',
        says: 'Gyrarch failed to answer this. The reason is in its log.',
        fields: [],
      },
    })
  }
  router.use(onFailure)
  return router
}
