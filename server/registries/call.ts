/** A request to a registry, and how it is answered. */
import type { IncomingMessage, ServerResponse } from 'node:http'
import type { AccountPurpose } from '~/core/contract'
import { isDigest } from '~/core/registry'
import { RegistryError } from './errors'
import type { Registry } from './registry'

/** Lets a request to a repository through, or throws why not; null is who asks whether this is a registry. */
export type Admit = (
  repository: string | null,
  purpose: AccountPurpose,
  authorization: string | undefined,
) => Promise<void>

export interface Call {
  readonly registry: Registry
  readonly admit: Admit
  readonly request: IncomingMessage
  readonly response: ServerResponse
  readonly name: string
  readonly query: URLSearchParams
}

export function answer(
  response: ServerResponse,
  status: number,
  headers: Readonly<Record<string, string | number>> = {},
  body: Uint8Array | string = '',
): void {
  const isHead = response.req.method === 'HEAD'
  // A 204 has no body and says nothing of its length (RFC 9110, 8.6).
  const length = status === 204 ? {} : { 'Content-Length': Buffer.byteLength(body) }
  response.writeHead(status, { ...length, ...headers })
  response.end(isHead ? undefined : body)
}

export const answerJson = (
  response: ServerResponse,
  status: number,
  body: unknown,
  headers: Readonly<Record<string, string>> = {},
): void =>
  answer(response, status, { 'Content-Type': 'application/json', ...headers }, JSON.stringify(body))

/** The whole body of a request, up to a limit. */
export async function bodyOf(request: IncomingMessage, atMost: number): Promise<Uint8Array> {
  const chunks: Buffer[] = []
  let size = 0
  for await (const chunk of request) {
    size += (chunk as Buffer).length
    if (size > atMost)
      throw new RegistryError(413, 'SIZE_INVALID', `A manifest has at most ${atMost} bytes.`)
    chunks.push(chunk as Buffer)
  }
  return Buffer.concat(chunks)
}

export function digestIn(text: string | null): string {
  if (text !== null && isDigest(text)) return text
  throw new RegistryError(400, 'DIGEST_INVALID', 'Write a digest as sha256: and 64 hexadecimals.')
}

export async function repositoryOf({ registry, name }: Call) {
  const repository = await registry.repository(name)
  if (repository) return repository
  throw new RegistryError(404, 'NAME_UNKNOWN', `There is no repository ${name}.`)
}
