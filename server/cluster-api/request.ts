/** A request that writes, as it is handed on once it is known who asks, and its answer. */
import type { ApiVerb } from './resources'
import type { Caller } from './sign-in'
import type { Target } from './target'

export interface WriteRequest {
  readonly verb: ApiVerb
  readonly target: Target
  readonly query: URLSearchParams
  readonly body: Buffer
  readonly contentType: string
  readonly caller: Caller
  readonly agent: string
}

export interface Answer {
  readonly code: number
  readonly object: Readonly<Record<string, unknown>>
  readonly warnings?: readonly string[]
}

/** Whether a parameter asks for something, as the open API reads them: only what is absent, `false` or `0` does not. */
export function isAsked(query: URLSearchParams, name: string): boolean {
  const given = query.get(name)
  return given !== null && given.toLowerCase() !== 'false' && given !== '0'
}
