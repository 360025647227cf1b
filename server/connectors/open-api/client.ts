/** Requests to an API, read: JSON within limits, refusals as what they come down to, watches line by line. */
import { isRecord, type Json, record, text } from '~/core/objects'
import type { SignIn } from '~/core/reach'
import { type ApiAnswer, type ApiRequest, type Transport, Unreached } from './transport'

/** Bytes of one answer that is read whole, and of one line of a watch. */
const mostBytes = 64 * 1024 ** 2
const lineBytes = 8 * 1024 ** 2
/** An answer that is read whole has so long. */
const wholeMs = 20_000
const userAgent = 'gyrarch/0.1 (open-api)'

/** The API has answered, and said no. */
export class ApiRefusal extends Error {
  constructor(
    readonly status: number,
    readonly reason: string,
    says: string,
    readonly details: Json = {},
  ) {
    super(says)
  }
}

export const headersFor = (signIn: SignIn | null): Readonly<Record<string, string>> => {
  const common = { accept: 'application/json', 'user-agent': userAgent }
  if (signIn?.kind === 'token') return { ...common, authorization: `Bearer ${signIn.token}` }
  if (signIn?.kind !== 'password') return common
  const pair = Buffer.from(`${signIn.username}:${signIn.password}`).toString('base64')
  return { ...common, authorization: `Basic ${pair}` }
}

const isJson = ({ headers }: ApiAnswer): boolean =>
  /^application\/(?:[\w.+-]*\+)?json\b/.test(headers['content-type'] ?? '')

export class ApiClient {
  constructor(
    readonly transport: Transport,
    private readonly headers: Readonly<Record<string, string>>,
  ) {}

  /** The object that a path answers with. Rejects with an `Unreached` or an `ApiRefusal`. */
  async ask(
    method: string,
    path: string,
    signal: AbortSignal,
    body?: unknown,
    contentType = 'application/json',
  ): Promise<Json> {
    const bounded = AbortSignal.any([signal, AbortSignal.timeout(wholeMs)])
    try {
      const answer = await this.transport.send(
        this.requestOf(method, path, body, contentType),
        bounded,
      )
      return this.read(answer, await this.whole(answer))
    } catch (error) {
      if (error instanceof Unreached || error instanceof ApiRefusal || signal.aborted) throw error
      const { address } = this.transport
      throw new Unreached('unreachable', `${address} takes too long over its answers.`)
    }
  }

  get(path: string, signal: AbortSignal): Promise<Json> {
    return this.ask('GET', path, signal)
  }

  /** A path that answers with text, its last bytes at most. */
  async text(path: string, signal: AbortSignal): Promise<string> {
    const bounded = AbortSignal.any([signal, AbortSignal.timeout(wholeMs)])
    const answer = await this.transport.send(this.requestOf('GET', path), bounded)
    const whole = (await this.whole(answer)).toString('utf8')
    if (answer.status !== 200) this.read(answer, Buffer.from(whole))
    return whole
  }

  /** What a watch tells, as it comes; ends when the API ends it. */
  async *lines(path: string, signal: AbortSignal): AsyncIterable<Json> {
    const answer = await this.transport.send(this.requestOf('GET', path), signal)
    if (answer.status !== 200) {
      this.read(answer, await this.whole(answer))
      return
    }
    if (!isJson(answer)) throw this.notTheApi(answer)
    let kept = ''
    const decoder = new TextDecoder()
    for await (const chunk of answer.body) {
      kept += decoder.decode(chunk, { stream: true })
      const lines = kept.split('\n')
      kept = lines.pop() ?? ''
      if (kept.length > lineBytes) throw this.notTheApi(answer)
      for (const line of lines) if (line.trim() !== '') yield this.parsed(line, answer)
    }
  }

  private requestOf(
    method: string,
    path: string,
    body?: unknown,
    contentType = 'application/json',
  ): ApiRequest {
    if (body === undefined) return { method, path, headers: this.headers }
    const bytes = Buffer.from(JSON.stringify(body))
    const about = { 'content-type': contentType, 'content-length': String(bytes.length) }
    return { method, path, headers: { ...this.headers, ...about }, body: bytes }
  }

  private async whole(answer: ApiAnswer): Promise<Buffer> {
    const chunks: Buffer[] = []
    let size = 0
    for await (const chunk of answer.body) {
      size += chunk.length
      if (size > mostBytes)
        throw new Unreached('not-the-api', `${this.transport.address} answers without end.`)
      chunks.push(chunk)
    }
    return Buffer.concat(chunks)
  }

  private notTheApi({ status, headers }: ApiAnswer): Unreached {
    const { address } = this.transport
    const how =
      status >= 300 && status < 400
        ? `sends elsewhere (${status}), and Gyrarch does not follow`
        : `answers ${status} with ${(headers['content-type'] ?? 'no type').slice(0, 60)}`
    return new Unreached('not-the-api', `${address} is not the open API: it ${how}.`)
  }

  private parsed(source: string, answer: ApiAnswer): Json {
    try {
      const value: unknown = JSON.parse(source)
      if (isRecord(value)) return value
    } catch {
      // Said below.
    }
    throw this.notTheApi(answer)
  }

  private read(answer: ApiAnswer, body: Buffer): Json {
    const { status } = answer
    const { address } = this.transport
    if (status === 401)
      throw new Unreached('token-refused', `${address} refuses who signs in there (401).`)
    if (!isJson(answer)) {
      // Some answer requests without rights, or for what is not there, in plain words.
      const isPlain = (answer.headers['content-type'] ?? '').startsWith('text/plain')
      if (isPlain && (status === 403 || status === 404 || status >= 500))
        throw new ApiRefusal(status, '', body.toString('utf8').slice(0, 300))
      throw this.notTheApi(answer)
    }
    const value = this.parsed(body.toString('utf8'), answer)
    if (status >= 200 && status < 300) return value
    if (status < 400 || value['kind'] !== 'Status') throw this.notTheApi(answer)
    throw new ApiRefusal(
      status,
      text(value['reason']),
      text(value['message']).slice(0, 2000) || `refused with ${status}`,
      record(value['details']),
    )
  }
}
