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
