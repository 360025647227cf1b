/** Requests that Gyrarch dials itself: HTTPS, verified by the authority that the access file names, no redirects, no proxy. */
import { Agent, request as dialled } from 'node:https'
import { createSecureContext } from 'node:tls'
import type { IncomingMessage } from 'node:http'
import type { AccessWay } from '~/core/reach'
import { type ApiAnswer, type ApiRequest, type Transport, Unreached } from './transport'

/** A server may take so long to begin its answer. */
const headMs = 8000

const untrusted =
  /^(?:CERT_|UNABLE_TO_|SELF_SIGNED_|DEPTH_ZERO_|ERR_TLS_CERT|HOSTNAME_MISMATCH|INVALID_CA|INVALID_PURPOSE|PATH_LENGTH)/

/** What a failed connection comes down to. */
export function unreachedBy(error: unknown, address: string): Unreached {
  if (error instanceof Unreached) return error
  const { code = '', message = '' } = error as NodeJS.ErrnoException
  if (untrusted.test(code))
    return new Unreached(
      'certificate-untrusted',
      `Who answers at ${address} shows a certificate that the authority of the access file did not sign (${code}).`,
    )
  if (code.startsWith('HPE_') || /wrong version number|packet length too long/.test(message))
    return new Unreached('not-the-api', `What answers at ${address} does not speak HTTPS.`)
  return new Unreached(
    'unreachable',
    `${address} does not answer (${code === '' ? message.slice(0, 120) : code}).`,
  )
}

/** The headers as one text each. */
export const headersOf = (response: IncomingMessage): Readonly<Record<string, string>> =>
  Object.fromEntries(
    Object.entries(response.headers).flatMap(([name, value]) =>
      value === undefined ? [] : [[name, Array.isArray(value) ? value.join(', ') : value]],
    ),
  )

async function* bodyOf(response: IncomingMessage, address: string): AsyncIterable<Buffer> {
  try {
    for await (const chunk of response) yield chunk as Buffer
  } catch (error) {
    throw unreachedBy(error, address)
  }
}

export class Dialled implements Transport {
  readonly address: string
  private readonly agent: Agent

  /** Throws `Unreached` where the certificates of the way do not read. */
  constructor(private readonly way: AccessWay) {
    this.address = way.server
    const { signIn } = way
    const tls = {
      ...(way.authority === null ? {} : { ca: way.authority }),
      ...(signIn.kind === 'certificate' ? { cert: signIn.certificate, key: signIn.key } : {}),
    }
    try {
      createSecureContext(tls)
    } catch {
      throw new Unreached(
        'certificate-untrusted',
        'The certificates of the access file cannot be used: one of them is damaged, or a key does not fit.',
      )
    }
    this.agent = new Agent({
      ...tls,
      keepAlive: true,
      maxSockets: 128,
      rejectUnauthorized: !way.isUnverified,
      ...(way.serverName === null ? {} : { servername: way.serverName }),
    })
  }

  send(request: ApiRequest, signal: AbortSignal): Promise<ApiAnswer> {
    const url = new URL(this.way.server)
    const base = url.pathname.replace(/\/+$/, '')
    return new Promise((resolve, reject) => {
      const failed = (error: unknown): void =>
        reject(signal.aborted ? (signal.reason as Error) : unreachedBy(error, this.address))
      const outgoing = dialled(
        {
          agent: this.agent,
          host: url.hostname.replace(/^\[|\]$/g, ''),
          port: url.port === '' ? 443 : Number(url.port),
          method: request.method,
          path: `${base}${request.path}`,
          headers: { ...request.headers, host: url.host },
          signal,
        },
        (response) => {
          clearTimeout(timer)
          resolve({
            status: response.statusCode ?? 0,
            headers: headersOf(response),
            body: bodyOf(response, this.address),
          })
        },
      )
      const timer = setTimeout(() => {
        outgoing.destroy(new Unreached('unreachable', `${this.address} takes too long to answer.`))
      }, headMs)
      outgoing.on('error', (error) => {
        clearTimeout(timer)
        failed(error)
      })
      outgoing.end(request.body)
    })
  }

  close(): void {
    this.agent.destroy()
  }
}
