/** One request to an API, however it gets there; and what keeps it from getting there. */
import type { ReachReason } from '~/core/contract'

export interface ApiRequest {
  readonly method: string
  /** From `/` on, with its query. */
  readonly path: string
  readonly headers: Readonly<Record<string, string>>
  readonly body?: Buffer
}

export interface ApiAnswer {
  readonly status: number
  /** Names in lower case. */
  readonly headers: Readonly<Record<string, string>>
  /** Ends early with an `Unreached`. Whoever stops reading it ends the request. */
  readonly body: AsyncIterable<Buffer>
}

/** Nothing came back that is an answer of the API. */
export class Unreached extends Error {
  constructor(
    readonly reason: ReachReason,
    says: string,
  ) {
    super(says)
  }
}

export interface Transport {
  /** Where it leads, as a person reads it. */
  readonly address: string
  /** Rejects with an `Unreached`, or with the signal’s reason. Redirects are answers like any other. */
  send(request: ApiRequest, signal: AbortSignal): Promise<ApiAnswer>
  close(): void
}
