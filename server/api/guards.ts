/** What every request has to pass: the right host name, the right origin, and headers that keep pages to themselves. */
import { randomBytes } from 'node:crypto'
import type { RequestHandler, Response } from 'express'
import helmet from 'helmet'
import { Refusal } from '../changes/errors'
import { sendRefusal } from './router'

/** Only the server’s own names are answered, so that no foreign name can be pointed at it. */
export function ownHostOnly(
  hosts: () => readonly string[],
  /** Names under which machines call, answered for their calls alone. */
  contacts: () => readonly string[] = () => [],
): RequestHandler {
  return (request, response, next) => {
    const host = request.headers.host?.toLowerCase()
    const isCall = request.method === 'POST' && request.path.startsWith('/api/v1/join/')
    if (host !== undefined && (hosts().includes(host) || (isCall && contacts().includes(host))))
      next()
    else
      sendRefusal(
        response,
        new Refusal(
          'forbidden',
          `This server does not answer to the host ${(host ?? 'without a name').slice(0, 100)}.`,
        ),
      )
  }
}

/** Mutations come from the server’s own pages, or from programs that are no browsers and send no origin. */
export function ownOriginOnly(hosts: () => readonly string[]): RequestHandler {
  return (request, response, next) => {
    if (request.method === 'GET' || request.method === 'HEAD' || request.method === 'OPTIONS') {
      next()
      return
    }
    const { origin } = request.headers
    const fetchSite = request.headers['sec-fetch-site']
    const own =
      origin === undefined || hosts().some((host) => origin.toLowerCase() === `http://${host}`)
    if (own && (fetchSite === undefined || fetchSite === 'same-origin' || fetchSite === 'none'))
      next()
    else
      sendRefusal(
        response,
        new Refusal(
          'forbidden',
          'Changes are taken from Gyrarch’s own pages only, not from another site.',
        ),
      )
  }
}

/** What hands out secrets is not fetched on behalf of another site, not even by GET. */
export const secretsOwnSiteOnly: RequestHandler = (request, response, next) => {
  const fetchSite = request.headers['sec-fetch-site']
  const isSecret =
    /^\/api\/v1\/(?:clusters\/[^/]+\/(?:access|agent)|changes\/[^/]+\/boot-data)/.test(request.path)
  if (!isSecret || fetchSite === undefined || fetchSite === 'same-origin' || fetchSite === 'none')
    next()
  else
    sendRefusal(
      response,
      new Refusal('forbidden', 'This is handed out to Gyrarch’s own pages, not to another site.'),
    )
}

const nonceOf = (response: Response): string => String(response.locals['nonce'])

/** The one sheet that the component library writes without a nonce, by what is in it: no transition while light and dark change. */
const noTransition = "'sha256-GNF74DLkXb0fH3ILHgILFjk1ozCF3SNXQ5mQb7WLu/Y='"

/** Security headers; scripts run and sheets of styles are taken only with the nonce of the page, drawn for each request. */
/**
 * Built files stand on no page by themselves: what a page is told of its frames, scripts and referrers says nothing of
 * them, and a first visit asks for seventy. A worker’s script is held to its own origin.
 */
export const assetHeaders: RequestHandler = (_request, response, next) => {
  response.set({
    'Content-Security-Policy': "default-src 'self'",
    'Cross-Origin-Resource-Policy': 'same-origin',
    'X-Content-Type-Options': 'nosniff',
  })
  next()
}

export function headers(): RequestHandler[] {
  return [
    (_request, response, next) => {
      response.locals['nonce'] = randomBytes(16).toString('base64')
      next()
    },
    helmet({
      contentSecurityPolicy: {
        useDefaults: false,
        directives: {
          defaultSrc: ["'self'"],
          scriptSrc: ["'self'", (_request, response) => `'nonce-${nonceOf(response as Response)}'`],
          styleSrc: [
            "'self'",
            (_request, response) => `'nonce-${nonceOf(response as Response)}'`,
            noTransition,
          ],
          // Style attributes of drawings (positions, sizes) are computed.
          styleSrcAttr: ["'unsafe-inline'"],
          imgSrc: ["'self'", 'data:', 'blob:'],
          fontSrc: ["'self'", 'data:'],
          connectSrc: ["'self'"],
          workerSrc: ["'self'", 'blob:'],
          objectSrc: ["'none'"],
          baseUri: ["'none'"],
          formAction: ["'self'"],
          frameAncestors: ["'none'"],
        },
      },
      strictTransportSecurity: false,
      crossOriginEmbedderPolicy: false,
    }),
  ]
}
