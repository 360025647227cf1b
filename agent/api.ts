/** Requests to the one API that an agent was given, with the credentials it was given for it. */
import { readFileSync } from 'node:fs'
import { type IncomingMessage, request as plain } from 'node:http'
import { request as secured } from 'node:https'

export interface Api {
  readonly url: URL
  readonly tokenFile: string | undefined
  readonly caFile: string | undefined
}

export interface Sent {
  readonly method: string
  readonly path: string
  readonly headers: Readonly<Record<string, string>>
  readonly body?: Buffer
  readonly signal: AbortSignal
}

const headMs = 15_000
/** Of what the relay asks, the API hears only these. */
const forwarded = ['accept', 'content-type', 'content-length', 'user-agent']

/** The files are read each time: whoever mounts them renews them. */
export function send(
  api: Api,
  { method, path, headers, body, signal }: Sent,
): Promise<IncomingMessage> {
  if (!path.startsWith('/') || path.startsWith('//'))
    return Promise.reject(new Error('no path of the API'))
  const isSecured = api.url.protocol === 'https:'
  const token = api.tokenFile === undefined ? '' : readFileSync(api.tokenFile, 'utf8').trim()
  const base = api.url.pathname.replace(/\/+$/, '')
  return new Promise((resolve, reject) => {
    const outgoing = (isSecured ? secured : plain)(
      {
        host: api.url.hostname.replace(/^\[|\]$/g, ''),
        port: Number(api.url.port || (isSecured ? 443 : 80)),
        method,
        path: `${base}${path}`,
        headers: {
          ...Object.fromEntries(
            Object.entries(headers).filter(([name]) => forwarded.includes(name.toLowerCase())),
          ),
          host: api.url.host,
          ...(token === '' ? {} : { authorization: `Bearer ${token}` }),
        },
        signal,
        ...(isSecured && api.caFile !== undefined ? { ca: readFileSync(api.caFile) } : {}),
      },
      (response) => {
        clearTimeout(timer)
        resolve(response)
      },
    )
    const timer = setTimeout(() => outgoing.destroy(new Error('no answer in time')), headMs)
    outgoing.on('error', (error) => {
      clearTimeout(timer)
      reject(error)
    })
    outgoing.end(body)
  })
}
